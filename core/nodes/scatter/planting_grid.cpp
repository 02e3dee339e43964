// Planting grid: points in rows over a surface, set down on it.
#include "core/nodes/registry.h"
#include "core/nodes/scatter/chance.h"
#include "core/nodes/scatter/draft_share.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Cells { Square, Staggered, Hexagonal };
struct Params : DraftShare {
  Cells cells = Cells::Square;
  float spacing = 1;
  bool hasRowSpacing = false;  // else rows are as far as points of a row
  float rowSpacing = 1;
  float turnDeg = 0;
  float jitter = 0;
  float footprint = 0.25F;
};

/// Columns and rows that are looked at, first and last.
struct Lattice {
  double fromColumn, toColumn, fromRow, toRow;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const SurfacePtr surface = in.surface("surface");
  const auto index = SurfaceIndex::of(*surface);
  if (!index) return Failure(index.error());
  const Box3 box = surface->bounds();  // rays start above the whole of it, whatever is wanted
  const float across = p.cells != Cells::Hexagonal && p.hasRowSpacing ? p.rowSpacing : p.spacing;
  const float rowStep = p.cells == Cells::Hexagonal ? p.spacing * std::sqrt(0.75F) : across;
  const float c = std::cos(radians(p.turnDeg));
  const float s = std::sin(radians(p.turnDeg));
  // Rows and columns count from the world's origin, so that a larger ground only adds.
  const auto seen = [&](const Box3& of, double more) {
    float fromU = std::numeric_limits<float>::max();
    float toU = std::numeric_limits<float>::lowest();
    float fromV = fromU;
    float toV = toU;
    for (const float x : {of.min.x, of.max.x})
      for (const float z : {of.min.z, of.max.z}) {
        const float u = c * x + s * z;
        const float v = c * z - s * x;
        fromU = std::min(fromU, u);
        toU = std::max(toU, u);
        fromV = std::min(fromV, v);
        toV = std::max(toV, v);
      }
    const double column = std::floor(static_cast<double>(fromU / p.spacing)) - more;
    const double row = std::floor(static_cast<double>(fromV / rowStep)) - more;
    return Lattice{column, column + std::floor(static_cast<double>((toU - fromU) / p.spacing)) + 2 * more, row,
                   row + std::floor(static_cast<double>((toV - fromV) / rowStep)) + 2 * more};
  };
  Lattice lattice = seen(box, 1);
  if (!ctx.part.isAll()) {
    const Box3 wanted{glm::max(box.min, ctx.part.min), glm::min(box.max, ctx.part.max)};
    if (wanted.min.x > wanted.max.x || wanted.min.z > wanted.max.z) return Outputs{std::make_shared<const Points>()};
    const Lattice part = seen(wanted, 3);  // by jitter a point comes from up to a place beside it
    lattice = {std::max(lattice.fromColumn, part.fromColumn), std::min(lattice.toColumn, part.toColumn),
               std::max(lattice.fromRow, part.fromRow), std::min(lattice.toRow, part.toRow)};
  }
  const double columns = lattice.toColumn - lattice.fromColumn + 1;
  const double rows = lattice.toRow - lattice.fromRow + 1;
  if (auto ok = guardPoints(ctx, columns * rows, "Raise the spacing"); !ok) return Failure(ok.error());
  const auto firstColumn = static_cast<std::int64_t>(lattice.fromColumn);
  const auto firstRow = static_cast<std::int64_t>(lattice.fromRow);
  const auto columnCount = static_cast<std::size_t>(columns);
  const auto count = columnCount * static_cast<std::size_t>(rows);

