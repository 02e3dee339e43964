// Pattern: points in a regular arrangement.
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Shape { Row, Grid, Ring, Disc, Ball, Spiral };
enum class Heading { Outward, Along, Fixed };
struct Params {
  Shape shape = Shape::Row;
  int count = 10;
  int rows = 10;
  float step = 1;
  bool isRowCentered = false;
  bool isGridFromCorner = false;
  float radius = 5;
  Vec3 center{0};
  float turnDeg = 0;
  Heading heading = Heading::Along;
  float headingDeg = 0;
  float footprint = 0.25F;
};

constexpr float kGoldenAngle = 2.39996323F;

struct Spot {
  Vec3 place;  // about the center, m
  Vec3 along;  // the way the pattern runs there
};

Spot spotOf(const Params& p, std::size_t i) {
  const auto k = static_cast<float>(i);
  const auto n = static_cast<float>(std::max(1, p.count));
  switch (p.shape) {
    case Shape::Row:  // from its start a longer row only adds
      return {{(p.isRowCentered ? k - 0.5F * (n - 1) : k) * p.step, 0, 0}, {1, 0, 0}};
    case Shape::Grid: {
      const auto columns = static_cast<std::size_t>(std::max(1, p.count));
      const float middle = p.isGridFromCorner ? 0.0F : 0.5F;
      const float x = static_cast<float>(i % columns) - middle * (n - 1);
      const float z = static_cast<float>(i / columns) - middle * static_cast<float>(p.rows - 1);
      return {{x * p.step, 0, z * p.step}, {1, 0, 0}};
    }
    case Shape::Ring: {
      const float a = 2 * kPi * k / n;
      return {{p.radius * std::sin(a), 0, -p.radius * std::cos(a)}, {std::cos(a), 0, std::sin(a)}};
    }
    case Shape::Disc: {  // even over the area, without rows (Vogel 1979)
      const float a = k * kGoldenAngle;
      const float r = p.radius * std::sqrt((k + 0.5F) / n);
      return {{r * std::sin(a), 0, -r * std::cos(a)}, {std::cos(a), 0, std::sin(a)}};
    }
    case Shape::Ball: {  // even over the skin (Swinbank and Purser 2006)
      const float y = 1 - (2 * k + 1) / n;
      const float r = std::sqrt(std::max(0.0F, 1 - y * y));
      const float a = k * kGoldenAngle;
      return {p.radius * Vec3(r * std::sin(a), y, -r * std::cos(a)), {std::cos(a), 0, std::sin(a)}};
    }
    case Shape::Spiral: {  // arms one step apart, points about one step apart along them (Archimedes)
      const float a = std::sqrt(4 * kPi * k);
      const float r = p.step * a / (2 * kPi);
      return {{r * std::sin(a), 0, -r * std::cos(a)}, {std::cos(a), 0, std::sin(a)}};
    }
  }
  return {};
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  const auto count = static_cast<std::size_t>(p.count) *
                     (p.shape == Shape::Grid ? static_cast<std::size_t>(p.rows) : 1);
  if (auto ok = guardPoints(ctx, static_cast<double>(count), "Lower the count"); !ok) return Failure(ok.error());
  const Quat turn = glm::angleAxis(-radians(p.turnDeg), kUp);
  const auto columns = static_cast<std::size_t>(std::max(1, p.count));
  Points out;
  out.count = count;
  Array<Vec3> position(count);
  Array<Quat> orientation(count);
  Array<std::uint64_t> id(count);
  parallelPieces(ctx.task, count, 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const Spot spot = spotOf(p, i);
      position[i] = p.center + turn * spot.place;
      // In a grid by row and column, so that one more column makes no others of those that are there.
      id[i] = ctx.idOf(p.shape == Shape::Grid ? static_cast<std::uint64_t>(i / columns) << 32 | i % columns : i);
      Vec3 front = headingVector(radians(p.headingDeg));
      if (p.heading != Heading::Fixed) {
        front = p.heading == Heading::Along ? spot.along : Vec3(spot.place.x, 0, spot.place.z);
        front = turn * directionOr(front, headingVector(0));
      }
      bool isParallel = false;
      orientation[i] = turnFacing(kUp, front, isParallel);
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.id = std::move(id);
  out.footprint = Column<float>(p.footprint);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  switch (p.shape) {
    case Shape::Row: return fmt::format("row of {}, {:g} m apart", p.count, p.step);
    case Shape::Grid: return fmt::format("grid of {} × {}, {:g} m apart", p.count, p.rows, p.step);
    case Shape::Ring: return fmt::format("ring of {}, radius {:g} m", p.count, p.radius);
    case Shape::Disc: return fmt::format("disc of {}, radius {:g} m", p.count, p.radius);
    case Shape::Ball: return fmt::format("ball of {}, radius {:g} m", p.count, p.radius);
    case Shape::Spiral: return fmt::format("spiral of {}, {:g} m apart", p.count, p.step);
  }
  return {};
}

}  // namespace

