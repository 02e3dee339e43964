// Courses: rows of cells in the plane of each flat part of a surface, or along level lines of uneven ground.
#include "core/geometry/face_cells.h"
#include "core/geometry/level_lines.h"
#include "core/nodes/face_rule.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/chance.h"
#include "core/nodes/scatter/draft_share.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Lie { InParts, LevelLines };
enum class Run { Level, Uphill, Longest, Shortest, First, Second, Third, Compass };
enum class Apart { Height, Distance };
enum class Front { First, Along };
struct Params : FaceRule, DraftShare {
  Params() { are = FacesAre::FlatAreas; }
  Lie lie = Lie::InParts;
  Run run = Run::Level;
  float headingDeg = 90;
  float row = 0.25F;
  Apart apart = Apart::Height;
  float heightStep = 0.5F;
  float distance = 2;
  float pitch = 0.2F;
  float overlap = 0;
  float stagger = 50;
  bool isFitted = false;
  CellEnds ends = CellEnds::Inside;
  float least = 10;
  Front front = Front::First;
  float footprint = 0.1F;
};

CellRule ruleOf(const Params& p) {
  CellRule rule;
  rule.row = p.row;
  rule.pitch = p.pitch;
  rule.overlap = p.overlap / 100;
  rule.stagger = p.stagger / 100;
  rule.isFitted = p.isFitted;
  rule.ends = p.ends;
  rule.least = p.least / 100;
  return rule;
}

/// Points in the making.
struct Made {
  Array<Vec3> position;
  Array<Quat> orientation;
  Array<Vec3> normal;
  Array<std::uint32_t> face;
  Array<Vec2> uv;
  Array<std::uint64_t> id;
  Array<Vec3> cell;
  Array<float> row, column, rowsAbove, isFirst, isLast;

  void add(const Surface& s, const FaceCell& c, std::uint64_t itsId, const Vec3& up, const Vec3& along, Front front) {
    bool isParallel = false;
    const Vec3 across = glm::cross(up, along);
    position.push_back(c.place);
    orientation.push_back(turnFacing(up, front == Front::Along ? along : -across, isParallel));
    normal.push_back(s.faceNormal(c.triangle));
    face.push_back(c.triangle);
    uv.push_back(s.uvAt(c.triangle, c.weights));
    id.push_back(itsId);
    cell.push_back(front == Front::Along ? Vec3(c.depth, 0, c.length) : Vec3(c.length, 0, c.depth));
    row.push_back(static_cast<float>(c.row));
    column.push_back(static_cast<float>(c.column));
    rowsAbove.push_back(static_cast<float>(c.rowsAbove));
    isFirst.push_back(c.isFirst ? 1 : 0);
    isLast.push_back(c.isLast ? 1 : 0);
  }
};

/// Which way the rows of a flat part run: a unit vector in its plane, so that what lies at the left of it, seen from
/// outside, is where the rows go on to. Of a part that leans that is uphill, or as near to it as the rows let it.
Vec3 alongOf(const Surface& s, const Faces& faces, std::size_t f, const Vec3& normal, const Params& p) {
  const Vec3 uphill = kUp - normal * glm::dot(normal, kUp);
  const bool isLevel = glm::length(uphill) < 0.0175F;  // less than a degree has no upper side
  const auto inPlane = [&](const Vec3& v) { return directionOr(v - normal * glm::dot(v, normal), Vec3(0)); };
  Vec3 along(0);
  if (p.run == Run::Level && !isLevel) return glm::normalize(glm::cross(glm::normalize(uphill), normal));
  if (p.run == Run::Uphill && !isLevel) return glm::normalize(uphill);
  if (p.run == Run::Compass)
    along = inPlane(headingVector(radians(p.headingDeg)));
  else {
    const WhichSide side = p.run <= Run::Longest
                               ? WhichSide::Longest
                               : static_cast<WhichSide>(static_cast<int>(p.run) - static_cast<int>(Run::Longest));
    along = inPlane(edgeSense(alongSide(sidesOf(s, faces, f, p.are), side), normal));
  }
  if (along == Vec3(0)) {
    bool isParallel = false;
    along = turnFacing(normal, Vec3(1, 0, 0), isParallel) * Vec3(0, 0, 1);
  }
  if (!isLevel && glm::dot(glm::cross(normal, along), uphill) < -1e-4F) along = -along;
  return along;
}

std::uint64_t idOfCell(const EvalContext& ctx, std::uint64_t faceKey, const FaceCell& c) {
  return ctx.idOf(faceKey, static_cast<std::uint64_t>(static_cast<std::uint32_t>(c.row)) << 32 |
                               static_cast<std::uint32_t>(c.column));
}

