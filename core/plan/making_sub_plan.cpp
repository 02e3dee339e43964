#include "core/plan/making_sub_plan.h"

#include "core/base/formula.h"
#include "core/plan/dials.h"
#include "core/plan/inside.h"
#include "core/plan/open_plan.h"
#include "core/plan/plan_index.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

namespace arvesk {
namespace {

constexpr double kBeside = 240;   // from one card to the next, on the Plan
constexpr double kFarther = 160;  // ways lie over and under what they lead to

/// Masks and kits have no card of their own: they stand at those that use them.
bool isDocked(const Node& node) {
  const NodeKind* kind = kindOf(node);
  if (!kind || kind->outputs.empty()) return false;
  const auto said = node.params.find("type");
  if (node.kind == kWayIn)
    return said != node.params.end() &&
           (said->second == ParamValue(std::string("mask")) || said->second == ParamValue(std::string("kit")));
  const ValueType type = kind->outputs.front().type;
  return type == ValueType::Mask || type == ValueType::Kit;
}

/// Puts those that have cards side by side about `x`.
void sideBySide(std::vector<Node>& ways, double x, double y) {
  const auto count = std::count_if(ways.begin(), ways.end(), [](const Node& way) { return !isDocked(way); });
  double at = x - kBeside * static_cast<double>(count - 1) / 2;
  for (Node& way : ways) {
    if (isDocked(way)) continue;
    way.x = at;
    way.y = y;
    at += kBeside;
  }
}

/// Where a group of cards is said to stand: in the middle of its columns, at its top.
std::pair<double, double> anchorOf(const std::vector<Node>& nodes) {
  double sum = 0;
  double top = std::numeric_limits<double>::max();
  std::size_t count = 0;
  for (const Node& node : nodes) {
    if (node.kind == kWayIn || node.kind == kWayOut || isDocked(node)) continue;
    sum += node.x;
    top = std::min(top, node.y);
    ++count;
  }
  return count == 0 ? std::pair(0.0, 0.0) : std::pair(sum / static_cast<double>(count), top);
}

template <typename IsTaken>
std::string freeName(const std::string& wanted, const IsTaken& isTaken) {
  std::string name = wanted;
  for (int n = 2; isTaken(name); ++n) name = fmt::format("{} {}", wanted, n);
  return name;
}

class Making {
 public:
  Making(Plan& plan, const std::vector<std::string>& uids) : m_plan(plan), m_index(plan) {
    for (const Node& node : plan.nodes)
      if (std::find(uids.begin(), uids.end(), node.uid) != uids.end()) m_chosen.insert(&node);
  }

  Result<MadeSubPlan> make(const std::string& name) {
    if (auto ok = check(); !ok) return Failure(ok.error());
    m_made.uid = newUid();
    m_made.name = name;
    m_instance.uid = newUid();
    m_instance.kind = Node::kInstanceKind;
    m_instance.subPlan = m_made.uid;
    m_instance.inside = "";  // its nodes stay who they are
    m_instance.title = freeTitle(m_plan, name);
    takeNodes();
    takeWaysIn();
    takeWaysOut();
    takeControls();
    std::tie(m_instance.x, m_instance.y) = anchorOf(m_made.nodes);
    const MadeSubPlan made{m_made.uid, m_instance.uid};
    putInPlace();
    return made;
  }

 private:
  Plan& m_plan;
  PlanIndex m_index;
  std::set<const Node*> m_chosen;
  SubPlan m_made;
  Node m_instance;
  std::map<std::pair<std::string, std::string>, std::string> m_waysIn;   // node and output outside → uid
  std::map<std::pair<std::string, std::string>, std::string> m_waysOut;  // node and output inside → uid

  bool isChosen(const std::string& uid) const { return m_chosen.contains(m_index.find(uid)); }

