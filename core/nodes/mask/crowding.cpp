// Crowding mask: how many points lie near.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/mask/references.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  float radius = 2;
  bool isFromAbove = false;
  bool isSoft = false;
  Band band{0, 3, 1000, 1000};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  return Outputs{makeCrowdingMask(referredPoints(in, "points"), p.radius, p.isFromAbove, p.isSoft, p.band, p)};
}

std::string sentence(const Params& p) { return fmt::format("{:g} or more within {:g} m", p.band.fullFrom, p.radius); }

}  // namespace

const NodeKind& crowding() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "crowding";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Crowding");
    k.help = ARVESK_TEXT(
        "node", "How many of the connected points lie within a radius, through a band. A point does not count itself.");
    k.glyph = "crowding";
    k.synonyms = {"density", "neighbors", "count", "dense", "sparse"};
    InputSpec points = referredPointsInput("points", ARVESK_TEXT("node", "Points"),
                                           ARVESK_TEXT("node", "The points that are counted."));
    points.isOptional = false;
    k.inputs = {points};
    k.outputs = {maskOutput()};
    k.params = {
        param("radius", &Params::radius, ARVESK_TEXT("node", "Radius"), ARVESK_TEXT("node", "How far is counted."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.1, 20, 0.1),
        param("band", &Params::band, ARVESK_TEXT("node", "Count"),
              ARVESK_TEXT("node", "Soft range of counts: fade-in start, full from, full to, fade-out end."))
            .hard(0, 1e6)
            .usual(0, 30, 1),
        param("from_above", &Params::isFromAbove, ARVESK_TEXT("node", "From above"),
              ARVESK_TEXT("node", "Distances as seen from above; else in three dimensions.")),
        param("soft", &Params::isSoft, ARVESK_TEXT("node", "Softly"),
              ARVESK_TEXT("node",
                          "What is near counts more: 1 at the place itself, less with distance, 0 at the radius. Else "
                          "all within it count 1.")),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"radius", 2.8}, {"band", std::vector<double>{0, 3, 40, 60}}};
    k.example.patchSpacing = 2.6;
    reaches<Params>(k, [](const Params& p) { return Reach::within(static_cast<double>(p.radius)); });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