Result<Made> inParts(const EvalContext& ctx, const Surface& s, const Params& p) {
  const auto faces = facesBy(s, p);
  const CellRule rule = ruleOf(p);
  struct Part {
    Vec3 normal, along;
  };
  std::vector<Part> parts(faces->count());
  double cells = 0;
  for (std::size_t f = 0; f < parts.size(); ++f) {
    endIfStopped();
    Vec3 normal(0);
    for (const std::uint32_t t : faces->of(f)) normal += s.faceArea(t) * s.faceNormal(t);
    parts[f].normal = directionOr(normal, kUp);
    parts[f].along = alongOf(s, *faces, f, parts[f].normal, p);
    cells += cellsInExtent(s, faces->of(f), parts[f].along, glm::cross(parts[f].normal, parts[f].along), rule);
    if (auto ok = guardPoints(ctx, cells, "Raise the distance of rows or the pitch"); !ok) return Failure(ok.error());
  }
  const DraftTest draft(ctx, p);
  Made made;
  std::size_t bare = 0;
  for (std::size_t f = 0; f < parts.size(); ++f) {
    const Part& part = parts[f];
    const Vec3 across = glm::cross(part.normal, part.along);
    const std::uint64_t key = keyOfFace(s, *faces, f);
    const Array<FaceCell> found = cellsOver(s, faces->of(f), part.along, across, rule);
    bare += found.empty();
    for (const FaceCell& c : found) {
      const std::uint64_t id = idOfCell(ctx, key, c);
      if (draft.holds(id)) made.add(s, c, id, part.normal, part.along, p.front);
    }
  }
  if (bare > 0)
    ctx.warn(fmt::format("{} of {} flat parts are too small for a cell", bare, parts.size()),
             "Lower the pitch, raise the angle that is still flat, or let cells reach over the ends");
  return made;
}

Result<Made> alongLevels(const EvalContext& ctx, const Surface& s, const Params& p) {
  bool isTooMany = false;
  constexpr double kMostPlaces = 5e7;
  const bool isByHeight = p.apart == Apart::Height;
  const std::optional<Levels> levels = isByHeight ? levelsByStep(s, static_cast<double>(p.heightStep), kMostPlaces)
                                                  : levelsByDistance(s, static_cast<double>(p.distance), kMostPlaces);
  const char* advice = isByHeight ? "Raise the height step" : "Raise the distance along the ground";
  const std::vector<LevelLine> lines = levels ? levelLinesOf(s, *levels, kMostPlaces, isTooMany)
                                              : std::vector<LevelLine>();
  if (!levels || isTooMany)
    return fail(ProblemCode::TooMany, "the ground has more level lines than can be gone along", advice);
  const DraftTest draft(ctx, p);
  double count = 0;
  std::int32_t top = 0;
  for (const LevelLine& line : lines) {
    count += lengthOf(line) / static_cast<double>(p.pitch) + 1;
    top = std::max(top, line.level);
  }
  if (auto ok = guardPoints(ctx, count, "Raise what rows are apart by, or the pitch"); !ok) return Failure(ok.error());
  Made made;
  for (const LevelLine& line : lines) {
    endIfStopped();
    const double length = lengthOf(line);
    auto pitch = static_cast<double>(p.pitch);
    if (p.isFitted) pitch = length / std::max(1.0, std::round(length / pitch));
    const double rowShift = static_cast<double>(line.level) * static_cast<double>(p.stagger) / 100;
    const double shift = (rowShift - std::floor(rowShift)) * pitch;
    std::vector<FaceCell> cells;
    // A closed line has no ends: as many whole cells as there is room for.
    const CellEnds ends = line.isClosed ? CellEnds::Inside : p.ends;
    const double begin = line.isClosed ? shift : -shift;
    const double end = line.isClosed ? shift + length : length;
    for (std::int64_t k = 0;; ++k) {
      double from = begin + static_cast<double>(k) * pitch;
      double to = from + pitch;
      if (from >= end - 1e-6 * pitch) break;
      const double inside = std::min(to, end) - std::max(from, line.isClosed ? shift : 0.0);
      const double middle = 0.5 * (from + to);
      const bool counts = ends == CellEnds::Inside   ? inside > pitch * (1 - 1e-4)
                          : ends == CellEnds::Middle ? middle >= 0 && middle <= end
                                                     : inside >= pitch * static_cast<double>(p.least) / 100 - 1e-9;
      if (!counts) continue;
      if (ends == CellEnds::Cut) {
        from = std::max(from, 0.0);
        to = std::min(to, end);
      }
      double at = std::clamp(0.5 * (from + to), 0.0, end);
      if (line.isClosed && at > length) at -= length;
      const LevelPlace place = placeOn(line, at);
      const UVec3 v = s.triangles[place.triangle];
      FaceCell c;
      c.row = line.level;
      c.column = static_cast<std::int32_t>(k);
      c.rowsAbove = top - line.level;
      c.length = static_cast<float>(to - from);
      c.depth = isByHeight ? p.heightStep : p.distance;
      c.place = place.position;
      c.triangle = place.triangle;
      c.weights = closestWeights(c.place, s.positions[v.x], s.positions[v.y], s.positions[v.z]);
      cells.push_back(c);
    }
    if (!cells.empty() && !line.isClosed) cells.front().isFirst = cells.back().isLast = true;
    for (const FaceCell& c : cells) {
      const std::uint64_t id = idOfCell(ctx, s.faceKey(line.places.front().triangle), c);
      if (!draft.holds(id)) continue;
      // With what is higher at the left, across the line.
      const Vec3 normal = s.normalAt(c.triangle, c.weights);
      const Vec3 higher = kUp - normal * glm::dot(normal, kUp);
      made.add(s, c, id, normal, directionOr(glm::cross(higher, normal), Vec3(1, 0, 0)), p.front);
    }
  }
  return made;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Surface& s = *in.surface("surface");
  Result<Made> found = p.lie == Lie::InParts ? inParts(ctx, s, p) : alongLevels(ctx, s, p);
  if (!found) return Failure(found.error());
  Made& made = *found;
  Points out;
  out.count = made.id.size();
  *ctx.candidates = out.count;
  out.position = std::move(made.position);
  out.orientation = std::move(made.orientation);
  out.groundNormal = std::move(made.normal);
  out.groundFace = std::move(made.face);
  out.groundUv = std::move(made.uv);
  out.id = std::move(made.id);
  out.draftLevel = draftLevels(p, out.id, out.count);
  out.footprint = Column<float>(p.footprint);
  out.attributes.insert_or_assign("cell", Column<Vec3>(std::move(made.cell)));
  const auto number = [&](const char* name, Array<float>& values) {
    out.attributes.insert_or_assign(name, Column<float>(std::move(values)));
  };
  number("row", made.row);
  number("column", made.column);
  number("rows-above", made.rowsAbove);
  number("first-in-row", made.isFirst);
  number("last-in-row", made.isLast);
  auto [kept, left] = split(out, exposedBy(ctx, in.mask("where"), out));
  return Outputs{std::move(kept), std::move(left)};
}

