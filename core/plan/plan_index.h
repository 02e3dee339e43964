// Who stands where in a plan and in which order it is worked out, found once and in time that grows with the plan
// alone.
#pragma once

#include "core/plan/document.h"

#include <unordered_map>
#include <unordered_set>

namespace arvesk {

/// Nodes by uid, for as long as the plan's list of nodes stays as it is.
class PlanIndex {
 public:
  explicit PlanIndex(const Plan& plan);
  /// The first node of that uid; null when there is none.
  const Node* find(const std::string& uid) const;

 private:
  std::unordered_map<std::string_view, const Node*> m_nodes;
};

/// The order in which nodes are worked out: each after all that it takes from. Tarjan's algorithm for strongly
/// connected components (R. E. Tarjan, "Depth-first search and linear graph algorithms", SIAM J. Comput. 1, 1972) with
/// a stack of its own, so that chains may be as long as they like.
class PlanOrder {
 public:
  explicit PlanOrder(const PlanIndex& index) : m_index(&index) {}
  /// The node is there already: nothing before it is looked at, and it gets no place in the order.
  void leaveOut(const Node& node);
  /// Gives places to all that the node takes from, and then to the node itself.
  void add(const Node& node);

  const std::vector<const Node*>& nodes() const { return m_nodes; }
  /// Does something that the node takes from take from the node?
  bool isLooped(const Node& node) const { return m_looped.contains(&node); }

 private:
  struct Visit {
    std::size_t number = 0;
    std::size_t lowest = 0;
    bool isOpen = true;  // not yet in a component
  };
  const PlanIndex* m_index;
  std::unordered_map<const Node*, Visit> m_visits;
  std::vector<const Node*> m_component;  // open nodes, as they were found
  std::vector<const Node*> m_nodes;
  std::unordered_set<const Node*> m_looped;
};

/// What arrives by a link, as outputType of the plan says; for whoever asks of many.
std::optional<ValueType> outputType(const PlanIndex& index, Link link);

/// Nodes that the node takes from, in the order of its links; one that is linked twice comes twice.
std::vector<const Node*> sourcesOf(const PlanIndex& index, const Node& node);

}  // namespace arvesk
