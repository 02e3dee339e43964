// Points of surface: one per face, vertex, edge or even cell, with a heading from the edges.
#include "core/geometry/welding.h"
#include "core/nodes/face_rule.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/sow_free.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

enum class Of { Face, Vertex, Edge, Cell };
enum class Heading { Longest, Shortest, First, Second, Third, Compass };
struct Params : FaceRule {
  Of of = Of::Face;
  Heading heading = Heading::Longest;
  float headingDeg = 0;
  Vec3 cell{0.5F};
  float cellTurnDeg = 0;
  float footprint = 0.25F;
};

/// One point in the making.
struct Made {
  Vec3 place{0};
  Vec3 normal = kUp;
  Vec3 ahead{0};
  std::uint32_t face = kNoFace;
  Vec2 weights{0};
  std::uint64_t code = 0;
  float area = 0;    // m² of the face
  float length = 0;  // m of the edge that gives the heading
};

/// Which way lies along the chosen side of a face; the length is the side's.
Vec3 aheadOf(const std::vector<FaceSide>& sides, const Vec3& normal, const Params& p) {
  if (p.heading == Heading::Compass) return headingVector(radians(p.headingDeg));
  if (sides.empty()) return Vec3(0);
  const auto side = [&](std::size_t i) { return sides[i % sides.size()].to - sides[i % sides.size()].from; };
  std::size_t best = 0;
  if (p.heading >= Heading::First && p.heading <= Heading::Third)
    best = static_cast<std::size_t>(p.heading) - static_cast<std::size_t>(Heading::First);
  else
    for (std::size_t i = 1; i < sides.size(); ++i) {
      // A hundredth of tolerance: of two equal sides the first is taken, whatever rounding says.
      const float a = glm::length(side(i));
      const float b = glm::length(side(best));
      if (p.heading == Heading::Longest ? a > 1.001F * b : a < 0.999F * b) best = i;
    }
  return edgeSense(side(best), normal);
}

Array<Made> ofFaces(const Surface& s, const Faces& faces, const Params& p) {
  Array<Made> out;
  for (std::size_t f = 0; f < faces.count(); ++f) {
    if ((f & 255U) == 0) endIfStopped();
    const FaceMiddle middle = middleOf(s, faces, f);
    Made m;
    m.place = middle.place;
    m.normal = middle.normal;
    m.ahead = aheadOf(sidesOf(s, faces, f, p.are), middle.normal, p);
    m.length = glm::length(m.ahead);
    m.face = middle.triangle;
    m.weights = middle.weights;
    m.code = keyOfFace(s, faces, f);
    m.area = middle.area;
    out.push_back(m);
  }
  return out;
}

Array<Made> ofVertices(const Surface& s, const Faces& faces, const Params& p) {
  const auto welded = weldedOf(s);
  std::map<std::uint32_t, std::size_t> seen;  // place → point
  Array<Made> out;
  for (std::size_t f = 0; f < faces.count(); ++f) {
    if ((f & 255U) == 0) endIfStopped();
    const FaceMiddle middle = middleOf(s, faces, f);
    const std::vector<FaceSide> sides = sidesOf(s, faces, f, p.are);
    std::set<std::size_t> ofThisFace;
    for (const std::uint32_t t : faces.of(f))
      for (int k = 0; k < 3; ++k) {
        const std::uint32_t v = s.triangles[t][k];
        const auto [it, isNew] = seen.emplace(welded->place[v], out.size());
        if (isNew) {
          Made m;
          m.place = s.positions[v];
          m.normal = Vec3(0);
          m.ahead = aheadOf(sides, middle.normal, p);
          m.length = glm::length(m.ahead);
          m.face = t;
          m.weights = {k == 1 ? 1 : 0, k == 2 ? 1 : 0};
          m.code = s.vertexKey(v);
          out.push_back(m);
        }
        Made& m = out[it->second];
        m.code = std::min(m.code, s.vertexKey(v));  // of those at one place, whichever comes first
        if (!ofThisFace.insert(it->second).second) continue;
        m.normal += middle.normal * middle.area;
        m.area += middle.area / static_cast<float>(std::max<std::size_t>(3, sides.size()));
      }
  }
  for (Made& m : out) m.normal = directionOr(m.normal, kUp);
  return out;
}

