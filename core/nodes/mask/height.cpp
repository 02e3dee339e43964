// Height mask: how high a place is.
#include "core/nodes/mask/finish.h"
#include "core/nodes/mask/frame_param.h"
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

enum class HeightOf { Meters, Relative };
struct Params : MaskFinish, MaskFrame {
  HeightOf of = HeightOf::Meters;
  Band band{0, 0, 5, 6};
  Band relativeBand{0, 0, 0.5F, 0.6F};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  if (p.of == HeightOf::Meters) return Outputs{inFrame(makeHeightMask(nullptr, p.band, p), p)};
  if (!in.surface())
    return fail(ProblemCode::MissingInput, "relative height needs the ground it is relative to",
                "Connect a surface to Ground");
  return Outputs{makeHeightMask(in.surface(), p.relativeBand, p)};
}

std::string sentence(const Params& p) {
  return p.of == HeightOf::Meters ? "at " + rangeWords(p.band, " m")
                                  : rangeWords(p.relativeBand, "") + " of its height";
}

}  // namespace

const NodeKind& height() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "height";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Height");
    k.help = ARVESK_TEXT(
        "node",
        "The height of a place in m, or from 0 to 1 between the ground's lowest and highest place, through a band. "
        "Relative height looks at the whole ground: changing its lowest place changes all values.");
    k.glyph = "height";
    k.synonyms = {"altitude", "elevation", "level"};
    k.inputs = {groundInput(true)};
    k.outputs = {maskOutput()};
    k.params = {
        param("of", &Params::of, ARVESK_TEXT("node", "Height in"),
              ARVESK_TEXT("node", "Meters above 0, or relative to the ground's lowest and highest place."),
              {{"meters", ARVESK_TEXT("node", "Meters")}, {"relative", ARVESK_TEXT("node", "Share of ground")}}),
        param("band", &Params::band, ARVESK_TEXT("node", "Height"),
              ARVESK_TEXT("node", "Soft range in m: fade-in start, full from, full to, fade-out end."))
            .in(Unit::Meter)
            .hard(-1e5, 1e5)
            .usual(-10, 50, 0.1)
            .shown("of", {"meters"}),
        param("relative_band", &Params::relativeBand, ARVESK_TEXT("node", "Height"),
              ARVESK_TEXT("node", "Soft range: 0 is the ground's lowest, 1 its highest place."))
            .hard(-10, 10)
            .usual(0, 1, 0.01)
            .shown("of", {"relative"}),
    };
    k.params.push_back(frameParam<Params>().shown("of", {"meters"}));
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{0.2, 0.8, 20, 30}}};
    k.example.joins = {"ground"};
    reaches<Params>(k,
                    [](const Params& p) { return p.of == HeightOf::Relative ? Reach::whole(false) : Reach::none(); });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
