// Make room: moves crowded points away from each other, a little at a time.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/pushing.h"
#include "core/nodes/registry.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class RoomBy { Footprint, Spacing };
struct Params {
  RoomBy by = RoomBy::Footprint;
  Footprint room = Footprint::Spread;
  float factor = 1;
  float spacing = 0.5F;
  int rounds = 8;
  float most = 1;
  bool slides = false;
  float pace = 0.5F;
  float amount = 100;
};

/// How far a point may go, m.
double farthest(const Params& p) {
  return std::max(1.0, static_cast<double>(p.amount) / 100) * static_cast<double>(p.most);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const SurfacePtr ground = in.surface();
  std::shared_ptr<const SurfaceIndex> index;
  if (ground) {
    const auto made = SurfaceIndex::of(*ground);
    if (!made) return Failure(made.error());
    index = *made;
  }
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  Array<float> radius(points.count);
  const PointsPtr judged = withFootprints(in.points(), p.room);
  for (std::size_t i = 0; i < points.count; ++i)
    radius[i] = p.by == RoomBy::Footprint ? p.factor * judged->effectiveFootprint(i) : 0.5F * p.spacing;
  Array<Vec3> position = pushedApart(ctx, points, radius, effect, {p.rounds, p.most});
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (p.slides) slideOn(ctx, points, p.pace, position);
  Points out = points;
  if (index) {
    Array<Vec3> normal = points.groundNormal.copied(points.count);
    Array<std::uint32_t> face = points.groundFace.copied(points.count);
    Array<Vec2> uv = points.groundUv.copied(points.count);
    Array<Vec3> moved = points.movedBy.copied(points.count);
    parallelPieces(ctx.task, points.count, 1024, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        if (position[i] == points.position[i]) continue;  // who stays keeps its own ground, caves and all
        if (const auto found = groundUnder(*ground, *index, position[i])) {
          position[i] = found->position;
          normal[i] = found->normal;
          face[i] = found->face;
          uv[i] = found->uv;
          moved[i] = Vec3(0);
        }
      }
    });
    if (ctx.task.isCancelled()) return Failure(cancelled());
    out.groundNormal = std::move(normal);
    out.groundFace = std::move(face);
    out.groundUv = std::move(uv);
    if (!points.movedBy.isConstant()) out.movedBy = std::move(moved);
  }
  out.position = std::move(position);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  return p.by == RoomBy::Footprint ? fmt::format("Make room · {:g} × footprint, {:g} m at most", p.factor, p.most)
                                   : fmt::format("Make room · {:g} m apart, {:g} m at most", p.spacing, p.most);
}

}  // namespace

const NodeKind& makeRoom() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "make-room";
    k.groundFrom = "ground";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Make room");
    k.help = ARVESK_TEXT(
        "node",
        "Moves crowded points away from each other, level, over a few rounds, and at most a distance from where they "
        "were; then sets those that moved down on the connected ground. None is left out. Where several are too many "
        "for "
        "the room they share, overlaps stay: Clearance takes those.");
    k.glyph = "make-room";
    k.synonyms = {"relax", "spread", "push", "repel", "separate"};
    k.inputs = {pointsInput(), groundInput(true), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    k.params = {
        param("by", &Params::by, ARVESK_TEXT("node", "Room"), ARVESK_TEXT("node", "How much each point wants."),
              {{"footprint", ARVESK_TEXT("node", "By footprint")}, {"spacing", ARVESK_TEXT("node", "Spacing")}}),
        footprintIs("footprint_is", &Params::room).shown("by", {"footprint"}),
        param("factor", &Params::factor, ARVESK_TEXT("node", "Factor"), ARVESK_TEXT("node", "On the footprints."))
            .hard(0, 100)
            .usual(0, 3, 0.05)
            .shown("by", {"footprint"}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "Wanted distance between two points."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05)
            .shown("by", {"spacing"}),
        param("most", &Params::most, ARVESK_TEXT("node", "At most"),
              ARVESK_TEXT("node", "How far a point may go from where it was."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
        param("rounds", &Params::rounds, ARVESK_TEXT("node", "Rounds"), ARVESK_TEXT("node", "How often all step."))
            .hard(1, 200)
            .usual(1, 30, 1),
        param("slides", &Params::slides, ARVESK_TEXT("node", "Slide over time"),
              ARVESK_TEXT("node",
                          "In a plan that moves, each goes on from where it was at the frame before, so that "
                          "what needs more room moves aside in place of jumping there. Frames that are missing "
                          "are worked out first.")),
        param("pace", &Params::pace, ARVESK_TEXT("node", "Pace"),
              ARVESK_TEXT("node", "How far it goes in a second, at most."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 5, 0.05)
            .shown("slides", {"on"}),
        amountParam(&Params::amount),
    };
    k.remembers = [](const ParamMap& values) {
      const auto slides = values.find("slides");
      return slides != values.end() && slides->second == ParamValue(true);
    };
    k.example.params = {{"by", std::string("spacing")}, {"spacing", 2.6}};
    k.example.spacing = 2.0;
    k.example.joins = {"ground"};
    k.trial.params = {{"by", std::string("spacing")}, {"spacing", 0.7}};
    reaches<Params>(k, [](const Params& p) {
      // n rounds that look d far and step s: n · d + 2 (n − 1) · s is exact.
      const double n = p.rounds;
      const double step = 2 * (n - 1) * farthest(p);
      return p.by == RoomBy::Spacing ? Reach::among(n * static_cast<double>(p.spacing) + step, 0, true)
                                     : Reach::among(step, 2 * n * static_cast<double>(p.factor), true);
    });
    keepsSizes(k);
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> { return Carries{farthest(p), Part::kAll}; });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