Array<Made> ofEdges(const Surface& s, const Faces& faces, const Params& p) {
  const auto welded = weldedOf(s);
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> seen;
  std::vector<std::uint64_t> keyOfPlace(welded->vertex.size(), ~std::uint64_t{0});
  for (std::size_t v = 0; v < s.positions.size(); ++v)
    keyOfPlace[welded->place[v]] = std::min(keyOfPlace[welded->place[v]], s.vertexKey(v));
  Array<Made> out;
  for (std::size_t f = 0; f < faces.count(); ++f) {
    if ((f & 255U) == 0) endIfStopped();
    const FaceMiddle middle = middleOf(s, faces, f);
    const std::vector<FaceSide> sides = sidesOf(s, faces, f, p.are);
    for (const FaceSide& side : sides) {
      const std::uint32_t from = welded->place[side.fromVertex];
      const std::uint32_t to = welded->place[side.toVertex];
      const auto [it, isNew] = seen.emplace(std::minmax(from, to), out.size());
      if (isNew) {
        Made m;
        m.place = s.positionAt(side.triangle, side.weights);
        m.normal = Vec3(0);
        m.ahead = side.to - side.from;
        m.length = glm::length(m.ahead);
        m.face = side.triangle;
        m.weights = side.weights;
        m.code = hashOf(std::min(keyOfPlace[from], keyOfPlace[to]), std::max(keyOfPlace[from], keyOfPlace[to]));
        out.push_back(m);
      }
      out[it->second].normal += middle.normal;
      out[it->second].area += middle.area / static_cast<float>(sides.size());
    }
  }
  for (Made& m : out) {
    m.normal = directionOr(m.normal, kUp);
    m.ahead = p.heading == Heading::Compass ? headingVector(radians(p.headingDeg)) : edgeSense(m.ahead, m.normal);
  }
  return out;
}

/// Cells of one size over the surface: what lies in a cell is averaged by area, then moved onto the real surface.
Result<Array<Made>> ofCells(const EvalContext& ctx, const Surface& s, const Faces& faces, const Params& p) {
  const auto index = SurfaceIndex::of(s);
  if (!index) return Failure(index.error());
  const auto areas = areaTableOf(s);
  // Sixteen samples to a cell's smallest side weigh big and small triangles alike.
  const float first = std::min({p.cell.x, p.cell.y, p.cell.z});
  const float second = std::max(std::min(p.cell.x, p.cell.y), std::min(std::max(p.cell.x, p.cell.y), p.cell.z));
  const double density = 16 / (static_cast<double>(first) * static_cast<double>(second));
  const Quat toCells = glm::angleAxis(radians(p.cellTurnDeg), kUp);
  if (auto ok = guardPoints(ctx, density * areas->total, "Raise the cell size"); !ok) return Failure(ok.error());
  // They measure the cells, so they are the same under every seed.
  const auto samples = sowFree(ctx.task, FaceDomain(s, areas->area, areas->total, false), density, ctx.nodeUid,
                               Draw(0, 0, ctx.nodeUid, "cells"));
  std::vector<Vec3> aheadOfFace(faces.count());
  for (std::size_t f = 0; f < faces.count(); ++f) {
    if ((f & 255U) == 0) endIfStopped();
    aheadOfFace[f] = aheadOf(sidesOf(s, faces, f, p.are), middleOf(s, faces, f).normal, p);
  }
  struct Cell {
    Vec3 sum{0};
    Vec3 normal{0};
    Vec3 ahead{0};
    float length = 0;
    float count = 0;
  };
  std::map<std::tuple<int, int, int>, Cell> cells;
  for (std::size_t i = 0; i < samples.size(); ++i) {
    endIfStoppedAt(i);
    const Vec3 at = glm::floor(toCells * samples.position[i] / p.cell);
    Cell& cell = cells[{static_cast<int>(at.x), static_cast<int>(at.y), static_cast<int>(at.z)}];
    const std::uint32_t face = faces.ofTriangle[samples.cell[i]];
    const Vec3 ahead = face == kNoTriangleFace ? Vec3(0) : aheadOfFace[face];
    cell.sum += samples.position[i];
    cell.normal += s.faceNormal(samples.cell[i]);
    const Vec3 direction = directionOr(ahead, Vec3(0));
    cell.ahead += glm::dot(direction, cell.ahead) < 0 ? -direction : direction;  // edges have no sign
    cell.length += glm::length(ahead);
    ++cell.count;
  }
  Array<Made> out;
  for (const auto& [at, cell] : cells) {
    if ((out.size() & 255U) == 0) endIfStopped();
    if (cell.count < 4) continue;  // a corner that hardly reaches into the cell belongs to the next one
    const SurfaceHit hit = (*index)->nearest(cell.sum / cell.count, 2 * glm::length(p.cell));
    if (!hit.isHit()) continue;
    Made m;
    m.place = s.positionAt(hit.face, hit.weights);
    m.normal = directionOr(cell.normal, s.faceNormal(hit.face));
    m.ahead = p.heading == Heading::Compass ? cell.ahead : edgeSense(cell.ahead, m.normal);
    m.length = cell.length / cell.count;
    m.face = hit.face;
    m.weights = hit.weights;
    m.area = cell.count * static_cast<float>(1 / density);
    m.code = hashOf(static_cast<std::uint64_t>(std::get<0>(at)), static_cast<std::uint64_t>(std::get<1>(at)),
                    static_cast<std::uint64_t>(std::get<2>(at)));
    out.push_back(m);
  }
  return out;
}

