// Depth mask: how deep in a volume a place lies.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

enum class Of { Depth, Density };
struct Params : MaskFinish {
  Of of = Of::Depth;
  Band band{0, 0.1F, 1e5F, 1e5F};
  Band densityBand{0, 0.3F, 999, 999};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const VolumePtr volume = in.volume();
  if (p.of == Of::Density) {
    DensityPtr density = volume->density(ctx.task);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    if (!density)
      return fail(ProblemCode::WrongInput, "the volume has no density: it is a body",
                  "Choose Depth, or connect mist or a file that holds a density");
    return Outputs{makeDensityMask(std::move(density), p.densityBand, p)};
  }
  auto depth = depthOf(volume, ctx.task);
  if (!depth) return Failure(cancelled());
  return Outputs{makeDepthMask(volume, std::move(depth), p.band, p)};
}

std::string sentence(const Params& p) {
  if (p.of == Of::Density)  // nothing that is looked through gets that dense
    return rangeWords(p.densityBand.fullFrom, p.densityBand.fullTo >= 999 ? 1e5F : p.densityBand.fullTo, " per m") +
           " dense";
  return rangeWords(p.band, " m") + " deep";
}

}  // namespace

const NodeKind& depth() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "depth";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Depth");
    k.help = ARVESK_TEXT(
        "node",
        "How deep a place lies under the skin of a volume, in m, through a band; outside depths are "
        "below 0. To let more stay near the skin than inside, or the other way round. Of mist and other "
        "densities it may be how dense they are there.");
    k.glyph = "depth";
    k.synonyms = {"volume", "inside", "skin", "core", "distance", "density"};
    k.inputs = {volumeInput(ARVESK_TEXT("node", "Under whose skin depth is measured."))};
    k.outputs = {maskOutput()};
    k.params = {param("of", &Params::of, ARVESK_TEXT("node", "Measures"),
                      ARVESK_TEXT("node", "Depth under the skin, or how dense the volume is there."),
                      {{"depth", ARVESK_TEXT("node", "Depth")}, {"density", ARVESK_TEXT("node", "Density")}}),
                param("band", &Params::band, ARVESK_TEXT("node", "Depth"),
                      ARVESK_TEXT("node", "Soft range in m: fade-in start, full from, full to, fade-out end."))
                    .in(Unit::Meter)
                    .hard(-1e5, 1e5)
                    .usual(-1, 5, 0.01)
                    .shown("of", {"depth"}),
                param("density_band", &Params::densityBand, ARVESK_TEXT("node", "Density"),
                      ARVESK_TEXT("node", "Soft range per m: fade-in start, full from, full to, fade-out end."))
                    .in(Unit::PerMeter)
                    .hard(0, 1e4)
                    .usual(0, 1, 0.01)
                    .shown("of", {"density"})};
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{-4.5, -0.6, 10, 10}}};
    // The skin that is nearest may lie anywhere.
    reaches<Params>(k, [](const Params&) { return Reach::whole(false); });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
