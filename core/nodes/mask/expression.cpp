// Expression mask: a formula over what is known at a place.
#include "core/masks/point_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  std::string text = "a * (slope < 25)";
};

std::string faultOfFormula(const std::string& text) {
  const auto formula = Formula::compile(text);
  return formula ? std::string() : formula.error().message;
}

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  auto formula = Formula::compile(p.text);
  if (!formula) return Failure(formula.error());
  std::vector<MaskPtr> masks{in.mask("a"), in.mask("b"), in.mask("c")};
  for (const std::string& name : formula->names())
    if (name.size() == 1 && name[0] >= 'a' && name[0] <= 'c' && !masks[static_cast<std::size_t>(name[0] - 'a')])
      return fail(ProblemCode::MissingInput,
                  fmt::format("the expression uses {}, but no mask is connected there", name),
                  fmt::format("Connect a mask to {}, or take it out of the expression", name));
  return Outputs{makeFormulaMask(std::move(*formula), std::move(masks), p)};
}

std::string sentence(const Params& p) { return p.text; }

}  // namespace

const NodeKind& expression() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "expression";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Expression");
    k.help = ARVESK_TEXT(
        "node",
        "A formula, such as a * (slope < 25): the masks a, b, c, the numbers x, y, z, height, slope, size, footprint, "
        "and attributes by name (with _ for -), with + - * / ^, comparisons, a ? b : c, min, max, abs, sqrt, sin and "
        "others. The result is clamped to 0…1. Attributes that a place does not carry count 0.");
    k.glyph = "expression";
    k.synonyms = {"formula", "math", "calculate", "function"};
    const auto mask = [](const char* id) {
      return InputSpec{
          id, ValueType::Mask, id, ARVESK_TEXT("node", "A mask that the formula calls by this letter."), true, false};
    };
    k.inputs = {mask("a"), mask("b"), mask("c")};
    k.outputs = {maskOutput()};
    k.params = {param("text", &Params::text, ARVESK_TEXT("node", "Expression"),
                      ARVESK_TEXT("node", "Checked while it is typed."))
                    .checked(&faultOfFormula)};
    addFinishParams<Params>(k.params);
    k.example.params = {{"text", std::string("0.5 + 0.5 * sin(x)")}};
    k.example.joins = {"a", "b", "c"};
    k.trial.params = {{"text", std::string("a * (slope < 25) + 0.1 * b")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
