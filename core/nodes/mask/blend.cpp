// Blend mask: several masks as one.
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  BlendMode mode = BlendMode::Multiply;
  float weight1 = 1;
  float weight2 = 1;
  float weight3 = 1;
  float weight4 = 1;
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  const std::array<float, 4> own{p.weight1, p.weight2, p.weight3, p.weight4};
  std::vector<MaskPtr> masks;
  std::vector<float> weights;
  const auto& links = in.many("masks");
  for (std::size_t k = 0; k < links.size(); ++k) {  // a weight belongs to its place, whatever comes in at the others
    const auto* mask = std::get_if<MaskPtr>(&links[k].value);
    if (!mask || !*mask) continue;
    weights.push_back(k < own.size() ? own[k] : 1.0F);
    masks.push_back(*mask);
  }
  return Outputs{makeBlendMask(std::move(masks), std::move(weights), p.mode, p)};
}

std::string sentence(const Params& p) {
  constexpr std::array names{"multiplied", "added", "subtracted", "larger of", "smaller of", "average"};
  return names[static_cast<std::size_t>(p.mode)];
}

}  // namespace

const NodeKind& blend() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "blend";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Blend");
    k.help = ARVESK_TEXT("node",
                         "Several masks as one: multiplied, added, subtracted from the first, the larger, the smaller "
                         "or the average of them. A weight of 0 takes its mask out.");
    k.glyph = "blend";
    k.synonyms = {"combine", "multiply", "add", "mix", "and", "or"};
    k.inputs = {{"masks", ValueType::Mask, ARVESK_TEXT("node", "Masks"),
                 ARVESK_TEXT("node", "The masks to blend, in order."), false, true}};
    k.outputs = {maskOutput()};
    const auto weight = [](const char* id, float Params::*member, const char* label) {
      return param(id, member, label, ARVESK_TEXT("node", "How much this mask counts; a fifth and later ones count 1."))
          .hard(0, 10)
          .usual(0, 1, 0.05);
    };
    k.params = {
        param("mode", &Params::mode, ARVESK_TEXT("node", "Blend"),
              ARVESK_TEXT("node", "How values are put together; the result is clamped to 0…1."),
              {{"multiply", ARVESK_TEXT("node", "Multiply")},
               {"add", ARVESK_TEXT("node", "Add")},
               {"subtract", ARVESK_TEXT("node", "Subtract")},
               {"larger", ARVESK_TEXT("node", "Larger of")},
               {"smaller", ARVESK_TEXT("node", "Smaller of")},
               {"average", ARVESK_TEXT("node", "Average")}}),
        weight("weight_1", &Params::weight1, ARVESK_TEXT("node", "Weight 1")),
        weight("weight_2", &Params::weight2, ARVESK_TEXT("node", "Weight 2")),
        weight("weight_3", &Params::weight3, ARVESK_TEXT("node", "Weight 3")),
        weight("weight_4", &Params::weight4, ARVESK_TEXT("node", "Weight 4")),
    };
    addFinishParams<Params>(k.params);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
