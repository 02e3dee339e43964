// Keep by slope: points whose ground leans within a range of angles stay.
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"
#include "core/nodes/thin/exposed.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Keep { Limit, Chance };
struct Params {
  Band slopeDeg{0, 0, 34, 40};
  SlopeOf of = SlopeOf::GroundRecord;
  Keep keep = Keep::Chance;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const SurfacePtr ground = in.surface();
  if (p.of == SlopeOf::Ground && !ground)
    return fail(ProblemCode::MissingInput, "slope of the connected ground needs a ground",
                "Connect a surface to Ground, or use the ground record");
  if (p.of == SlopeOf::GroundRecord && points.count > 0 && points.groundFace.isConstant() &&
      points.groundFace.constant() == kNoFace)
    ctx.warn("the points have no ground record; all count as level", "Put Set down before this node");
  Array<float> slopeDeg(points.count);
  parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
    measureSlope(points, p.of, ground.get(), begin, end, slopeDeg.data() + begin);
  });
  const Array<std::uint8_t> exposed = exposedBy(ctx, in.mask("where"), points);
  const Draw rank = ctx.draw("keep");
  Array<std::uint8_t> keeps(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    const bool passes = p.keep == Keep::Limit ? p.slopeDeg.holds(slopeDeg[i])
                                              : rank.unit(points.id[i]) < p.slopeDeg.weight(slopeDeg[i]);
    keeps[i] = !exposed[i] || passes;
  }
  ctx.measured(makeHistogram("slope", "°", 0, 90, slopeDeg, keeps));
  return keptAndLeft(ctx, points, keeps);
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  Array<float> slopeDeg(points.count);
  measureSlope(points, p.of, in.surface().get(), 0, points.count, slopeDeg.data());
  const Draw rank = ctx.draw("keep");
  std::vector<std::string> out;
  for (std::size_t i = 0; i < points.count; ++i) {
    const bool isBelow = slopeDeg[i] < p.slopeDeg.fullFrom;
    std::string text = fmt::format("slope {:.1f}°, limit {:g}°", slopeDeg[i],
                                   isBelow ? p.slopeDeg.fullFrom : p.slopeDeg.fullTo);
    const float end = isBelow ? p.slopeDeg.fadeIn : p.slopeDeg.fadeOut;
    if (p.keep == Keep::Chance && end != (isBelow ? p.slopeDeg.fullFrom : p.slopeDeg.fullTo))
      text = fmt::format("slope {:.1f}°, limit {:g}° to {:g}°", slopeDeg[i], isBelow ? end : p.slopeDeg.fullTo,
                         isBelow ? p.slopeDeg.fullFrom : end);
    if (const float share = p.slopeDeg.weight(slopeDeg[i]); p.keep == Keep::Chance && share > 0 && share < 1)
      text += fmt::format(", chance {:.0f} %, its rank is {:.0f}", share * 100, rank.unit(points.id[i]) * 100);
    out.push_back(std::move(text));
  }
  return out;
}

std::string sentence(const Params& p) {
  std::string text = "Keep by slope · " + rangeWords(p.slopeDeg, "°");
  if (p.keep == Keep::Chance && p.slopeDeg.fadeOut > p.slopeDeg.fullTo)
    text += fmt::format(", soft to {:g}°", p.slopeDeg.fadeOut);
  return text;
}

}  // namespace

const NodeKind& keepBySlope() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "keep-by-slope";
    k.family = Family::Thin;
    k.label = ARVESK_TEXT("node", "Keep by slope");
    k.help = ARVESK_TEXT("node",
                         "Keeps points whose ground leans within a range of angles from level. By limit: inside the "
                         "full range. At random: on the soft edges a point stays with the band's share. Reads the "
                         "ground record, the point's own up, or a connected ground straight above or below.");
    k.glyph = "filter";
    k.synonyms = {"steep", "angle", "filter", "cliff"};
    k.inputs = {
        pointsInput(), groundInput(true),
        whereInput(ARVESK_TEXT("node", "The share of points that are exposed to the filter; the others pass."))};
    k.outputs = {pointsOutput(), leftOutOutput()};
    carriesNowhere(k);
    k.params = {
        param("slope", &Params::slopeDeg, ARVESK_TEXT("node", "Slope"),
              ARVESK_TEXT("node", "Soft range of angles: fade-in start, full from, full to, fade-out end."))
            .in(Unit::Degree)
            .hard(0, 180)
            .usual(0, 90, 1),
        param("of", &Params::of, ARVESK_TEXT("node", "Slope of"), ARVESK_TEXT("node", "Which angle is measured."),
              {{"ground-record", ARVESK_TEXT("node", "Stored ground normal")},
               {"own-up", ARVESK_TEXT("node", "Own up")},
               {"ground", ARVESK_TEXT("node", "Connected ground")}}),
        param("keep", &Params::keep, ARVESK_TEXT("node", "Keep"),
              ARVESK_TEXT("node", "By limit: inside the full range. At random: also on the soft edges, by share."),
              {{"limit", ARVESK_TEXT("node", "By limit")}, {"chance", ARVESK_TEXT("node", "At random")}}),
    };
    k.usesSeed = true;
    k.example.params = {{"slope", std::vector<double>{0, 0, 10, 16}}};
    k.trial.params = {{"slope", std::vector<double>{0, 2, 8, 30}}, {"keep", std::string("chance")}};
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
