#include "core/plan/inside.h"

#include "core/plan/dials.h"
#include "core/plan/open_plan.h"

#include <algorithm>

namespace arvesk {
namespace {

const Node* findIn(const std::vector<Node>& nodes, const std::string& uid) {
  const auto it = std::find_if(nodes.begin(), nodes.end(), [&](const Node& n) { return n.uid == uid; });
  return it == nodes.end() ? nullptr : &*it;
}

/// Calls step(instance, its sub-plan) along the path; stops where it leads nowhere.
template <typename Step>
void walk(const Plan& document, const InsidePath& path, const Step& step) {
  const std::vector<Node>* nodes = &document.nodes;
  for (const std::string& uid : path) {
    const Node* instance = findIn(*nodes, uid);
    const SubPlan* subPlan = instance && instance->isInstance() ? document.findSubPlan(instance->subPlan) : nullptr;
    if (!subPlan) return;
    step(*instance, *subPlan);
    nodes = &subPlan->nodes;
  }
}

/// Uids and links under a path, or without it. Nodes further in go by their own.
void prefix(std::vector<Node>& nodes, const std::string& path) {
  if (path.empty()) return;
  for (Node& node : nodes) {
    if (node.isInstance() && !node.inside) node.inside = node.uid + "/";
    if (node.inside) node.inside = path + *node.inside;
    node.uid = path + node.uid;
    for (auto& [id, links] : node.inputs)
      for (Link& link : links)
        if (!link.isEmpty()) link.node = path + link.node;
  }
}
void strip(std::vector<Node>& nodes, const std::string& path) {
  if (path.empty()) return;
  const auto without = [&](const std::string& uid) { return uid.starts_with(path) ? uid.substr(path.size()) : uid; };
  for (Node& node : nodes) {
    node.uid = without(node.uid);
    if (node.inside) node.inside = without(*node.inside);
    if (node.inside == node.uid + "/") node.inside.reset();
    for (auto& [id, links] : node.inputs)
      for (Link& link : links) link.node = without(link.node);
  }
}

}  // namespace

InsidePath existingPath(const Plan& document, const InsidePath& path) {
  std::size_t steps = 0;
  walk(document, path, [&](const Node&, const SubPlan&) { ++steps; });
  return {path.begin(), path.begin() + static_cast<std::ptrdiff_t>(steps)};
}

Plan planInside(const Plan& document, const InsidePath& path) {
  if (path.empty()) return document;
  Plan plan = document;
  Plan draft = document;  // as values are in each quality, level by level
  Plan final = document;
  followDials(draft, Quality::Draft);
  followDials(final, Quality::Final);
  std::string uids;
  walk(document, path, [&](const Node& instance, const SubPlan& subPlan) {
    uids += instance.insidePath();
    const Node* inDraft = findIn(draft.nodes, instance.uid);
    const Node* inFinal = findIn(final.nodes, instance.uid);
    plan.fronts.clear();
    for (const FrontControl& control : subPlan.fronts)
      plan.fronts.push_back({control, valueOf(*inDraft, control), valueOf(*inFinal, control)});
    Plan next;
    next.nodes = subPlan.nodes;
    next.settings.time = document.settings.time;
    next.frame = document.frame;
    for (Plan* each : {&draft, &final}) {
      next.fronts = plan.fronts;
      for (FrontValue& front : next.fronts)
        (each == &draft ? front.final : front.draft) = each == &draft ? front.draft : front.final;
      *each = next;
      followDials(*each, each == &draft ? Quality::Draft : Quality::Final);
    }
    plan.nodes = subPlan.nodes;
    plan.paper = subPlan.paper;
  });
  plan.path = uids;
  plan.dials.clear();
  plan.tool.clear();
  plan.origin = {};
  prefix(plan.nodes, uids);
  return plan;
}

void putBack(Plan& document, const InsidePath& path, Plan edited) {
  if (path.empty()) {
    document = std::move(edited);
    return;
  }
  std::string subPlan;
  walk(document, path, [&](const Node& instance, const SubPlan&) { subPlan = instance.subPlan; });
  strip(edited.nodes, edited.path);
  document.props = std::move(edited.props);
  document.settings = std::move(edited.settings);
  document.subPlans = std::move(edited.subPlans);
  SubPlan* into = document.findSubPlan(subPlan);
  if (!into) return;
  into->nodes = std::move(edited.nodes);
  into->paper = std::move(edited.paper);
  into->fronts.clear();
  for (FrontValue& front : edited.fronts) into->fronts.push_back(std::move(front.control));
}

void stripPath(Plan& plan) {
  strip(plan.nodes, plan.path);
  plan.path.clear();
}

void putPath(Plan& plan, const std::string& path) {
  prefix(plan.nodes, path);
  plan.path = path;
}

std::string newUidIn(const Plan& plan) { return plan.path + newUid(); }

namespace {

std::optional<FoundInside> findUnder(const Plan& document, const std::vector<Node>& nodes, const std::string& path,
                                     const std::string& uid, InsidePath& steps) {
  for (const Node& node : nodes)
    if (path + node.uid == uid) return FoundInside{steps, uid};
  if (steps.size() > document.subPlans.size()) return {};  // one lies in itself
  for (const Node& node : nodes) {
    const SubPlan* subPlan = node.isInstance() ? document.findSubPlan(node.subPlan) : nullptr;
    const std::string inside = path + node.insidePath();
    if (!subPlan || !uid.starts_with(inside)) continue;
    steps.push_back(node.uid);
    if (auto found = findUnder(document, subPlan->nodes, inside, uid, steps)) return found;
    steps.pop_back();
  }
  return {};
}

}  // namespace

std::optional<FoundInside> findInside(const Plan& document, const std::string& openedUid) {
  InsidePath steps;
  return findUnder(document, document.nodes, {}, openedUid, steps);
}

Node* nodeBehind(Plan& document, const std::string& openedUid) {
  const auto found = findInside(document, openedUid);
  if (!found) return nullptr;
  std::vector<Node>* nodes = &document.nodes;
  std::string uids;
  std::string subPlan;
  walk(document, found->path, [&](const Node& instance, const SubPlan& s) {
    uids += instance.insidePath();
    subPlan = s.uid;
  });
  if (!subPlan.empty()) nodes = &document.findSubPlan(subPlan)->nodes;
  for (Node& node : *nodes)
    if (uids + node.uid == openedUid) return &node;
  return nullptr;
}

Link linkHere(const Plan& here, const OpenedPlan& opened, const Link& link) {
  if (link.isEmpty() || here.find(link.node)) return link;
  const auto isIt = [&](const Link& l) { return l.node == link.node && l.output == link.output; };
  for (const auto& [uid, instance] : opened.instances) {
    const Node* node = here.find(uid);
    for (std::size_t k = 0; node && k < instance.outputs.size(); ++k)
      if (isIt(instance.outputs[k])) return {uid, node->made.kind->outputs[k].id, link.slot};
  }
  for (const auto& [uid, links] : opened.ways)
    if (here.find(uid) && std::any_of(links.begin(), links.end(), isIt)) return {uid, kWayValue, link.slot};
  return {};
}

std::set<std::string> takenUids(const Plan& document) {
  std::set<std::string> out;
  for (const Node& node : document.nodes) out.insert(node.uid);
  for (const SubPlan& s : document.subPlans)
    for (const Node& node : s.nodes) out.insert(node.uid);
  if (document.subPlans.empty()) return out;
  const OpenedPlan opened = openPlan(document, Quality::Final);
  for (const Node& node : opened.plan.nodes) out.insert(node.uid);
  for (const auto& [uid, links] : opened.ways) out.insert(uid);
  return out;
}

}  // namespace arvesk
