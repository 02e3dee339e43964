// Dress: gives each point a prop.
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class CommonHeight { AsMade, Meters, Tallest };
struct Params {
  CommonHeight commonHeight = CommonHeight::AsMade;
  float height = 1;
};

/// Weighted rendezvous (Thaler and Ravishankar 1998; weights after Schindelhauer and Schomaker 2005): the prop with the smallest
/// −ln(u)/weight wins, u drawn by point and prop. Adding a prop moves points only to it; removing one moves only its own.
std::int32_t chosen(const Kit& kit, const Draw& draw, const std::vector<std::uint64_t>& propKeys, std::uint64_t pointId) {
  std::int32_t best = kNoProp;
  float bestScore = std::numeric_limits<float>::infinity();
  for (std::size_t k = 0; k < kit.entries.size(); ++k) {
    if (!(kit.entries[k].weight > 0)) continue;
    const float u = std::max(draw.unit(pointId ^ propKeys[k]), 0x1p-25F);
    const float score = -std::log(u) / kit.entries[k].weight;
    if (score < bestScore) {
      bestScore = score;
      best = static_cast<std::int32_t>(k);
    }
  }
  return best;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const KitPtr kit = in.kit();
  std::vector<std::uint64_t> propKeys;
  std::vector<float> factors;
  float tallest = 0;
  for (const KitEntry& e : kit->entries) tallest = std::max(tallest, e.prop->height);
  for (const KitEntry& e : kit->entries) {
    propKeys.push_back(hashText(e.prop->uid));
    const float wanted = p.commonHeight == CommonHeight::Meters ? p.height : tallest;
    const bool isFlat = e.prop->height < 1e-5F;
    if (isFlat && p.commonHeight != CommonHeight::AsMade) ctx.warn(fmt::format("{} has no height and keeps its size", e.prop->name));
    factors.push_back(p.commonHeight == CommonHeight::AsMade || isFlat ? 1.0F : wanted / e.prop->height);
  }
  const Draw draw = ctx.draw("prop");
  Array<std::int32_t> prop(points.count);
  Array<float> footprint(points.count);
  Array<Vec3> size = points.size.copied(points.count);
  parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      prop[i] = chosen(*kit, draw, propKeys, points.id[i]);
      footprint[i] = points.footprint[i];
      if (prop[i] == kNoProp) continue;
      const auto k = static_cast<std::size_t>(prop[i]);
      footprint[i] = kit->entries[k].prop->footprint;
      size[i] *= factors[k];
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = points;
  out.kit = kit;
  out.prop = std::move(prop);
  out.footprint = std::move(footprint);
  out.size = std::move(size);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  if (p.commonHeight == CommonHeight::Meters) return fmt::format("Dress · by chance, {:g} m high", p.height);
  return p.commonHeight == CommonHeight::Tallest ? "Dress · by chance, all as the tallest" : "Dress · by chance";
}

}  // namespace

const NodeKind& dress() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "dress";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "Dress");
    k.help = ARVESK_TEXT("node", "Gives each point a prop of the kit by weighted chance. A point keeps its prop when others come or go; adding a prop to the kit moves points only to it, removing one moves only its own. "
                                 "The point's footprint becomes the prop's, from its geometry. Common height scales all props to one height, by multiplying the points' size.");
    k.glyph = "dress";
    k.synonyms = {"instance", "assign", "props", "place", "populate"};
    k.inputs = {pointsInput(), {"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit"), ARVESK_TEXT("node", "The props to choose from."), false, false}};
    k.outputs = {pointsOutput()};
    k.params = {
        param("common_height", &Params::commonHeight, ARVESK_TEXT("node", "Height"), ARVESK_TEXT("node", "As made, one height for all, or all as high as the tallest."),
              {{"as-made", ARVESK_TEXT("node", "As made")}, {"meters", ARVESK_TEXT("node", "In meters")}, {"tallest", ARVESK_TEXT("node", "As the tallest")}}),
        param("height", &Params::height, ARVESK_TEXT("node", "Common height"), ARVESK_TEXT("node", "Height of every prop at size 1.")).in(Unit::Meter).hard(0.001, 1e4).usual(0.1, 20, 0.1).shown("common_height", {"meters"}),
    };
    k.usesSeed = true;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
