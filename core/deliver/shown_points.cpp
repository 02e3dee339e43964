#include "core/deliver/shown_points.h"

#include <algorithm>
#include <set>

namespace arvesk {
namespace {

/// Collects links, each once: two outputs may show what one link gives.
struct Collecting {
  const Plan& plan;
  const Evaluation& evaluation;
  std::vector<ShownSource> out;

  void offer(const Link& link, std::function<bool(std::uint64_t)> isMeant) {
    const Node* node = plan.find(link.node);
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (!kind) return;
    if (kind->id == "merge" && !node->isSkipped) return offerInputs(*node, isMeant);
    const PointsPtr points = pointsAt(plan, evaluation, link);
    if (!points) return;
    const auto known = std::find_if(out.begin(), out.end(), [&](const ShownSource& s) {
      return s.link.node == link.node && s.link.output == link.output;
    });
    if (known == out.end())
      out.push_back({link, node, points, std::move(isMeant)});
    else
      known->isMeant = [before = known->isMeant, also = std::move(isMeant)](std::uint64_t id) {
        return before(id) || also(id);
      };
  }

  /// Of an output or a Merge, which call points by the place that they come in by.
  void offerInputs(const Node& node, const std::function<bool(std::uint64_t)>& isMeant) {
    const auto links = node.inputs.find(kindOf(node)->inputs.front().id);
    if (links == node.inputs.end()) return;
    for (const Link& link : links->second)
      if (!link.isEmpty())
        offer(link, [ctx = contextOf(plan, node), slot = hashText(link.slot), isMeant](std::uint64_t id) {
          return isMeant(ctx.idOf(slot, id));
        });
  }
};

}  // namespace

const Link* firstLink(const Node& node, const std::string& input) {
  const auto it = node.inputs.find(input);
  if (it == node.inputs.end()) return nullptr;
  const auto first = std::find_if(it->second.begin(), it->second.end(), [](const Link& l) { return !l.isEmpty(); });
  return first == it->second.end() ? nullptr : &*first;
}

PointsPtr pointsAt(const Plan& plan, const Evaluation& evaluation, const Link& link) {
  const Node* node = plan.find(link.node);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const int output = kind ? kind->outputIndex(link.output) : -1;
  const auto values = evaluation.values.find(link.node);
  if (output < 0 || values == evaluation.values.end() || values->second.size() <= static_cast<std::size_t>(output))
    return nullptr;
  const auto* points = std::get_if<PointsPtr>(&values->second[static_cast<std::size_t>(output)]);
  return points ? *points : nullptr;
}

std::vector<ShownSource> sourcesOf(const Plan& plan, const Evaluation& evaluation, const ShownPoints& shown) {
  Collecting found{plan, evaluation, {}};
  for (const auto& entry : shown) {
    const Node* node = plan.find(entry.first);
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (!kind || kind->outputs.empty()) continue;
    if (kind->isLayer)
      found.offerInputs(*node, entry.second);
    else
      found.offer({entry.first, kind->outputs.front().id, {}}, entry.second);
  }
  return std::move(found.out);
}

std::pair<const Node*, Link> groundAbove(const Plan& plan, std::string uid) {
  for (std::set<std::string> seen; seen.insert(uid).second;) {
    const Node* node = plan.find(uid);
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (!kind) break;
    if (const Link* link = kind->groundFrom.empty() ? nullptr : firstLink(*node, kind->groundFrom))
      return {node, *link};
    const Link* before = kind->inputs.empty() || kind->inputs.front().type != ValueType::Points
                             ? nullptr
                             : firstLink(*node, kind->inputs.front().id);
    if (!before) break;
    uid = before->node;
  }
  return {};
}

void insertBehind(Plan& plan, const Link& from, Node node, const std::string& groundInput, const Link& ground) {
  const NodeKind& kind = *kindOf(node);
  for (Node& other : plan.nodes)
    for (auto& [id, links] : other.inputs)
      for (Link& link : links)
        if (link.node == from.node && link.output == from.output) {
          link.node = node.uid;
          link.output = kind.outputs.front().id;
        }
  node.inputs[kind.inputs.front().id] = {{from.node, from.output, newUid()}};
  if (!ground.isEmpty()) node.inputs[groundInput] = {{ground.node, ground.output, newUid()}};
  plan.nodes.push_back(std::move(node));
}

}  // namespace arvesk
