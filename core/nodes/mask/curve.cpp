// Curve mask: another mask, reshaped.
#include "core/masks/point_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  CurveShape shape{{{0, 0}, {0.5F, 0.5F}, {1, 1}}};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  return Outputs{makeCurveMask(in.mask("mask"), p.shape, p)};
}

std::string sentence(const Params& p) { return fmt::format("curve of {} points", p.shape.points.size()); }

}  // namespace

const NodeKind& curve() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "curve";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Curve");
    k.help = ARVESK_TEXT("node",
                         "Reshapes a mask: its value is looked up along a smooth curve that is drawn over the "
                         "distribution. The curve never overshoots its points.");
    k.glyph = "curve";
    k.synonyms = {"remap", "ramp", "profile", "gamma", "levels"};
    k.inputs = {
        {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"), ARVESK_TEXT("node", "What is reshaped."), false, false}};
    k.outputs = {maskOutput()};
    k.params = {param("shape", &Params::shape, ARVESK_TEXT("node", "Curve"),
                      ARVESK_TEXT("node",
                                  "From the mask's value (left to right) to the new value (upwards). Double-click adds "
                                  "a point, Delete takes it away."))};
    addFinishParams<Params>(k.params);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
