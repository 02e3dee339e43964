// Size by number: a size from a number that points carry.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/adjust/size_factors.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/named_props.h"
#include "core/nodes/registry.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Way { Multiplied, Set };
struct Params : SizeFactors {
  std::string number = "age";
  Range values{0, 1};
  Way way = Way::Multiplied;
  float amount = 100;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  Array<float> number(points.count);
  if (!readNumbers(points, p.number, 0, points.count, number.data()))
    return fail(ProblemCode::WrongInput, fmt::format("the points carry no number \"{}\"", p.number),
                "They carry: " + listOf(numberNames(points)));
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  Array<Vec3> size = points.size.copied(points.count);
  const float span = p.values.to - p.values.from;
  for (std::size_t i = 0; i < points.count; ++i) {
    endIfStoppedAt(i);
    const float share = span != 0 ? std::clamp((number[i] - p.values.from) / span, 0.0F, 1.0F)
                                  : (number[i] < p.values.from ? 0.0F : 1.0F);
    const Vec3 wanted = p.way == Way::Set ? p.at(share) : p.at(share) * size[i];
    size[i] += (wanted - size[i]) * effect[i];
    size[i] = glm::max(size[i], Vec3(1e-4F));
  }
  Array<std::uint8_t> all;
  all.assign(points.count, 1);
  ctx.measured(makeHistogram(p.number, "", p.values.from, p.values.to, number, all));
  Points out = points;
  out.size = std::move(size);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  if (p.by == SizeBy::PerAxis) return fmt::format("by {} · per axis", p.number);
  return fmt::format("by {} · {:g} to {:g}", p.number, p.size.from, p.size.to);
}

}  // namespace

const NodeKind& sizeByNumber() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "size-by-number";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Size by number");
    k.help = ARVESK_TEXT("node",
                         "Takes a number that the points carry through a range to a size: multiplies the size that "
                         "they have, or sets it. Below and above the range the first and the last size hold.");
    k.glyph = "size-by-number";
    k.synonyms = {"scale", "attribute", "age", "value", "remap"};
    k.inputs = {pointsInput(), adjustWhereInput()};
    offersAttributes(k, "number", Carried::Numbers);
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    k.params = {
        param("number", &Params::number, ARVESK_TEXT("node", "Number"),
              ARVESK_TEXT("node", "Name of the attribute, or x, y, z, height, slope, size, footprint.")),
        param("values", &Params::values, ARVESK_TEXT("node", "From, to"),
              ARVESK_TEXT("node", "The number at which the first size holds, and that of the second."))
            .hard(-1e6, 1e6)
            .usual(0, 2, 0.01),
        param("way", &Params::way, ARVESK_TEXT("node", "Size is"),
              ARVESK_TEXT("node", "Multiplied by the factor, or the factor itself."),
              {{"multiplied", ARVESK_TEXT("node", "Multiplied")}, {"set", ARVESK_TEXT("node", "Set")}}),
    };
    addSizeParams<Params>(k.params, ARVESK_TEXT("node", "At the first number, and at the second."));
    k.params.push_back(amountParam(&Params::amount));
    k.example.params = {
        {"number", std::string("x")}, {"values", std::vector<double>{-8, 8}}, {"size", std::vector<double>{0.4, 1.8}}};
    k.example.spacing = 1.9;
    k.trial.params = {{"number", std::string("x")}, {"values", std::vector<double>{-8, 8}}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
