#include "core/plan/draft.h"

#include "core/plan/plan_index.h"

#include <algorithm>

namespace arvesk {

std::set<std::string> thinnableNodes(const Plan& plan) {
  // Everything is, until something that looks at others takes from it; what that takes from is whole as well.
  std::set<std::string> whole;
  std::vector<std::string> open;
  const auto makeWhole = [&](const std::string& uid) {
    if (whole.insert(uid).second) open.push_back(uid);
  };
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    if (!kind) continue;
    const bool takesAll = !node.isSkipped && kind->takesAll(node.params);
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* spec = kind->findInput(id);
      const bool isMain = spec == &kind->inputs.front();
      if (node.isSkipped && !(isMain && passesMain(*kind))) continue;  // nobody looks there
      if (spec && spec->isPerPoint && !takesAll) continue;
      if (node.isSkipped) continue;
      for (const Link& link : links) makeWhole(link.node);
    }
  }
  const PlanIndex index(plan);
  while (!open.empty()) {
    const Node* node = index.find(open.back());
    open.pop_back();
    if (!node) continue;
    for (const auto& [id, links] : node->inputs)
      for (const Link& link : links) makeWhole(link.node);
  }
  std::set<std::string> thinnable;
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    const bool hasPoints = kind && (std::any_of(kind->outputs.begin(), kind->outputs.end(),
                                                [](const OutputSpec& o) { return o.type == ValueType::Points; }) ||
                                    std::any_of(kind->inputs.begin(), kind->inputs.end(),
                                                [](const InputSpec& i) { return i.isPerPoint; }));
    if (hasPoints && !whole.contains(node.uid)) thinnable.insert(node.uid);
  }
  return thinnable;
}

PointsPtr draftOf(const PointsPtr& points, float share) {
  if (!points || share >= 1) return points;
  if (points->draftLevel.isConstant() && points->draftLevel.constant() == 0) return points;
  Array<std::uint32_t> kept;
  for (std::size_t i = 0; i < points->count; ++i)
    if (points->isInDraft(i, share)) kept.push_back(static_cast<std::uint32_t>(i));
  if (kept.size() == points->count) return points;
  return std::make_shared<const Points>(gathered(*points, kept));
}

}  // namespace arvesk