  Result<void> check() const {
    if (m_chosen.empty())
      return fail(ProblemCode::MissingInput, "no node is selected", "Select the cards to use as one");
    for (const Node* node : m_chosen)
      if (node->kind == kWayIn || node->kind == kWayOut)
        return fail(ProblemCode::WrongInput, fmt::format("{} is an end of the sub-plan that it lies in", node->title),
                    "Leave it out of the selection", node->title);
    // Down from what is chosen, through what is not, back into it: as one node it would take from itself.
    std::map<const Node*, std::vector<const Node*>> users;
    for (const Node& node : m_plan.nodes)
      for (const Node* source : sourcesOf(m_index, node)) users[source].push_back(&node);
    std::set<const Node*> after;
    std::vector<const Node*> open(m_chosen.begin(), m_chosen.end());
    while (!open.empty()) {
      const Node* node = open.back();
      open.pop_back();
      for (const Node* user : users[node])
        if (!m_chosen.contains(user) && after.insert(user).second) open.push_back(user);
    }
    for (const Node* node : after)
      for (const Node* user : users[node])
        if (m_chosen.contains(user))
          return fail(ProblemCode::Loop, fmt::format("{} lies between nodes that are selected", node->title),
                      "Select it too", node->title);
    return {};
  }

  void takeNodes() {
    for (const Node& node : m_plan.nodes)
      if (m_chosen.contains(&node)) m_made.nodes.push_back(node);
  }

  /// Ways by what comes in first: what the chain is made from, then what else it looks at, then what masks do.
  void takeWaysIn() {
    std::vector<Node> ways;
    const auto look = [&](Node& node, int rank) {
      const NodeKind* kind = kindOf(node);
      for (auto& [id, links] : node.inputs) {
        const InputSpec* input = kind ? kind->findInput(id) : nullptr;
        const bool isMain = input && input == &kind->inputs.front();
        if ((kind && kind->family == Family::Mask ? 2 : isMain ? 0 : 1) != rank) continue;
        for (Link& link : links)
          if (!link.isEmpty() && !isChosen(link.node) && !m_ownWays.contains(link.node)) takeWayIn(link, input, ways);
      }
    };
    for (int rank = 0; rank < 3; ++rank)
      for (Node& node : m_made.nodes) look(node, rank);
    const auto [x, top] = anchorOf(m_made.nodes);
    sideBySide(ways, x, top - kFarther);
    m_made.nodes.insert(m_made.nodes.begin(), ways.begin(), ways.end());
  }

  std::set<std::string> m_ownWays;

  void takeWayIn(Link& link, const InputSpec* input, std::vector<Node>& ways) {
    const Node* source = m_index.find(link.node);
    const auto [known, isNew] = m_waysIn.try_emplace({link.node, link.output});
    if (isNew) {
      Node way;
      way.uid = known->second = newUid();
      way.kind = kWayIn;
      const auto isTaken = [&](const std::string& title) {
        return std::any_of(ways.begin(), ways.end(), [&](const Node& w) { return w.title == title; });
      };
      const ValueType type = outputType(m_index, link).value_or(input ? input->type : ValueType::Points);
      // Masks, kits and points are told apart by their own names; of grounds there is one as a rule.
      const bool isByLabel = input && (type == ValueType::Surface || type == ValueType::Volume) &&
                             !isTaken(input->label);
      way.title = isByLabel ? input->label : freeName(source ? source->title : "Input", isTaken);
      if (type != ValueType::Points) way.params["type"] = std::string(valueTypeName(type));
      way.params["needed"] = false;
      m_instance.inputs[way.uid] = {{link.node, link.output, newUid()}};
      m_ownWays.insert(way.uid);
      ways.push_back(std::move(way));
    }
    if (input && !input->isOptional)
      for (Node& way : ways)
        if (way.uid == known->second) way.params.erase("needed");  // what needs it says so
    link.node = known->second;
    link.output = kWayValue;
  }