/// The surface's own numbers and colors, as they lie at each point.
void takeAttributes(Points& out, const Surface& s, const Array<Made>& made) {
  for (const auto& [name, column] : s.vertexAttributes) {
    const auto* numbers = std::get_if<Column<float>>(&column);
    if (!numbers || numbers->isConstant()) continue;
    Array<float> values(made.size());
    for (std::size_t i = 0; i < made.size(); ++i)
      values[i] = Surface::between(*numbers, s.triangles[made[i].face], made[i].weights);
    out.attributes.insert_or_assign(name, Column<float>(std::move(values)));
  }
  if (!s.colors.empty()) {
    Array<Vec3> colors(made.size());
    for (std::size_t i = 0; i < made.size(); ++i)
      colors[i] = Vec3(Surface::between(s.colors, s.triangles[made[i].face], made[i].weights));
    out.attributes.insert_or_assign("color", Column<Vec3>(std::move(colors)));
  }
  if (s.parts.size() > 1 && !s.faceParts.empty()) {
    Array<std::uint32_t> part(made.size());
    for (std::size_t i = 0; i < made.size(); ++i) part[i] = s.faceParts[made[i].face];
    out.attributes.insert_or_assign("part", TextColumn{std::make_shared<const std::vector<std::string>>(s.parts),
                                                       Column<std::uint32_t>(std::move(part))});
  }
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Surface& s = *in.surface("surface");
  // An edge belongs to two triangles, or to one; cells are guarded where they are measured.
  const double most = p.of == Of::Vertex ? static_cast<double>(s.positions.size())
                      : p.of == Of::Edge ? 1.5 * static_cast<double>(s.faceCount())
                                         : static_cast<double>(s.faceCount());
  if (auto ok = guardPoints(ctx, p.of == Of::Cell ? 0.0 : most, "Use Sow on surface, or even cells"); !ok)
    return Failure(ok.error());
  Array<Made> made;
  const auto faces = facesBy(s, p);
  if (p.of == Of::Cell) {
    auto cells = ofCells(ctx, s, *faces, p);
    if (!cells) return Failure(cells.error());
    made = std::move(*cells);
  } else {
    made = p.of == Of::Face     ? ofFaces(s, *faces, p)
           : p.of == Of::Vertex ? ofVertices(s, *faces, p)
                                : ofEdges(s, *faces, p);
  }
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out;
  out.count = made.size();
  Array<Vec3> position(out.count);
  Array<Quat> orientation(out.count);
  Array<Vec3> normal(out.count);
  Array<std::uint32_t> face(out.count);
  Array<Vec2> uv(out.count);
  Array<std::uint64_t> id(out.count);
  Array<float> area(out.count);
  Array<float> length(out.count);
  for (std::size_t i = 0; i < out.count; ++i) {
    const Made& m = made[i];
    bool isParallel = false;
    position[i] = m.place;
    orientation[i] = turnFacing(m.normal, m.ahead, isParallel);
    normal[i] = m.normal;
    face[i] = m.face;
    uv[i] = s.uvAt(m.face, m.weights);
    id[i] = ctx.idOf(static_cast<std::uint64_t>(p.of), m.code);
    area[i] = m.area;
    length[i] = m.length;
  }
  takeAttributes(out, s, made);
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.groundNormal = std::move(normal);
  out.groundFace = std::move(face);
  out.groundUv = std::move(uv);
  out.id = std::move(id);
  out.footprint = Column<float>(p.footprint);
  out.attributes.insert_or_assign("face-area", Column<float>(std::move(area)));
  out.attributes.insert_or_assign("edge-length", Column<float>(std::move(length)));
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  constexpr std::array names{"one per face", "one per vertex", "one per edge", "one per even cell"};
  std::string text = names[static_cast<std::size_t>(p.of)];
  if (p.of == Of::Cell) text += fmt::format(" of {:g} × {:g} m", p.cell.x, p.cell.z);
  return text;
}

}  // namespace

