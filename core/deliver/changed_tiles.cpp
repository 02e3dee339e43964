#include "core/deliver/changed_tiles.h"

#include "core/formats/plan_file.h"
#include "core/plan/parts.h"

#include <algorithm>

namespace arvesk {
namespace {

using Places = std::map<std::string, std::vector<Box3>>;  // by uid of the node whose values differ there

bool isByHand(const ParamSpec& spec) { return spec.type == ParamType::Points || spec.type == ParamType::Strokes; }

bool differs(const NodeKind& kind, const Node& before, const Node& now) {
  return std::any_of(kind.params.begin(), kind.params.end(),
                     [&](const ParamSpec& spec) { return isByHand(spec) && before.value(spec) != now.value(spec); });
}

/// Without what hands put down and painted, where the kind can tell where that is.
Plan withoutHands(Plan plan) {
  for (Node& node : plan.nodes)
    if (const NodeKind* kind = kindOf(node); kind && kind->differsAt)
      for (const ParamSpec& spec : kind->params)
        if (isByHand(spec)) node.params.erase(spec.id);
  return plan;
}

/// Where the node gives something else than with its earlier values; nothing where that is not known. Points and masks
/// that come in are not looked at: the nodes before it would have to be worked out for them.
Result<std::optional<std::vector<Box3>>> placesOf(Session& session, const TileOrder& order, const Node& before,
                                                  const Node& node, const Task& task) {
  const NodeKind& kind = *kindOf(node);
  std::vector<std::string> sources;
  for (const InputSpec& input : kind.inputs) {
    const auto links = node.inputs.find(input.id);
    if (links == node.inputs.end() || input.takes(ValueType::Points) || input.takes(ValueType::Mask)) continue;
    for (const Link& link : links->second)
      if (!link.isEmpty()) sources.push_back(link.node);
  }
  EvalContext ctx = contextOf(session.plan(), node);
  ctx.task = task;
  ctx.limits = order.limits;
  ctx.files = &session.files();
  Evaluation evaluation;
  ctx.props = &evaluation.props;
  if (sources.empty())
    return kind.differsAt(ctx, inputsOf(session.plan(), evaluation, node), before.params, node.params);
  auto made = session.evaluated(session.plan(), order.quality, order.limits, task, sources);
  if (!made) return Failure(made.error());
  evaluation = std::move(*made);
  const Node* opened = evaluation.opened->plan.find(node.uid);
  if (!opened) return std::nullopt;
  const Inputs inputs = inputsOf(evaluation.opened->plan, evaluation, *opened);
  for (const InputSpec& input : kind.inputs) {
    if (input.takes(ValueType::Points) || input.takes(ValueType::Mask)) continue;
    for (const Inputs::Link& link : inputs.many(input.id))
      if (link.isEmpty()) return std::nullopt;  // its ground is missing: every tile says so
  }
  return kind.differsAt(ctx, inputs, before.params, node.params);
}

/// Where the session's plan differs from an earlier one by what hands did; nothing where they differ in other ways too.
Result<std::optional<Places>> differences(Session& session, const TileOrder& order, const Plan& before,
                                          const TileGrid& grid, const Task& task) {
  const Plan& now = session.plan();
  const auto keyOf = [&](const Plan& plan) { return tileKeyOf(withoutHands(plan), session.files(), order, grid); };
  if (keyOf(before) != keyOf(now)) return std::nullopt;
  Places out;
  for (const Node& node : now.nodes) {
    const Node* old = before.find(node.uid);
    const NodeKind* kind = kindOf(node);
    if (!old || !kind || !kind->differsAt || !differs(*kind, *old, node)) continue;
    auto places = placesOf(session, order, *old, node, task);
    if (!places) return Failure(places.error());
    if (!*places) return std::nullopt;
    out[node.uid] = std::move(**places);
  }
  return out;
}

}  // namespace

Result<std::optional<std::size_t>> keepUnchanged(Session& session, const TileOrder& order, const TileGrid& grid,
                                                 const std::string& key, const Task& task) {
  const auto collected = collectedPlan(order);
  if (!collected || collected->key == key) return std::nullopt;
  auto before = parsePlan(collected->plan, session.plan().path);
  if (!before) return std::nullopt;
  before->path = session.plan().path;
  before->frame = session.plan().frame;
  if (tileKeyOf(*before, session.files(), order, grid) != collected->key) return std::nullopt;  // files changed, too
  const auto places = differences(session, order, *before, grid, task);
  if (!places) return Failure(places.error());
  if (!*places) return std::nullopt;
  const OpenedPlan opened = openPlan(session.plan(), order.quality);
  std::size_t changing = 0;
  for (std::size_t t = 0; t < grid.count(); ++t) {
    auto record = tileRecord(order, grid.nameOf(t), collected->key);
    if (!record || record->state == TileRecord::State::Failed) continue;  // it is made in any case
    const auto parts = neededParts(opened.plan, {}, grid.partOf(t), record->wider);
    const bool isChanged = std::any_of((*places)->begin(), (*places)->end(), [&](const auto& there) {
      const auto part = parts.find(there.first);
      return part != parts.end() && std::any_of(there.second.begin(), there.second.end(),
                                                [&](const Box3& box) { return part->second.meets(box); });
    });
    changing += isChanged;
    if (isChanged) continue;
    record->key = key;
    if (auto ok = writeRecord(order, *record); !ok) return Failure(ok.error());
  }
  return std::optional(changing);
}

}  // namespace arvesk
