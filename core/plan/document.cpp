#include "core/plan/document.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>
#include <set>

namespace arvesk {

const NodeKind* kindOf(const Node& node) { return node.madeKind ? node.madeKind.get() : findNodeKind(node.kind); }

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

std::string newUid() {
  static std::random_device device;
  return fmt::format("{:08x}{:08x}", device(), device());
}

void tidyPlaces(Plan& plan) {
  for (Node& node : plan.nodes) {
    for (auto& [id, links] : node.inputs)
      while (!links.empty() && links.back().isEmpty()) links.pop_back();
    std::erase_if(node.inputs, [](const auto& input) { return input.second.empty(); });
  }
}

bool wouldLoop(const Plan& plan, const std::string& from, const std::string& to) {
  std::set<std::string> seen;
  std::vector<std::string> open{from};
  while (!open.empty()) {
    const std::string uid = open.back();
    open.pop_back();
    if (uid == to) return true;
    if (!seen.insert(uid).second) continue;
    if (const Node* node = plan.find(uid))
      for (const auto& [id, links] : node->inputs)
        for (const Link& link : links) open.push_back(link.node);
  }
  return false;
}

namespace {

constexpr int kDeepest = 200;  // a loop of nodes that pass on what they get has no type of its own

std::optional<ValueType> outputType(const Plan& plan, const Link& link, int depth) {
  const Node* node = plan.find(link.node);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const int index = kind ? kind->outputIndex(link.output) : -1;
  if (index < 0) return {};
  const OutputSpec& output = kind->outputs[static_cast<std::size_t>(index)];
  const auto same = node->inputs.find(output.sameAs);
  if (output.sameAs.empty() || same == node->inputs.end() || depth > kDeepest) return output.type;
  for (const Link& from : same->second)
    if (!from.isEmpty()) return outputType(plan, from, depth + 1);
  return output.type;
}

}  // namespace

std::optional<ValueType> outputType(const Plan& plan, const Link& link) { return outputType(plan, link, 0); }

std::string sentenceOf(const Plan& plan, const Node& node) {
  const NodeKind* kind = kindOf(node);
  if (!kind) return fmt::format("unknown kind \"{}\"", node.kind);
  std::string text = kind->sentence(node.params);
  if (const auto it = node.inputs.find("where"); it != node.inputs.end() && !it->second.empty())
    if (const Node* mask = plan.find(it->second.front().node)) text += fmt::format(" · where {}", mask->title);
  return text;
}

std::vector<Problem> checkPlan(const Plan& plan) {
  std::vector<Problem> problems;
  std::set<std::string> uids;
  const auto add = [&](ProblemCode code, const Node& node, std::string message, std::string advice = {}) {
    problems.push_back(
        problem(code, std::move(message), std::move(advice), node.title.empty() ? node.uid : node.title));
  };
  for (const Node& node : plan.nodes) {
    if (!uids.insert(node.uid).second)
      add(ProblemCode::BadParameter, node, fmt::format("the uid {} is used twice", node.uid));
    const NodeKind* kind = kindOf(node);
    if (!kind) {
      add(ProblemCode::UnknownKind, node, fmt::format("the kind \"{}\" is not known here", node.kind),
          "Open the plan with the version that wrote it; saving keeps the node");
      continue;
    }
    if (node.version > kind->version)
      add(ProblemCode::UnknownKind, node, fmt::format("was made by a newer version of {}", kind->label),
          "Open the plan with the version that wrote it; saving keeps the node");
    for (const ParamSpec& spec : kind->params)
      if (std::string fault = faultOf(spec, node.value(spec)); !fault.empty())
        add(ProblemCode::BadParameter, node, std::move(fault));
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* input = kind->findInput(id);
      for (const Link& link : links) {
        if (link.isEmpty()) continue;
        const auto type = outputType(plan, link);
        if (!plan.find(link.node))
          add(ProblemCode::MissingInput, node,
              fmt::format("{} comes from a node that is not there ({})", id, link.node));
        else if (input && type && !input->takes(*type))
          add(ProblemCode::WrongInput, node, fmt::format("{} gets something of another type", input->label));
        else if (wouldLoop(plan, link.node, node.uid))
          add(ProblemCode::Loop, node, "its inputs come from itself", "Take out one of the links");
      }
    }
  }
  return problems;
}

}  // namespace arvesk
