// Slope mask: how steep the ground is.
#include "core/nodes/mask/finish.h"
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  Band band{0, 0, 30, 40};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  return Outputs{makeSlopeMask(in.surface(), p.band, p)};
}

std::string sentence(const Params& p) { return "slope " + rangeWords(p.band, "°"); }

}  // namespace

const NodeKind& slope() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "slope";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Slope");
    k.help = ARVESK_TEXT("node",
                         "The angle between the ground's normal and up, in degrees, through a band. Reads the ground "
                         "record of the point, or the ground that is connected, straight above or below the point.");
    k.glyph = "slope";
    k.synonyms = {"steep", "angle", "incline"};
    k.inputs = {groundInput(true)};
    k.outputs = {maskOutput()};
    k.params = {param("band", &Params::band, ARVESK_TEXT("node", "Slope"),
                      ARVESK_TEXT("node", "Soft range of angles: fade-in start, full from, full to, fade-out end."))
                    .in(Unit::Degree)
                    .hard(0, 180)
                    .usual(0, 90, 1)};
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{0, 0, 12, 24}}};
    k.example.joins = {"ground"};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