  void takeWaysOut() {
    std::set<const Node*> used;
    for (const Node& node : m_plan.nodes)
      for (const auto& [id, links] : node.inputs)
        for (const Link& link : links) {
          if (!isChosen(link.node)) continue;
          used.insert(m_index.find(link.node));
          if (!m_chosen.contains(&node)) takeWayOut(link.node, link.output);
        }
    for (const Node& node : m_plan.nodes) {  // what nobody takes yet
      const NodeKind* kind = kindOf(node);
      if (m_chosen.contains(&node) && !used.contains(&node) && kind && !kind->isLayer && !kind->outputs.empty())
        takeWayOut(node.uid, kind->outputs.front().id);
    }
    // The end of the chain first: it is what is shown of the sub-plan.
    PlanOrder order(m_index);
    for (const Node& node : m_plan.nodes) order.add(node);
    const auto rankOf = [&](const Node& way) {
      const auto& all = order.nodes();
      return std::find(all.begin(), all.end(), m_index.find(way.firstLink(kWayValue)->node)) - all.begin();
    };
    const auto isFirstOutput = [&](const Node& way) {
      const Link& from = *way.firstLink(kWayValue);
      return kindOf(*m_index.find(from.node))->outputIndex(from.output) == 0;
    };
    std::stable_sort(m_out.begin(), m_out.end(), [&](const Node& a, const Node& b) { return rankOf(a) > rankOf(b); });
    std::stable_partition(m_out.begin(), m_out.end(), isFirstOutput);
    // A skipped instance passes the first input on, where it is of the first output's type.
    const auto first = std::find_if(m_made.nodes.begin(), m_made.nodes.end(),
                                    [](const Node& n) { return n.kind == kWayIn; });
    const auto typeOf = [&](const Node& way) {
      if (way.kind == kWayOut) return outputType(m_index, *way.firstLink(kWayValue));
      return outputType(m_index, m_instance.inputs.at(way.uid).front());
    };
    if (first != m_made.nodes.end())
      std::stable_partition(m_out.begin(), m_out.end(), [&](const Node& way) { return typeOf(way) == typeOf(*first); });
    const auto [x, top] = anchorOf(m_made.nodes);
    double bottom = top;
    for (const Node& node : m_made.nodes)
      if (!isDocked(node)) bottom = std::max(bottom, node.y);
    sideBySide(m_out, x, bottom + kFarther);
    m_made.nodes.insert(m_made.nodes.end(), m_out.begin(), m_out.end());
  }

  std::vector<Node> m_out;

  void takeWayOut(const std::string& uid, const std::string& output) {
    const auto [known, isNew] = m_waysOut.try_emplace({uid, output});
    if (!isNew) return;
    const Node& source = *m_index.find(uid);
    const NodeKind* kind = kindOf(source);
    const int at = kind ? kind->outputIndex(output) : -1;
    Node way;
    way.uid = known->second = newUid();
    way.kind = kWayOut;
    way.title = freeName(
        at > 0 ? fmt::format("{}: {}", source.title, kind->outputs[static_cast<std::size_t>(at)].label) : source.title,
        [&](const std::string& title) {
          return std::any_of(m_out.begin(), m_out.end(), [&](const Node& w) { return w.title == title; });
        });
    way.inputs[kWayValue] = {{uid, output, newUid()}};
    m_out.push_back(std::move(way));
  }

  /// Dials and outer front controls that the nodes follow are set from outside by controls of the same names.
  void takeControls() {
    for (const Node& node : m_made.nodes)
      for (const auto& [key, formula] : node.follows) {
        const auto compiled = Formula::compile(formula);
        if (!compiled) continue;
        for (const std::string& name : compiled->names()) takeControl(name);
      }
  }
  void takeControl(const std::string& name) {
    FrontControl control;
    const auto outer = std::find_if(m_plan.fronts.begin(), m_plan.fronts.end(), [&](const FrontValue& f) {
      return f.control.id == name || frontNumber(f.control, f.control.usual, name);
    });
    const auto dial = std::find_if(m_plan.dials.begin(), m_plan.dials.end(),
                                   [&](const Dial& d) { return d.name == name; });
    if (outer != m_plan.fronts.end()) {
      control = outer->control;
      control.usual = outer->final;
    } else if (dial != m_plan.dials.end()) {
      control.id = control.label = name;
      control.usual = dial->final;
      control.least = -1e12;
      control.most = 1e12;
      control.usualLeast = std::min(0.0, 2 * dial->final);
      control.usualMost = std::max(dial->final == 0 ? 1.0 : 0.0, 2 * dial->final);
    } else {
      return;  // nothing is called so; the node tells
    }
    if (m_made.findFront(control.id)) return;
    m_instance.follows[control.id] = control.id;
    m_made.fronts.push_back(std::move(control));
  }

