// Nodes and links as documents hold them, and what lies beside them on the Plan.
#pragma once

#include "core/plan/frame_keys.h"
#include "core/plan/node_kind.h"

namespace arvesk {

struct Link {
  std::string node;    // uid of the node it comes from
  std::string output;  // id of its output
  std::string slot;    // permanent name of this place in a many-input; Merge keys ids by it
  bool operator==(const Link&) const = default;
  /// A place that lost its link: it stays, so that the others keep theirs.
  bool isEmpty() const { return node.empty(); }
};

/// A parameter that a file holds in a form or range that cannot be. It is written back as it was, so that nothing is
/// lost, and the node waits for another one.
struct RefusedValue {
  std::string written;  // JSON
  std::string fault;    // what is wrong, in words
  bool operator==(const RefusedValue&) const = default;
};

/// A kind that was made while the program runs. What it is follows from what it was made of, so it is no part of what
/// a node or a plan is.
struct MadeKind {
  std::shared_ptr<const NodeKind> kind;
  std::uint64_t key = 0;  // of all that it was made of
  bool operator==(const MadeKind&) const { return true; }
};

/// Where a node of an opened plan lies (open_plan.h); nodes of documents lie nowhere else.
struct LiesIn {
  std::string instance;  // uid of the instance in the opened plan, or empty
  std::string titles;    // that lead there: "Growth on rocks › "
  bool isEnd = false;    // what it gives first goes out of it into the document
  bool operator==(const LiesIn&) const = default;
};

struct Node {
  std::string uid;
  std::string kind;
  std::string subPlan;  // of an instance: uid of the sub-plan that it is one of
  /// Of an instance: what stands before the uids of the nodes inside, for ids and draws, in place of its own uid and
  /// "/". Nodes that became a sub-plan so are who they were.
  std::optional<std::string> inside;
  MadeKind made;  // in place of a registered kind; see kindOf
  int version = 1;
  std::string title;
  double x = 0;  // place on the plan
  double y = 0;
  bool isSkipped = false;
  bool isFolded = false;  // on the Plan, the chain that begins here is drawn as one line
  std::uint64_t seed = 0;
  bool isSeedLocked = false;
  ParamMap params;
  /// Parameter → formula over the plan's dials, or the front controls of the sub-plan, such as "spacing * 2".
  std::map<std::string, std::string> follows;
  std::map<std::string, Keys> keys;  // parameter, or one of its numbers ("size.0")
  std::map<std::string, std::vector<Link>> inputs;
  std::string
      unknown;  // JSON object with keys and parameters that this version does not know; written back as they were
  std::map<std::string, RefusedValue> refused;  // by parameter; holds until the parameter is set
  LiesIn liesIn;
  bool operator==(const Node&) const = default;

  bool isInstance() const { return kind == kInstanceKind; }
  /// What stands before the uids of the nodes inside of an instance.
  std::string insidePath() const { return inside.value_or(uid + "/"); }
  /// Its title for messages, with those that lead to it.
  std::string where() const { return liesIn.titles + title; }

  /// What the file says that cannot be, of parameters that were not set since; empty when there is nothing.
  std::string refusal() const {
    for (const auto& [id, value] : refused)
      if (!params.contains(id)) return value.fault;
    return {};
  }

  const ParamValue& value(const ParamSpec& spec) const {
    const auto it = params.find(spec.id);
    return it == params.end() ? spec.defaultValue : it->second;
  }
  /// The first link there that is not empty; null when there is none.
  const Link* firstLink(const std::string& input) const {
    const auto it = inputs.find(input);
    if (it == inputs.end()) return nullptr;
    for (const Link& link : it->second)
      if (!link.isEmpty()) return &link;
    return nullptr;
  }

  /// The kind of nodes that are instances of sub-plans.
  static constexpr const char* kInstanceKind = "sub-plan";
};

/// The node's kind: its own when one was made for it, else the one that is registered under its name; null when there
/// is none.
const NodeKind* kindOf(const Node& node);

/// A titled area of the Plan that groups cards, or a note stuck on paper.
struct PaperItem {
  enum class Sort { Bed, Note };
  std::string uid;
  Sort sort = Sort::Note;
  std::string text;
  double x = 0;
  double y = 0;
  double width = 240;
  double height = 80;
  std::string unknown;
  bool operator==(const PaperItem&) const = default;
};

}  // namespace arvesk
