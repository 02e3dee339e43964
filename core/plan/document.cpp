#include "core/plan/document.h"

#include "core/plan/dials.h"

#include "core/plan/plan_index.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>
#include <set>

namespace arvesk {

const NodeKind* kindOf(const Node& node) { return node.made.kind ? node.made.kind.get() : findNodeKind(node.kind); }

Problem unknownKind(const Node& node) {
  if (node.isInstance())
    return problem(ProblemCode::UnknownKind, fmt::format("its sub-plan ({}) is not in the plan", node.subPlan),
                   "Take the node out, or paste it anew from where the sub-plan is");
  return problem(ProblemCode::UnknownKind, fmt::format("the kind \"{}\" is not known here", node.kind),
                 "Open the plan with the version that wrote it; saving keeps the node");
}

const Node* Plan::find(const std::string& uid) const {
  const auto it = std::find_if(nodes.begin(), nodes.end(), [&](const Node& n) { return n.uid == uid; });
  return it == nodes.end() ? nullptr : &*it;
}
Node* Plan::find(const std::string& uid) { return const_cast<Node*>(std::as_const(*this).find(uid)); }

PaperItem* Plan::findPaper(const std::string& uid) {
  return const_cast<PaperItem*>(std::as_const(*this).findPaper(uid));
}
const PaperItem* Plan::findPaper(const std::string& uid) const {
  const auto it = std::find_if(paper.begin(), paper.end(), [&](const PaperItem& i) { return i.uid == uid; });
  return it == paper.end() ? nullptr : &*it;
}

const PropEntry* Plan::findProp(const std::string& uid) const {
  const auto it = std::find_if(props.begin(), props.end(), [&](const PropEntry& p) { return p.uid == uid; });
  return it == props.end() ? nullptr : &*it;
}

const SubPlan* Plan::findSubPlan(const std::string& uid) const {
  const auto it = std::find_if(subPlans.begin(), subPlans.end(), [&](const SubPlan& s) { return s.uid == uid; });
  return it == subPlans.end() ? nullptr : &*it;
}
SubPlan* Plan::findSubPlan(const std::string& uid) {
  return const_cast<SubPlan*>(std::as_const(*this).findSubPlan(uid));
}

std::string newUid() {
  static std::random_device device;
  return fmt::format("{:08x}{:08x}", device(), device());
}

void tidyPlaces(Plan& plan) {
  const auto tidy = [](std::vector<Node>& nodes) {
    for (Node& node : nodes) {
      for (auto& [id, links] : node.inputs)
        while (!links.empty() && links.back().isEmpty()) links.pop_back();
      std::erase_if(node.inputs, [](const auto& input) { return input.second.empty(); });
    }
  };
  tidy(plan.nodes);
  for (SubPlan& s : plan.subPlans) tidy(s.nodes);
}

bool wouldLoop(const Plan& plan, const std::string& from, const std::string& to) {
  const PlanIndex index(plan);
  std::unordered_set<const Node*> seen;
  std::vector<const Node*> open;
  const auto look = [&](const Node* node) {
    if (node && seen.insert(node).second) open.push_back(node);
  };
  look(index.find(from));
  while (!open.empty()) {
    const Node* node = open.back();
    open.pop_back();
    if (node->uid == to) return true;
    for (const Node* source : sourcesOf(index, *node)) look(source);
  }
  return false;
}

/// Walks up while nodes pass on what they get; what lies on a loop has the type that its kind declares.
std::optional<ValueType> outputType(const PlanIndex& index, Link link) {
  std::unordered_set<const Node*> seen;
  std::optional<ValueType> declared;
  for (;;) {
    const Node* node = index.find(link.node);
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    const int at = kind ? kind->outputIndex(link.output) : -1;
    if (at < 0) return {};
    const OutputSpec& output = kind->outputs[static_cast<std::size_t>(at)];
    declared = output.type;
    if (const ParamSpec* said = output.typeParam.empty() ? nullptr : kind->findParam(output.typeParam))
      for (const ValueType type : kValueTypes)
        if (node->value(*said) == ParamValue(std::string(valueTypeName(type)))) return type;
    const auto same = node->inputs.find(output.sameAs);
    if (output.sameAs.empty() || same == node->inputs.end() || !seen.insert(node).second) return declared;
    const auto from = std::find_if(same->second.begin(), same->second.end(),
                                   [](const Link& l) { return !l.isEmpty(); });
    if (from == same->second.end()) return declared;
    link = *from;
  }
}

std::optional<ValueType> outputType(const Plan& plan, const Link& link) { return outputType(PlanIndex(plan), link); }

Moment momentOf(const Plan& plan) {
  const auto& time = plan.settings.time;
  Moment now;
  now.frame = plan.frame.value_or(time ? time->first : 1);
  if (!time) return now;
  const double since = now.frame - time->first;
  now.seconds = since / time->rate;
  now.phase = since / (time->last - time->first + 1);
  now.rate = time->rate;
  now.isOfTime = true;
  return now;
}

std::string sentenceOf(const Plan& plan, const Node& node, Quality quality) {
  const NodeKind* kind = kindOf(node);
  if (!kind) return unknownKind(node).message;
  std::string text = kind->sentence(paramsNow(plan, node, quality));
  if (const auto it = node.inputs.find("where"); it != node.inputs.end() && !it->second.empty())
    if (const Node* mask = plan.find(it->second.front().node)) text += fmt::format(" · where {}", mask->title);
  return text;
}

namespace {

/// What is wrong with the nodes of a plan, or of a sub-plan; `where` leads there.
void checkNodes(const std::vector<Node>& nodes, const PlanIndex& index, const std::string& where,
                std::vector<Problem>& problems) {
  std::set<std::string> uids;
  PlanOrder order(index);
  for (const Node& node : nodes) order.add(node);
  const auto add = [&](ProblemCode code, const Node& node, std::string message, std::string advice = {}) {
    problems.push_back(
        problem(code, std::move(message), std::move(advice), where + (node.title.empty() ? node.uid : node.title)));
  };
  for (const Node& node : nodes) {
    if (!uids.insert(node.uid).second)
      add(ProblemCode::BadParameter, node, fmt::format("the uid {} is used twice", node.uid));
    const NodeKind* kind = kindOf(node);
    if (!kind) {
      const Problem unknown = unknownKind(node);
      add(unknown.code, node, unknown.message, unknown.advice);
      continue;
    }
    if (node.version > kind->version)
      add(ProblemCode::UnknownKind, node, fmt::format("was made by a newer version of {}", kind->label),
          "Open the plan with the version that wrote it; saving keeps the node");
    for (const auto& [id, value] : node.refused)
      if (!node.params.contains(id)) add(ProblemCode::BadParameter, node, value.fault, "Set it on the Bench");
    for (const ParamSpec& spec : kind->params)
      if (std::string fault = faultOf(spec, node.value(spec)); !fault.empty())
        add(ProblemCode::BadParameter, node, std::move(fault));
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* input = kind->findInput(id);
      for (const Link& link : links) {
        if (link.isEmpty()) continue;
        const auto type = outputType(index, link);
        if (!index.find(link.node))
          add(ProblemCode::MissingInput, node,
              fmt::format("{} comes from a node that is not there ({})", id, link.node));
        else if (input && type && !input->takes(*type))
          add(ProblemCode::WrongInput, node, fmt::format("{} gets something of another type", input->label));
      }
    }
    if (order.isLooped(node)) add(ProblemCode::Loop, node, "its inputs come from itself", "Take out one of the links");
  }
}

}  // namespace

std::vector<Problem> checkPlan(const Plan& plan) {
  std::vector<Problem> problems = plan.origin.problems;
  checkNodes(plan.nodes, PlanIndex(plan), {}, problems);
  for (const SubPlan& s : plan.subPlans) {
    Plan inner;
    inner.nodes = s.nodes;
    checkNodes(inner.nodes, PlanIndex(inner), s.name + " › ", problems);
  }
  return problems;
}

}  // namespace arvesk
