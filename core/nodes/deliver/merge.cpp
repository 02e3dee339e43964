// Merge: several sets of points as one.
#include "core/nodes/deliver/merge.h"

#include "core/geometry/joined.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const ParamMap&) {
  auto points = merged(ctx, in.many("points"));
  if (!points) return Failure(points.error());
  return Outputs{std::move(*points)};
}

}  // namespace

Result<PointsPtr> merged(const EvalContext& ctx, const std::vector<Inputs::Link>& links) {
  std::vector<const Points*> parts;
  std::vector<std::uint64_t> slots;
  for (const Inputs::Link& link : links) {
    const auto* points = std::get_if<PointsPtr>(&link.value);
    if (!points || !*points) continue;  // an empty place
    parts.push_back(points->get());
    slots.push_back(link.slotUid);
  }
  // Every input by its place, the first one too: what one of them does changes no id of another.
  return oneAfterTheOther(ctx, parts,
                          [&](std::size_t k, std::size_t i) { return ctx.idOf(slots[k], parts[k]->id[i]); });
}

Result<PointsPtr> oneAfterTheOther(const EvalContext& ctx, const std::vector<const Points*>& parts,
                                   const std::function<std::uint64_t(std::size_t part, std::size_t i)>& idOf) {
  std::size_t total = 0;
  for (const Points* part : parts) total += part->count;
  if (auto ok = guardPoints(ctx, static_cast<double>(total), "Merge fewer points"); !ok) return Failure(ok.error());
  PointsPtr out = arvesk::oneAfterTheOther(ctx.task, parts, idOf);
  if (!out) return Failure(cancelled());
  return out;
}

const NodeKind& merge() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "merge";
    k.example.spacing = 2.2;
    k.family = Family::Deliver;
    k.label = ARVESK_TEXT("node", "Merge");
    k.help = ARVESK_TEXT("node",
                         "Puts several sets of points together, one after the other; attributes are united. Ids go by "
                         "each input's own place at this node, so that skipping or unlinking one changes nothing of "
                         "the others.");
    k.glyph = "merge";
    k.synonyms = {"join", "combine", "add", "union"};
    k.inputs = {{"points",
                 ValueType::Points,
                 ARVESK_TEXT("node", "Points"),
                 ARVESK_TEXT("node", "Sets of points, in order."),
                 false,
                 true,
                 {},
                 true}};
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    keepsSizes(k);
    k.evaluate = &evaluate;
    k.sentence = [](const ParamMap&) { return std::string("Merge"); };
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