  const Draw jitterX = ctx.draw("jitter-x");
  const Draw jitterZ = ctx.draw("jitter-z");
  const DraftTest draft(ctx, p);
  Array<GroundPlace> found(count);
  Array<std::uint64_t> ids(count);
  parallelPieces(ctx.task, count, 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      found[k].face = kNoFace;
      const std::int64_t column = firstColumn + static_cast<std::int64_t>(k % columnCount);
      const std::int64_t row = firstRow + static_cast<std::int64_t>(k / columnCount);
      ids[k] = ctx.idOf(static_cast<std::uint64_t>(column), static_cast<std::uint64_t>(row));
      if (!draft.holds(ids[k])) continue;
      const float shift = p.cells != Cells::Square && (row & 1) ? 0.5F : 0.0F;
      const float u = (static_cast<float>(column) + shift + p.jitter / 100 * (jitterX.unit(ids[k]) - 0.5F)) * p.spacing;
      const float v = static_cast<float>(row) * rowStep + p.jitter / 100 * (jitterZ.unit(ids[k]) - 0.5F) * across;
      const SurfaceHit hit = (*index)->first({c * u - s * v, box.max.y + 1, c * v + s * u}, -kUp, box.extent().y + 2);
      if (hit.isHit()) found[k] = groundPlaceOf(*surface, hit);
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Array<Vec3> position;
  Array<Vec3> normal;
  Array<std::uint32_t> face;
  Array<Vec2> uv;
  Array<std::uint64_t> id;
  for (std::size_t k = 0; k < count; ++k) {
    if (found[k].face == kNoFace) continue;
    position.push_back(found[k].position);
    normal.push_back(found[k].normal);
    face.push_back(found[k].face);
    uv.push_back(found[k].uv);
    id.push_back(ids[k]);
  }
  Points out;
  out.count = id.size();
  *ctx.candidates = out.count;
  out.position = std::move(position);
  out.groundNormal = std::move(normal);
  out.groundFace = std::move(face);
  out.groundUv = std::move(uv);
  out.id = std::move(id);
  out.draftLevel = draftLevels(p, out.id, out.count);
  out.orientation = Column<Quat>(glm::angleAxis(-radians(p.turnDeg), kUp));
  out.footprint = Column<float>(p.footprint);
  const MaskPtr where = in.mask("where");
  if (!where) return Outputs{std::make_shared<const Points>(std::move(out))};
  return Outputs{split(out, exposedBy(ctx, where, out)).first};
}

std::string sentence(const Params& p) {
  constexpr std::array names{"square", "staggered", "hexagonal"};
  const char* name = names[static_cast<std::size_t>(p.cells)];
  return p.cells != Cells::Hexagonal && p.hasRowSpacing
             ? fmt::format("{} · {:g} m apart, rows {:g} m", name, p.spacing, p.rowSpacing)
             : fmt::format("{} · {:g} m apart", name, p.spacing);
}

}  // namespace

const NodeKind& plantingGrid() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "planting-grid";
    k.groundFrom = "surface";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Planting grid");
    k.help = ARVESK_TEXT("node",
                         "Rows of points over a surface as seen from above, set down on its topmost place: square, "
                         "staggered or hexagonal. Rows count from the world's origin, so a larger ground only adds. "
                         "Jitter moves each point by a share of the spacing.");
    k.glyph = "planting-grid";
    k.synonyms = {"rows", "field", "orchard", "array", "lattice"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "What the rows lie on."), false, false},
                chanceWhereInput()};
    k.outputs = {pointsOutput()};
    k.params = {
        param("cells", &Params::cells, ARVESK_TEXT("node", "Cells"),
              ARVESK_TEXT("node",
                          "Staggered shifts every other row by half; hexagonal also brings the rows closer, so that "
                          "all neighbors are as far."),
              {{"square", ARVESK_TEXT("node", "Square")},
               {"staggered", ARVESK_TEXT("node", "Staggered")},
               {"hexagonal", ARVESK_TEXT("node", "Hexagonal")}}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "From one point of a row to the next, from above."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05),
        param("rows_apart", &Params::hasRowSpacing, ARVESK_TEXT("node", "Rows apart"),
              ARVESK_TEXT("node", "Rows have a distance of their own; else they are as far as points of a row."))
            .shown("cells", {"square", "staggered"}),
        param("row_spacing", &Params::rowSpacing, ARVESK_TEXT("node", "Between rows"),
              ARVESK_TEXT("node", "From one row to the next, from above."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05)
            .shown("rows_apart", {"on"}),
        param("turn", &Params::turnDeg, ARVESK_TEXT("node", "Turn"),
              ARVESK_TEXT("node", "Of the rows, clockwise from above."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(-180, 180, 1),
        param("jitter", &Params::jitter, ARVESK_TEXT("node", "Jitter"),
              ARVESK_TEXT("node", "How far each point may lie from its place, as a share of the spacing."))
            .in(Unit::Percent)
            .hard(0, 200)
            .usual(0, 100, 1),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    addDraftParams<Params>(k.params);
    hasAtMost<Params>(k, [](const Params& p, const Most&, const Inputs&) -> std::optional<Most> {
      return Most{p.footprint, 1};
    });
    k.makesParts = [](const ParamMap&) { return true; };
    k.usesSeed = true;
    k.example.params = {{"cells", std::string("hexagonal")}, {"spacing", 0.8}, {"turn", 20.0}};
    k.trial.params = {{"jitter", 60.0}, {"rows_apart", true}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
