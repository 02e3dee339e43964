// Random mask: a number by lot for each point, parent or patch.
#include "core/masks/point_masks.h"
#include "core/nodes/draw_per.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  DrawPer per = DrawPer::Point;
  Band band{0, 1, 1, 1};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  return Outputs{makeRandomMask(ctx.draw("random"), p.per, p.band, p)};
}

std::string sentence(const Params& p) {
  return fmt::format("random per {}", kDrawPerOptions.begin()[static_cast<std::size_t>(p.per)].id);
}

}  // namespace

const NodeKind& random() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "random";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Random");
    k.help = ARVESK_TEXT("node",
                         "A number from 0 to 1 at random, the same for all points of one parent or patch if so wished, "
                         "through a band. The draw of a point hangs on its id only: nothing else changes it.");
    k.glyph = "random";
    k.synonyms = {"chance", "lot", "probability", "vary"};
    k.inputs = {};
    k.outputs = {maskOutput()};
    k.params = {
        param("per", &Params::per, ARVESK_TEXT("node", "Drawn per"),
              ARVESK_TEXT("node",
                          "Members of a clump share their parent's draw, points of a patch the patch's. Points that "
                          "have none draw for themselves."),
              kDrawPerOptions),
        param("band", &Params::band, ARVESK_TEXT("node", "Number"),
              ARVESK_TEXT("node", "Soft range: fade-in start, full from, full to, fade-out end."))
            .hard(0, 1)
            .usual(0, 1, 0.01),
    };
    addFinishParams<Params>(k.params);
    k.usesSeed = true;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
