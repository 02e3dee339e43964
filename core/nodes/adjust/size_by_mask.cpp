// Size by mask: small where a mask is low, large where it is high.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/adjust/size_factors.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : SizeFactors {
  float amount = 100;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const Array<float> value = maskValues(ctx.task, *in.mask("mask"), points);
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Array<Vec3> size = points.size.copied(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    const Vec3 factor = p.at(value[i]);
    size[i] = sized(size[i], Vec3(1) + (factor - Vec3(1)) * effect[i]);
  }
  Array<std::uint8_t> all;
  all.assign(points.count, 1);
  ctx.measured(makeHistogram("mask", "", 0, 1, value, all));
  Points out = points;
  out.size = std::move(size);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  if (p.by == SizeBy::PerAxis) return "Size by mask · per axis";
  return fmt::format("× {:g} to × {:g}", p.size.from, p.size.to);
}

}  // namespace

const NodeKind& sizeByMask() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "size-by-mask";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Size by mask");
    k.help = ARVESK_TEXT("node",
                         "Multiplies the size by a factor that goes from the first value, where the mask is 0, to the "
                         "second, where it is 1.");
    k.glyph = "size-by-mask";
    k.synonyms = {"scale", "grow", "shrink", "height"};
    k.inputs = {pointsInput(),
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "Chooses between the two factors."), false, false},
                adjustWhereInput()};
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    addSizeParams<Params>(k.params, ARVESK_TEXT("node", "Where the mask is 0, and where it is 1."));
    k.params.push_back(amountParam(&Params::amount));
    hasAtMost<Params>(k, [](const Params& p, const Most& came, const Inputs&) -> std::optional<Most> {
      return sizedBy(came, p.largest(), p.amount);
    });
    k.example.params = {{"size", std::vector<double>{0.4, 1.8}}};
    k.example.spacing = 1.9;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
