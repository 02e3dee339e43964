// Move as one: moves, turns and sizes a whole set of points, or a surface.
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  Vec3 pivot{0};
  Vec3 place{0};
  float headingDeg = 0;
  Vec3 tiltDeg{0};
  float size = 1;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Quat turn = glm::angleAxis(-radians(p.headingDeg), kUp) * arvesk::turnOf(p.tiltDeg);
  if (const SurfacePtr surface = in.get<SurfacePtr>("points"))
    return Outputs{
        std::make_shared<const Surface>(transformed(*surface, p.place - turn * (p.pivot * p.size), turn, p.size))};
  const PointsPtr points = in.points();
  Array<Vec3> position(points->count);
  Array<Quat> orientation(points->count);
  Array<Vec3> size(points->count);
  Array<Vec3> normal(points->count);
  parallelPieces(ctx.task, points->count, 8192, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      position[i] = p.place + turn * ((points->position[i] - p.pivot) * p.size);
      orientation[i] = glm::normalize(turn * points->orientation[i]);
      size[i] = points->size[i] * p.size;
      normal[i] = turn * points->groundNormal[i];
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = *points;
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.size = std::move(size);
  out.groundNormal = std::move(normal);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  const Vec3 by = p.place - p.pivot;
  std::string text = fmt::format("by {:g}, {:g}, {:g} m", by.x, by.y, by.z);
  if (p.headingDeg != 0) text += fmt::format(", {:g}°", p.headingDeg);
  if (p.size != 1) text += fmt::format(", × {:g}", p.size);
  return text;
}

}  // namespace

const NodeKind& moveAsOne() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "move-as-one";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Move as one");
    k.help = ARVESK_TEXT(
        "node",
        "Moves, turns and sizes a whole set of points, or a surface, about a pivot: the pivot goes to Place, and "
        "everything with it. Handles in Site move Place (with Shift up and down), turn the set and size it.");
    k.glyph = "move-as-one";
    k.synonyms = {"transform", "rotate", "translate", "scale", "group"};
    k.inputs = {{"points",
                 ValueType::Points,
                 ARVESK_TEXT("node", "Points"),
                 ARVESK_TEXT("node", "Points or a surface."),
                 false,
                 false,
                 {ValueType::Surface}}};
    k.outputs = {{"points", ValueType::Points, ARVESK_TEXT("node", "Moved"), "points"}};
    const auto place = [](ParamSpec spec) { return spec.in(Unit::Meter).hard(-1e6, 1e6).usual(-100, 100, 0.5); };
    k.params = {
        place(
            param("place", &Params::place, ARVESK_TEXT("node", "Place"), ARVESK_TEXT("node", "Where the pivot goes.")))
            .inSite(SiteRole::Center),
        param("heading", &Params::headingDeg, ARVESK_TEXT("node", "Turn"),
              ARVESK_TEXT("node", "About up, clockwise from above."))
            .in(Unit::Degree)
            .hard(-3600, 3600)
            .usual(-180, 180, 1)
            .inSite(SiteRole::Heading),
        param("size", &Params::size, ARVESK_TEXT("node", "Size"), ARVESK_TEXT("node", "Factor on the whole set."))
            .hard(1e-4, 1e4)
            .usual(0.1, 10, 0.05)
            .inSite(SiteRole::Size),
        place(param("pivot", &Params::pivot, ARVESK_TEXT("node", "Pivot"),
                    ARVESK_TEXT("node", "The place that everything turns and sizes about, before it moves."))),
        param("tilt", &Params::tiltDeg, ARVESK_TEXT("node", "Tilt"),
              ARVESK_TEXT("node", "About X, then Y, then Z, before the turn."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(-180, 180, 1),
    };
    k.example.params = {{"heading", 35.0}, {"size", 0.55}};
    k.example.spacing = 2.2;
    k.example.isSetDown = true;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