  void putInPlace() {
    std::set<std::string> gone;
    std::size_t place = m_plan.nodes.size();
    for (std::size_t i = 0; i < m_plan.nodes.size(); ++i)
      if (m_chosen.contains(&m_plan.nodes[i])) {
        gone.insert(m_plan.nodes[i].uid);
        place = std::min(place, i);
      }
    for (Node& node : m_plan.nodes) {
      if (gone.contains(node.uid)) continue;
      for (auto& [id, links] : node.inputs)
        for (Link& link : links)
          if (const auto way = m_waysOut.find({link.node, link.output}); way != m_waysOut.end()) {
            link.node = m_instance.uid;
            link.output = way->second;
          }
    }
    std::vector<Node> rest;
    for (std::size_t i = 0; i < m_plan.nodes.size(); ++i) {
      if (i == place) rest.push_back(m_instance);
      if (!gone.contains(m_plan.nodes[i].uid)) rest.push_back(std::move(m_plan.nodes[i]));
    }
    m_plan.nodes = std::move(rest);
    m_plan.subPlans.push_back(std::move(m_made));
    fitSubPlans(m_plan);
  }
};

class TakingApart {
 public:
  TakingApart(Plan& plan, Node instance, SubPlan subPlan)
      : m_plan(plan), m_instance(std::move(instance)), m_subPlan(std::move(subPlan)), m_path(m_instance.insidePath()) {
    for (const FrontControl& control : m_subPlan.fronts) {
      const ParamValue& value = valueOf(m_instance, control);
      m_fronts.push_back({control, value, value});
    }
  }

  Result<std::vector<std::string>> takeApart() {
    for (const Node& node : m_subPlan.nodes)
      if (!isWay(node) && m_plan.find(m_path + node.uid))
        return fail(ProblemCode::BadParameter,
                    fmt::format("its node \"{}\" is in the plan already, under the same uid", node.title),
                    "Take the one in the plan out, or duplicate this sub-plan and take that apart");
    const auto [x, y] = anchorOf(m_subPlan.nodes);
    std::vector<Node> nodes;
    std::vector<std::string> uids;
    for (const Node& node : m_subPlan.nodes) {
      if (isWay(node)) continue;
      nodes.push_back(outside(node));
      nodes.back().x += m_instance.x - x;
      nodes.back().y += m_instance.y - y;
      uids.push_back(nodes.back().uid);
    }
    for (Node& node : m_plan.nodes)
      for (auto& [id, links] : node.inputs) {
        std::vector<Link> now;
        for (const Link& link : links) {
          const std::vector<Link> found = link.node == m_instance.uid ? leaving(link) : std::vector<Link>{link};
          now.insert(now.end(), found.begin(), found.end());
        }
        links = std::move(now);
      }
    for (PaperItem item : m_subPlan.paper) {
      item.uid = m_path + item.uid;
      item.x += m_instance.x - x;
      item.y += m_instance.y - y;
      if (!m_plan.findPaper(item.uid)) m_plan.paper.push_back(std::move(item));
    }
    const auto at = std::find_if(m_plan.nodes.begin(), m_plan.nodes.end(),
                                 [&](const Node& n) { return n.uid == m_instance.uid; });
    m_plan.nodes.insert(m_plan.nodes.erase(at), std::make_move_iterator(nodes.begin()),
                        std::make_move_iterator(nodes.end()));
    if (!isUsed()) std::erase_if(m_plan.subPlans, [&](const SubPlan& s) { return s.uid == m_subPlan.uid; });
    fitSubPlans(m_plan);
    return uids;
  }

 private:
  Plan& m_plan;
  Node m_instance;
  SubPlan m_subPlan;
  std::string m_path;
  std::vector<FrontValue> m_fronts;

  static bool isWay(const Node& node) { return node.kind == kWayIn || node.kind == kWayOut; }