std::string sentence(const Params& p) {
  if (p.lie == Lie::InParts) return fmt::format("rows · {:g} m, {:g} m apart", p.row, p.pitch);
  return p.apart == Apart::Height
             ? fmt::format("level lines · every {:g} m up, {:g} m apart", p.heightStep, p.pitch)
             : fmt::format("level lines · every {:g} m of ground, {:g} m apart", p.distance, p.pitch);
}

}  // namespace

const NodeKind& courses() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "courses";
    k.groundFrom = "surface";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Courses");
    k.help = ARVESK_TEXT(
        "node",
        "Rows of cells in the plane of each flat part of a surface, for shingles, bricks, planks and tiles, or along "
        "level lines of uneven ground, for terraces and drift lines. Each point stands in the middle of its cell and "
        "looks toward the first row, or along its row. Points carry cell_x and cell_z (the cell's size in m along "
        "their "
        "own axes, with what reaches under the next row), row, column, rows-above, first-in-row and last-in-row; Size "
        "to fit takes a prop to the cell's size. Rows count from the lower edge of each part, columns from its side; "
        "level lines from height 0.");
    k.glyph = "courses";
    k.synonyms = {"shingles", "tiles", "bricks", "planks", "roof", "wall", "deck", "terraces", "contour", "rows"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "What the rows lie on."), false, false},
                chanceWhereInput()};
    k.outputs = {pointsOutput(), leftOutOutput()};
    k.params = {
        param("lie", &Params::lie, ARVESK_TEXT("node", "Rows lie"),
              ARVESK_TEXT("node", "In the plane of each flat part, or along lines of one height."),
              {{"in-parts", ARVESK_TEXT("node", "In flat parts")},
               {"level-lines", ARVESK_TEXT("node", "Along level lines")}}),
        param("run", &Params::run, ARVESK_TEXT("node", "Rows run"),
              ARVESK_TEXT("node",
                          "Level, up the slope, along an edge of the part, or as near as they can to a heading. On "
                          "parts that are level themselves the first two mean the longest edge."),
              {{"level", ARVESK_TEXT("node", "Level")},
               {"uphill", ARVESK_TEXT("node", "Uphill")},
               {"longest", ARVESK_TEXT("node", "Longest edge")},
               {"shortest", ARVESK_TEXT("node", "Shortest edge")},
               {"first", ARVESK_TEXT("node", "First edge")},
               {"second", ARVESK_TEXT("node", "Second edge")},
               {"third", ARVESK_TEXT("node", "Third edge")},
               {"compass", ARVESK_TEXT("node", "Fixed")}})
            .shown("lie", {"in-parts"}),
        param("heading_angle", &Params::headingDeg, ARVESK_TEXT("node", "Heading angle"),
              ARVESK_TEXT("node", "0° is north (−Z), 90° east (+X), clockwise from above."))
            .in(Unit::Degree)
            .hard(-3600, 3600)
            .usual(-180, 180, 1)
            .shown("run", {"compass"}),
        param("row", &Params::row, ARVESK_TEXT("node", "Rows apart by"),
              ARVESK_TEXT("node", "From one row to the next, in the plane of the part: what stays in sight of each."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.02, 2, 0.01)
            .shown("lie", {"in-parts"}),
        param("apart", &Params::apart, ARVESK_TEXT("node", "Level lines by"),
              ARVESK_TEXT("node",
                          "From one to the next straight up, or along the ground: on the mean of the whole line, so "
                          "that steep places have them a little closer and flat ones wider."),
              {{"height", ARVESK_TEXT("node", "Height")}, {"distance", ARVESK_TEXT("node", "Distance")}})
            .shown("lie", {"level-lines"}),
        param("distance", &Params::distance, ARVESK_TEXT("node", "Distance along the ground"),
              ARVESK_TEXT("node", "From one level line to the next, on the mean."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.1, 10, 0.1)
            .shown("apart", {"distance"}),
        param("height_step", &Params::heightStep, ARVESK_TEXT("node", "Height step"),
              ARVESK_TEXT("node", "From one level line to the next, straight up."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 5, 0.05)
            .shown("apart", {"height"}),
        param("pitch", &Params::pitch, ARVESK_TEXT("node", "Pitch"),
              ARVESK_TEXT("node", "From one cell of a row to the next."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.02, 4, 0.01),
        param("overlap", &Params::overlap, ARVESK_TEXT("node", "Overlap"),
              ARVESK_TEXT("node", "How far each row reaches under the next one, as a share of their distance."))
            .in(Unit::Percent)
            .hard(0, 1000)
            .usual(0, 150, 1)
            .shown("lie", {"in-parts"}),
        param("stagger", &Params::stagger, ARVESK_TEXT("node", "Stagger"),
              ARVESK_TEXT("node", "How far each row is shifted against the one before, as a share of the pitch."))
            .in(Unit::Percent)
            .hard(-100, 100)
            .usual(0, 100, 1),
        param("fitted", &Params::isFitted, ARVESK_TEXT("node", "Whole numbers"),
              ARVESK_TEXT("node",
                          "Distance of rows and pitch are changed a little, so that whole numbers of rows and cells "
                          "fill each part's extent, or each level line.")),
        param("ends", &Params::ends, ARVESK_TEXT("node", "Ends"),
              ARVESK_TEXT("node",
                          "Cells at the edge of a part: only whole ones, those whose middle lies on it, those of which "
                          "a share does, or these cut to what lies on it."),
              {{"inside", ARVESK_TEXT("node", "Inside")},
               {"middle", ARVESK_TEXT("node", "By the middle")},
               {"over", ARVESK_TEXT("node", "Over the edge")},
               {"cut", ARVESK_TEXT("node", "Cut to the edge")}}),
        param("least", &Params::least, ARVESK_TEXT("node", "Least inside"),
              ARVESK_TEXT("node", "The share of a cell that must lie on the part."))
            .in(Unit::Percent)
            .hard(0.1, 100)
            .usual(1, 100, 1)
            .shown("ends", {"over", "cut"}),
        param(
            "front", &Params::front, ARVESK_TEXT("node", "Front"),
            ARVESK_TEXT("node", "Which way the own Z axis looks: toward the first row (downhill), or along the row."),
            {{"first-row", ARVESK_TEXT("node", "To the first row")}, {"along", ARVESK_TEXT("node", "Along the row")}}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    addFaceParams<Params>(k.params, "lie", "in-parts");
    addDraftParams<Params>(k.params);
    k.usesSeed = true;
    k.example.params = {{"lie", std::string("level-lines")}, {"height_step", 0.4}, {"pitch", 0.6}};
    k.trial.params = {{"run", std::string("compass")},
                      {"face_angle", 60.0},
                      {"row", 0.5},
                      {"pitch", 0.5},
                      {"ends", std::string("over")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
