// Keep by mask: points whose mask value is right stay.
#include "core/nodes/registry.h"
#include "core/nodes/thin/exposed.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Keep { Limit, Chance };
struct Params {
  Keep keep = Keep::Limit;
  Range limit{0.5F, 1};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const Array<float> value = maskValues(ctx.task, *in.mask("mask"), points);
  const Array<std::uint8_t> exposed = exposedBy(ctx, in.mask("where"), points);
  const Draw rank = ctx.draw("keep");
  Array<std::uint8_t> keeps(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    const bool passes = p.keep == Keep::Limit ? value[i] >= p.limit.from && value[i] <= p.limit.to
                                              : rank.unit(points.id[i]) < value[i];
    keeps[i] = !exposed[i] || passes;
  }
  ctx.measured(makeHistogram("mask value", "", 0, 1, value, keeps));
  return keptAndLeft(ctx, points, keeps);
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  const Array<float> value = maskValues(ctx.task, *in.mask("mask"), points);
  Array<float> measured(points.count);
  const bool isMeasured = in.mask("mask")->measure(points, 0, points.count, measured.data());
  const Draw rank = ctx.draw("keep");
  std::vector<std::string> out;
  for (std::size_t i = 0; i < points.count; ++i) {
    std::string text = fmt::format("mask value {:.3f}", value[i]);
    if (isMeasured) text += fmt::format(" (from {:.4g})", measured[i]);
    out.push_back(text + (p.keep == Keep::Limit ? fmt::format(", limits {:g} to {:g}", p.limit.from, p.limit.to)
                                                : fmt::format(", its rank is {:.3f}", rank.unit(points.id[i]))));
  }
  return out;
}

std::string sentence(const Params& p) {
  return p.keep == Keep::Limit ? fmt::format("Keep by mask · {:g} to {:g}", p.limit.from, p.limit.to)
                               : std::string("Keep by mask · at random");
}

}  // namespace

const NodeKind& keepByMask() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "keep-by-mask";
    k.family = Family::Thin;
    k.label = ARVESK_TEXT("node", "Keep by mask");
    k.help = ARVESK_TEXT(
        "node",
        "Keeps points by the value of a mask at their place: within two limits, or with the value as the chance to "
        "stay. A point's rank never changes, so moving a limit only adds or removes points that cross it.");
    k.glyph = "filter";
    k.synonyms = {"filter", "remove", "mask", "delete"};
    k.inputs = {
        pointsInput(),
        {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"), ARVESK_TEXT("node", "What is measured at each point."),
         false, false},
        whereInput(ARVESK_TEXT("node", "The share of points that are exposed to the filter; the others pass."))};
    k.outputs = {pointsOutput(), leftOutOutput()};
    carriesNowhere(k);
    k.params = {
        param("keep", &Params::keep, ARVESK_TEXT("node", "Keep"),
              ARVESK_TEXT("node", "By limit: between the two values. At random: the value is the chance to stay."),
              {{"limit", ARVESK_TEXT("node", "By limit")}, {"chance", ARVESK_TEXT("node", "At random")}}),
        param("limit", &Params::limit, ARVESK_TEXT("node", "Limits"),
              ARVESK_TEXT("node", "Points between these values stay, both ends included."))
            .hard(0, 1)
            .usual(0, 1, 0.01)
            .shown("keep", {"limit"}),
    };
    k.usesSeed = true;
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