  bool isUsed() const {
    const auto isOne = [&](const Node& node) { return node.isInstance() && node.subPlan == m_subPlan.uid; };
    if (std::any_of(m_plan.nodes.begin(), m_plan.nodes.end(), isOne)) return true;
    return std::any_of(m_plan.subPlans.begin(), m_plan.subPlans.end(),
                       [&](const SubPlan& s) { return std::any_of(s.nodes.begin(), s.nodes.end(), isOne); });
  }

  Node outside(const Node& inner) {
    Node node = inner;
    node.uid = m_path + inner.uid;
    if (inner.inside) node.inside = m_path + *inner.inside;
    node.seed = seedInside(m_instance.seed, inner.seed);
    node.isSeedLocked = inner.isSeedLocked || m_instance.isSeedLocked;
    node.inputs.clear();
    for (const auto& [id, links] : inner.inputs) {
      auto& now = node.inputs[id];
      for (const Link& link : links) {
        const std::vector<Link> found = arriving(link, 0);
        now.insert(now.end(), found.begin(), found.end());
      }
    }
    unfollow(node);
    return node;
  }

  /// Links inside as they are outside, each with its place; an empty place where nothing comes in.
  std::vector<Link> arriving(const Link& link, int depth) const {
    const Node* source = m_subPlan.find(link.node);
    if (!source || source->kind != kWayIn || depth > 100)
      return {{link.isEmpty() ? std::string() : m_path + link.node, link.output, link.slot}};
    const auto it = m_instance.inputs.find(source->uid);
    const auto many = source->params.find("many");
    const bool isMany = many != source->params.end() && many->second == ParamValue(true);
    std::vector<Link> out;
    if (it != m_instance.inputs.end() && !source->isSkipped)
      for (const Link& from : it->second) {
        if (!isMany && from.isEmpty()) continue;
        if (!isMany) return {{from.node, from.output, link.slot}};
        out.push_back({from.node, from.output, link.slot + "/" + from.slot});
      }
    if (std::any_of(out.begin(), out.end(), [](const Link& l) { return !l.isEmpty(); })) return out;
    const Link* fallback = source->firstLink(kWayInFallback);
    if (!fallback) return {{{}, {}, link.slot}};
    return arriving({fallback->node, fallback->output, link.slot}, depth + 1);
  }

  std::vector<Link> leaving(const Link& link) const {
    const Node* way = m_subPlan.find(link.output);
    const Link* inner = way && way->kind == kWayOut && !way->isSkipped ? way->firstLink(kWayValue) : nullptr;
    if (!inner) return {{{}, {}, link.slot}};
    return arriving({inner->node, inner->output, link.slot}, 0);
  }

  /// Does a formula, which is more than the name of a control, follow one that has keys?
  bool followsKeys(const std::string& formula) const {
    const auto compiled = Formula::compile(formula);
    if (!compiled) return false;
    for (const FrontValue& front : m_fronts) {
      const bool hasKeys = std::any_of(m_instance.keys.begin(), m_instance.keys.end(), [&](const auto& of) {
        return followedPart(of.first).param == front.control.id;
      });
      for (const std::string& name : compiled->names())
        if (hasKeys && formula != front.control.id &&
            (name == front.control.id || frontNumber(front.control, front.final, name)))
          return true;
    }
    return false;
  }

  /// What followed front controls has their value, or follows what these follow.
  void unfollow(Node& node) const {
    const auto follows = std::exchange(node.follows, {});
    Plan alone;
    alone.fronts = m_fronts;
    alone.nodes = {node};
    for (const auto& [key, formula] : follows) {
      std::string further = formula;
      // Keys of a control go to what follows it; by a formula they cannot, and what follows one tells.
      for (const auto& [id, keys] : m_instance.keys)
        if (followedPart(id).param == formula) node.keys[key + id.substr(formula.size())] = keys;
      if (m_instance.keys.contains(formula)) continue;
      if (followsKeys(formula)) {
        node.follows[key] = formula;
        continue;
      }
      if (const auto compiled = Formula::compile(formula); compiled && substitute(further, compiled->names()))
        node.follows[key] = further;
      else
        alone.nodes.front().follows[key] = formula;
      // One number of a list may follow something while the others are set.
      for (auto it = m_instance.follows.lower_bound(formula + "."); it != m_instance.follows.end(); ++it) {
        if (!it->first.starts_with(formula + ".")) break;
        node.follows[key + it->first.substr(formula.size())] = it->second;
      }
    }
    const auto faults = followDials(alone, Quality::Final);
    node.params = std::move(alone.nodes.front().params);
    if (faults.empty()) return;
    for (const auto& [key, formula] : alone.nodes.front().follows) node.follows[key] = formula;  // it tells, as before
  }