const NodeKind& pattern() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "pattern";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Pattern");
    k.help = ARVESK_TEXT(
        "node",
        "Points in a row, a grid, a ring, evenly over a disc or the skin of a ball, or along a spiral, about a center. "
        "They hang in the air until Set down puts them onto ground. Raising the count of a row or spiral only adds; a "
        "ring, a disc and a ball share their room out anew.");
    k.glyph = "pattern";
    k.synonyms = {"row", "line", "grid", "array", "circle", "ring", "spiral", "regular"};
    k.inputs = {};
    k.outputs = {pointsOutput()};
    k.params = {
        param("shape", &Params::shape, ARVESK_TEXT("node", "Shape"),
              ARVESK_TEXT("node", "How the points are arranged."),
              {{"row", ARVESK_TEXT("node", "Row")},
               {"grid", ARVESK_TEXT("node", "Grid")},
               {"ring", ARVESK_TEXT("node", "Ring")},
               {"disc", ARVESK_TEXT("node", "Disc")},
               {"ball", ARVESK_TEXT("node", "Ball")},
               {"spiral", ARVESK_TEXT("node", "Spiral")}}),
        param("count", &Params::count, ARVESK_TEXT("node", "Count"),
              ARVESK_TEXT("node", "How many; of a grid how many side by side."))
            .hard(0, 1e7)
            .usual(1, 100, 1),
        param("rows", &Params::rows, ARVESK_TEXT("node", "Rows"), ARVESK_TEXT("node", "How many rows a grid has."))
            .hard(0, 1e6)
            .usual(1, 100, 1)
            .shown("shape", {"grid"}),
        param("step", &Params::step, ARVESK_TEXT("node", "Step"), ARVESK_TEXT("node", "From one to the next."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0.1, 20, 0.05)
            .shown("shape", {"row", "grid", "spiral"}),
        param("row_centered", &Params::isRowCentered, ARVESK_TEXT("node", "Centered"),
              ARVESK_TEXT("node", "The place is the middle of the row, not its start."))
            .shown("shape", {"row"}),
        param("grid_from_corner", &Params::isGridFromCorner, ARVESK_TEXT("node", "From a corner"),
              ARVESK_TEXT("node", "The place is the grid's first corner, so that more columns and rows only add."))
            .shown("shape", {"grid"}),
        param("radius", &Params::radius, ARVESK_TEXT("node", "Radius"),
              ARVESK_TEXT("node", "Of the ring, disc or ball."))
            .in(Unit::Meter)
            .hard(0, 1e5)
            .usual(0.1, 50, 0.1)
            .shown("shape", {"ring", "disc", "ball"}),
        param("center", &Params::center, ARVESK_TEXT("node", "Place"),
              ARVESK_TEXT("node", "Start of a row, middle of the others, unless that is said otherwise."))
            .in(Unit::Meter)
            .hard(-1e5, 1e5)
            .usual(-100, 100, 0.5),
        param("turn", &Params::turnDeg, ARVESK_TEXT("node", "Turn"),
              ARVESK_TEXT("node", "Of the whole pattern, clockwise from above."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(-180, 180, 1),
        param("heading", &Params::heading, ARVESK_TEXT("node", "Heading"),
              ARVESK_TEXT(
                  "node",
                  "Where each point's front looks: away from the center, along the pattern, or all the same way."),
              {{"outward", ARVESK_TEXT("node", "Outward")},
               {"along", ARVESK_TEXT("node", "Along it")},
               {"fixed", ARVESK_TEXT("node", "Fixed")}}),
        param("heading_deg", &Params::headingDeg, ARVESK_TEXT("node", "Fixed heading"),
              ARVESK_TEXT("node", "0 is north (−Z), 90 is east (+X)."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(0, 360, 1)
            .shown("heading", {"fixed"}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    k.amountParam = "count";
    k.example.params = {{"shape", std::string("spiral")}, {"count", 160.0}, {"step", 0.55}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
