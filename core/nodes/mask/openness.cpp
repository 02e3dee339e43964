// Openness mask: how much of the sky a place sees.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/mask/references.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class About { Up, Normal };
struct Params : MaskFinish {
  About about = About::Up;
  float reach = 20;
  int rays = 64;
  Band band{0.2F, 0.8F, 1, 1};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  return Outputs{makeOpennessMask(in.surface(), referredPoints(in, "placements"), p.rays, p.reach,
                                  p.about == About::Normal, p.band, p, ctx.task)};
}

std::string sentence(const Params& p) { return fmt::format("sees {:g} of the sky", p.band.fullFrom); }

}  // namespace

const NodeKind& openness() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "openness";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Openness");
    k.help = ARVESK_TEXT(
        "node",
        "The share of the sky that a place sees, from 0 in a deep cleft to 1 in the open, through a band: rays over "
        "the half ball about world up (or about the normal), cosine-weighted, stopped by the ground and by connected "
        "placements within a reach. Placements without props count as balls of their footprint.");
    k.glyph = "openness";
    k.synonyms = {"occlusion", "sky", "shade", "shelter", "light", "cavity"};
    k.inputs = {groundInput(false), referredPointsInput("placements", ARVESK_TEXT("node", "Placements"),
                                                        ARVESK_TEXT("node", "What stands there and hides the sky."))};
    k.outputs = {maskOutput()};
    k.params = {
        param("band", &Params::band, ARVESK_TEXT("node", "Openness"),
              ARVESK_TEXT("node", "Soft range of the share of sky: fade-in start, full from, full to, fade-out end."))
            .hard(0, 1)
            .usual(0, 1, 0.01),
        param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
              ARVESK_TEXT("node", "How far away something may hide the sky."))
            .in(Unit::Meter)
            .hard(0.01, 1e5)
            .usual(0.5, 100, 0.5),
        param("about", &Params::about, ARVESK_TEXT("node", "Sky around"),
              ARVESK_TEXT("node", "The half ball about world up, or about the place's normal."),
              {{"up", ARVESK_TEXT("node", "World up")}, {"normal", ARVESK_TEXT("node", "The normal")}}),
        param("rays", &Params::rays, ARVESK_TEXT("node", "Rays"),
              ARVESK_TEXT("node", "More rays make finer steps and take longer."))
            .hard(4, 1024)
            .usual(16, 256, 1),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{0.84, 0.985, 1, 1}}, {"reach", 12.0}};
    reaches<Params>(k, [](const Params& p) { return Reach::within(static_cast<double>(p.reach)); });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