  /// Puts what controls follow in their place; false where they follow nothing.
  bool substitute(std::string& formula, std::vector<std::string> names) const {
    std::map<std::string, std::string> by;
    bool isFollowing = false;
    for (const std::string& name : names)
      for (const FrontValue& front : m_fronts) {
        const auto number = frontNumber(front.control, front.final, name);
        if (front.control.id != name && !number) continue;
        std::string key = front.control.id;
        if (name != key) key += fmt::format(".{}", std::stoul(name.substr(key.size() + 1)) - 1);
        const auto followed = m_instance.follows.find(key);
        isFollowing = isFollowing || followed != m_instance.follows.end();
        if (followed != m_instance.follows.end())
          by[name] = isWord(followed->second) ? followed->second : "(" + followed->second + ")";
        else if (number)
          by[name] = fmt::format("({:.17g})", *number);
        break;
      }
    if (!isFollowing) return false;
    std::string out;
    for (std::size_t i = 0; i < formula.size();) {
      std::size_t end = i;
      while (end < formula.size() && isLetter(formula[end])) ++end;
      if (end == i) end = i + 1;
      const std::string word = formula.substr(i, end - i);
      const auto it = by.find(word);
      out += it == by.end() ? word : it->second;
      i = end;
    }
    formula = out;
    return true;
  }
  static bool isLetter(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '.';
  }
  static bool isWord(const std::string& text) { return std::all_of(text.begin(), text.end(), &isLetter); }
};

}  // namespace

std::string freeTitle(const Plan& plan, const std::string& wanted) {
  return freeName(wanted, [&](const std::string& title) {
    return std::any_of(plan.nodes.begin(), plan.nodes.end(), [&](const Node& n) { return n.title == title; });
  });
}

Result<MadeSubPlan> makeSubPlan(Plan& plan, const std::vector<std::string>& uids, const std::string& name) {
  const std::string path = plan.path;
  std::vector<std::string> local;
  for (const std::string& uid : uids) local.push_back(uid.starts_with(path) ? uid.substr(path.size()) : uid);
  return editLocally(plan, [&](Plan& p) -> Result<MadeSubPlan> {
    auto made = Making(p, local).make(name);
    if (made) made->instance = path + made->instance;
    return made;
  });
}

namespace {

Result<std::vector<std::string>> takeApartLocally(Plan& plan, const std::string& instance) {
  const Node* node = plan.find(instance);
  if (!node || !node->isInstance())
    return fail(ProblemCode::WrongInput, "it is no sub-plan", "Select the card of one", node ? node->title : instance);
  const SubPlan* subPlan = plan.findSubPlan(node->subPlan);
  if (!subPlan) return Failure(unknownKind(*node));
  if (node->isSkipped)
    return fail(ProblemCode::BadParameter, "it is skipped: what is inside would count", "Switch it on first",
                node->title);
  return TakingApart(plan, *node, *subPlan).takeApart();
}

}  // namespace

Result<std::vector<std::string>> takeApart(Plan& plan, const std::string& instance) {
  const std::string path = plan.path;
  return editLocally(plan, [&](Plan& p) -> Result<std::vector<std::string>> {
    auto uids = takeApartLocally(p, instance.starts_with(path) ? instance.substr(path.size()) : instance);
    if (uids)
      for (std::string& uid : *uids) uid = path + uid;
    return uids;
  });
}

}  // namespace arvesk
