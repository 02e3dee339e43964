// Hollows mask: dips and ridges of the ground.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  float radius = 2;
  int samples = 24;
  Band band{0, 0.05F, 2, 2};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  return Outputs{makeHollowsMask(in.surface(), p.radius, p.samples, p.band, p)};
}

std::string sentence(const Params& p) {
  return fmt::format("{} {:g} m wide",
                     p.band.fullTo <= 0     ? "ridges"
                     : p.band.fullFrom >= 0 ? "hollows"
                                            : "hollows and ridges",
                     2 * p.radius);
}

}  // namespace

const NodeKind& hollows() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "hollows";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Hollows");
    k.help = ARVESK_TEXT(
        "node",
        "The mean height of the ground within a radius minus the place's own, along its normal, over the radius, "
        "through a band: above 0 is a hollow, below 0 a ridge, 0 is flat or evenly sloped.");
    k.glyph = "hollows";
    k.synonyms = {"curvature", "concave", "convex", "ridge", "valley", "cavity"};
    k.inputs = {groundInput(false)};
    k.outputs = {maskOutput()};
    k.params = {
        param("radius", &Params::radius, ARVESK_TEXT("node", "Radius"),
              ARVESK_TEXT("node", "How large the hollows are."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.1, 20, 0.1),
        param("band", &Params::band, ARVESK_TEXT("node", "Hollow"),
              ARVESK_TEXT("node", "Soft range: fade-in start, full from, full to, fade-out end; below 0 for ridges."))
            .hard(-2, 2)
            .usual(-0.5, 0.5, 0.01),
        param("samples", &Params::samples, ARVESK_TEXT("node", "Samples"),
              ARVESK_TEXT("node", "At how many places of the disk the ground is looked up."))
            .hard(4, 512)
            .usual(8, 64, 1),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"radius", 1.5}, {"band", std::vector<double>{0.0, 0.08, 1, 1}}};
    reaches<Params>(k, [](const Params& p) { return Reach::within(std::sqrt(5.0) * static_cast<double>(p.radius)); });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
