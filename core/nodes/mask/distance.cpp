// Distance mask: how far the nearest of some points, or a surface, is.
#include "core/masks/place_masks.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/mask/references.h"
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

enum class To { Centers, Footprints };
enum class SurfacePart { Faces, OpenEdges };
struct Params : MaskFinish {
  To to = To::Footprints;
  Footprint room = Footprint::Spread;
  SurfacePart part = SurfacePart::Faces;
  bool isFromAbove = false;
  float far = 1000;
  Band band{0, 0, 2, 6};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const SurfacePtr surface = in.surface("surface");
  const std::vector<PointsPtr> points = referredPoints(in, "points", p.room);
  if (points.empty() && !surface)
    ctx.warn("nothing to measure from is connected; every place counts as far", "Connect points or a surface");
  const DistanceRule rule{p.isFromAbove, p.to == To::Footprints, p.part == SurfacePart::OpenEdges};
  return Outputs{makeDistanceMask(points, surface, rule, p.far, p.band, p, ctx.task)};
}

/// Full up to the rim of all of the prop, fading over as much again: from its middle, or from the rim of its base. From
/// the rim of all of it, full as far out as the prop is wide.
std::optional<Band> bandForProps(const Inputs& in, const ParamMap& values) {
  float base = 0;
  float spread = 0;
  std::size_t count = 0;
  for (const PointsPtr& points : referredPoints(in, "points"))
    for (std::size_t i = 0; i < points->count && points->kit; ++i) {
      if (points->prop[i] == kNoProp) continue;
      const Prop& prop = *points->kit->entries[static_cast<std::size_t>(points->prop[i])].prop;
      const float size = std::max(std::abs(points->size[i].x), std::abs(points->size[i].z));
      base += baseOf(prop) * size;
      spread += prop.footprint * size;
      ++count;
    }
  if (count == 0) return std::nullopt;
  const auto isChosen = [&](const char* param, const char* option) {
    const auto it = values.find(param);
    return it != values.end() && it->second == ParamValue(std::string(option));
  };
  const auto rounded = [&](float sum) { return std::round(100 * sum / static_cast<float>(count)) / 100; };
  base = rounded(base);
  spread = std::max(base, rounded(spread));
  const bool isFromBase = !isChosen("to", "centers") && isChosen("footprint_is", "base");
  const float full = isFromBase ? spread - base : spread;
  return Band{0, 0, full, full + std::max(0.1F, spread)};
}

std::string sentence(const Params& p) { return rangeWords(p.band, " m") + " away"; }

}  // namespace

const NodeKind& distance() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "distance";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Distance");
    k.help = ARVESK_TEXT(
        "node",
        "The distance in m to the nearest of the connected points and to the connected surface, whichever "
        "is nearer, through a band; in space, so also between what floats, hangs or fills a volume. "
        "To points it is measured to their centers or to the rim of their "
        "footprints (0 inside). With nothing to measure from, every place has the far value.");
    k.glyph = "distance";
    k.synonyms = {"near", "close", "proximity", "edge", "falloff"};
    k.inputs = {referredPointsInput("points", ARVESK_TEXT("node", "Points"),
                                    ARVESK_TEXT("node", "Distance to the nearest of these.")),
                {"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "Distance to the nearest place of this."), true, false}};
    k.outputs = {maskOutput()};
    k.bandForProps = &bandForProps;
    k.params = {
        param("band", &Params::band, ARVESK_TEXT("node", "Distance"),
              ARVESK_TEXT("node", "Soft range in m: fade-in start, full from, full to, fade-out end."))
            .in(Unit::Meter)
            .hard(0, 1e5)
            .usual(0, 50, 0.1),
        param("to", &Params::to, ARVESK_TEXT("node", "To points'"),
              ARVESK_TEXT("node", "Centers, or the rim of their footprints."),
              {{"centers", ARVESK_TEXT("node", "Centers")}, {"footprints", ARVESK_TEXT("node", "Footprints")}}),
        footprintIs("footprint_is", &Params::room).shown("to", {"footprints"}),
        param("part", &Params::part, ARVESK_TEXT("node", "To surface's"),
              ARVESK_TEXT("node", "Faces, or its open edges only."),
              {{"faces", ARVESK_TEXT("node", "Faces")}, {"open-edges", ARVESK_TEXT("node", "Open edges")}}),
        param("from_above", &Params::isFromAbove, ARVESK_TEXT("node", "From above"),
              ARVESK_TEXT("node", "Distances as seen from above; else in three dimensions.")),
        param("far", &Params::far, ARVESK_TEXT("node", "Far value"),
              ARVESK_TEXT("node", "The distance where nothing is found, and the farthest that is looked."))
            .in(Unit::Meter)
            .hard(0.001, 1e6)
            .usual(1, 1000, 1),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{0, 0, 0.6, 2.2}}};
    k.example.patchSpacing = 5;
    k.example.joins = {"points"};
    reaches<Params>(k, [](const Params& p) {
      return Reach::within(static_cast<double>(std::min(p.far, p.band.fadeOut)), p.to == To::Footprints ? 1 : 0);
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
