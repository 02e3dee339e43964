// Depth mask: how deep in a volume a place lies.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  Band band{0, 0.1F, 1e5F, 1e5F};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const VolumePtr volume = in.volume();
  auto depth = depthOf(volume, ctx.task);
  if (!depth) return Failure(cancelled());
  return Outputs{makeDepthMask(volume, std::move(depth), p.band, p)};
}

std::string sentence(const Params& p) { return rangeWords(p.band, " m") + " deep"; }

}  // namespace

const NodeKind& depth() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "depth";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Depth");
    k.help = ARVESK_TEXT("node",
                         "How deep a place lies under the skin of a volume, in m, through a band; outside depths are "
                         "below 0. To let more stay near the skin than inside, or the other way round.");
    k.glyph = "depth";
    k.synonyms = {"volume", "inside", "skin", "core", "distance"};
    k.inputs = {volumeInput(ARVESK_TEXT("node", "Under whose skin depth is measured."))};
    k.outputs = {maskOutput()};
    k.params = {param("band", &Params::band, ARVESK_TEXT("node", "Depth"),
                      ARVESK_TEXT("node", "Soft range in m: fade-in start, full from, full to, fade-out end."))
                    .in(Unit::Meter)
                    .hard(-1e5, 1e5)
                    .usual(-1, 5, 0.01)};
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{-4.5, -0.6, 10, 10}}};
    // The skin that is nearest may lie anywhere.
    reaches<Params>(k, [](const Params&) { return Reach::whole(false); });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
