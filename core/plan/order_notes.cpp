#include "core/plan/order_notes.h"

#include "core/plan/plan_index.h"

#include <fmt/format.h>

namespace arvesk {
namespace {

bool hasProps(const Evaluation& evaluation, const std::string& uid) {
  const PointsPtr points = evaluation.firstOf<PointsPtr>(uid);
  return points && points->kit;
}

/// Where the points of the node's main input were made, going up while they pass through.
const Node* makerOf(const PlanIndex& index, const Node& node) {
  const Node* at = &node;
  for (int step = 0; step < 1000; ++step) {
    const NodeKind* kind = kindOf(*at);
    if (!kind || kind->inputs.empty() || kind->family == Family::Scatter) return kind ? at : nullptr;
    const auto main = at->inputs.find(kind->inputs.front().id);
    if (main == at->inputs.end() || main->second.empty()) return nullptr;
    at = index.find(main->second.front().node);
    if (!at) return nullptr;
  }
  return nullptr;
}

}  // namespace

namespace {

/// Who takes points of whom by the main input.
class Takers {
 public:
  explicit Takers(const Plan& plan) {
    const PlanIndex index(plan);
    for (const Node& node : plan.nodes) {
      const NodeKind* kind = kindOf(node);
      if (!kind || kind->inputs.empty() || kind->family == Family::Scatter) continue;
      const auto main = node.inputs.find(kind->inputs.front().id);
      if (main == node.inputs.end()) continue;
      for (const Link& l : main->second)
        if (outputType(index, l) == ValueType::Points) m_of[l.node].push_back(&node);
    }
  }
  std::string dressing(const Evaluation& evaluation, const std::string& uid) const {
    std::set<std::string> seen{uid};
    std::vector<std::string> front{uid};
    for (std::size_t i = 0; i < front.size(); ++i) {  // nearest first
      const auto all = m_of.find(front[i]);
      if (all == m_of.end()) continue;
      for (const Node* node : all->second) {
        if (!seen.insert(node->uid).second) continue;
        if (!node->isSkipped && hasProps(evaluation, node->uid)) return node->uid;
        front.push_back(node->uid);
      }
    }
    return {};
  }

 private:
  std::unordered_map<std::string, std::vector<const Node*>> m_of;
};

}  // namespace

std::string dressedBy(const Plan& plan, const Evaluation& evaluation, const std::string& uid) {
  return Takers(plan).dressing(evaluation, uid);
}

std::map<std::string, Problem> orderNotes(const Plan& plan, const Evaluation& evaluation) {
  std::map<std::string, Problem> out;
  const PlanIndex index(plan);
  std::optional<Takers> takers;  // most plans need none
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    const PointsPtr points = evaluation.firstOf<PointsPtr>(node.uid);
    if (!kind || node.isSkipped || !kind->judgesFootprints || !points || points->kit) continue;
    if (!kind->judgesFootprints(node.params)) continue;
    const Node* maker = makerOf(index, node);
    const NodeKind* makerKind = maker ? kindOf(*maker) : nullptr;
    const ParamSpec* footprint = makerKind ? makerKind->findParam("footprint") : nullptr;
    if (!footprint || maker->params.contains("footprint") || maker->follows.contains("footprint")) continue;
    if (!takers) takers.emplace(plan);
    const Node* dressing = index.find(takers->dressing(evaluation, node.uid));
    if (!dressing) continue;
    out[node.uid] = {ProblemCode::BadParameter,
                     Severity::Warning,
                     node.title,
                     fmt::format("its footprints are the {:g} m that {} begins with: props are chosen only by {}",
                                 std::get<double>(footprint->defaultValue), maker->title, dressing->title),
                     fmt::format("Move it below {}, or set the footprint of {}", dressing->title, maker->title),
                     Remedy::MoveAfterDress};
  }
  return out;
}

}  // namespace arvesk