const NodeKind& pointsOfSurface() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "points-of-surface";
    k.groundFrom = "surface";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Points of surface");
    k.help = ARVESK_TEXT(
        "node",
        "One point per face, vertex, edge middle or even cell of a surface, for decks, tiles and panels. Two triangles "
        "that follow each other and make a flat quad are one face. Up is the normal, the own Z axis looks along an "
        "edge. "
        "Even cells count big and small triangles alike; their points are moved onto the real surface. Points carry "
        "face-area (m²), edge-length (m), and the surface's own attributes, colors and part names.");
    k.glyph = "points-of-surface";
    k.synonyms = {"vertices", "faces", "edges", "panels", "tiles", "deck", "boards"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "Whose faces, vertices or edges to take."), false, false}};
    k.outputs = {pointsOutput()};
    k.params = {
        param("of", &Params::of, ARVESK_TEXT("node", "One per"), ARVESK_TEXT("node", "What gets a point."),
              {{"face", ARVESK_TEXT("node", "Face")},
               {"vertex", ARVESK_TEXT("node", "Vertex")},
               {"edge", ARVESK_TEXT("node", "Edge middle")},
               {"cell", ARVESK_TEXT("node", "Even cell")}}),
        param("heading", &Params::heading, ARVESK_TEXT("node", "Heading along"),
              ARVESK_TEXT("node", "Where the own Z axis looks: along an edge of the face, or a fixed way."),
              {{"longest", ARVESK_TEXT("node", "Longest edge")},
               {"shortest", ARVESK_TEXT("node", "Shortest edge")},
               {"first", ARVESK_TEXT("node", "First edge")},
               {"second", ARVESK_TEXT("node", "Second edge")},
               {"third", ARVESK_TEXT("node", "Third edge")},
               {"compass", ARVESK_TEXT("node", "Fixed")}}),
        param("heading_angle", &Params::headingDeg, ARVESK_TEXT("node", "Heading angle"),
              ARVESK_TEXT("node", "0° is north (−Z), 90° east (+X), clockwise from above."))
            .in(Unit::Degree)
            .hard(-3600, 3600)
            .usual(-180, 180, 1)
            .shown("heading", {"compass"}),
        param("cell", &Params::cell, ARVESK_TEXT("node", "Cell"),
              ARVESK_TEXT("node", "Length, height and width of the even cells."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 5, 0.05)
            .shown("of", {"cell"}),
        param("cell_turn", &Params::cellTurnDeg, ARVESK_TEXT("node", "Cells turned"),
              ARVESK_TEXT("node", "The grid of cells, clockwise from above."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(-180, 180, 1)
            .shown("of", {"cell"}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    addFaceParams<Params>(k.params);
    k.example.groundDivisions = 18;
    k.trial.params = {{"of", std::string("cell")}, {"cell", std::vector<double>{1, 1, 1}}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
