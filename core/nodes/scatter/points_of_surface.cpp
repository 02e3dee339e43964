// Points of surface: one per face, vertex, edge or even cell, with a heading from the edges.
#include "core/nodes/registry.h"
#include "core/nodes/scatter/faces.h"
#include "core/nodes/scatter/sow.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Of { Face, Vertex, Edge, Cell };
enum class Heading { Longest, Shortest, First, Second, Third, Compass };
struct Params {
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

/// Which way lies along the chosen edge of a face; length is the edge's.
Vec3 aheadOf(const Surface& s, const Face& face, const Params& p) {
  if (p.heading == Heading::Compass) return {std::sin(radians(p.headingDeg)), 0, std::cos(radians(p.headingDeg))};
  const auto count = static_cast<std::size_t>(face.cornerCount);
  const auto edge = [&](std::size_t i) {
    return s.positions[face.corners[(i + 1) % count]] - s.positions[face.corners[i % count]];
  };
  if (p.heading >= Heading::First && p.heading <= Heading::Third)
    return edge(static_cast<std::size_t>(p.heading) - static_cast<std::size_t>(Heading::First));
  std::size_t best = 0;
  for (std::size_t i = 1; i < count; ++i) {
    // A hundredth of tolerance: of two equal edges the first is taken, whatever rounding says.
    const float a = glm::length(edge(i));
    const float b = glm::length(edge(best));
    if (p.heading == Heading::Longest ? a > 1.001F * b : a < 0.999F * b) best = i;
  }
  return edge(best);
}

/// The direction without its sign: edges of neighboring faces run either way round.
Vec3 unsignedDirection(const Vec3& v) {
  const bool isBackward = v.x + v.z < 0 || (v.x + v.z == 0 && v.y < 0);
  return isBackward ? -v : v;
}

std::vector<Made> ofFaces(const Surface& s, const Params& p) {
  std::vector<Made> out;
  for (const Face& face : facesOfSurface(s)) {
    const FaceMiddle middle = middleOf(s, face);
    Made m;
    m.place = middle.place;
    m.normal = middle.normal;
    m.ahead = unsignedDirection(aheadOf(s, face, p));
    m.length = glm::length(m.ahead);
    m.face = face.firstTriangle;
    m.weights = face.triangleCount == 1 ? Vec2(1.0F / 3, 1.0F / 3) : Vec2(0.5F, 0.25F);
    m.code = face.firstTriangle;
    m.area = middle.area;
    out.push_back(m);
  }
  return out;
}

struct PlaceLess {
  bool operator()(const Vec3& a, const Vec3& b) const { return std::tie(a.x, a.y, a.z) < std::tie(b.x, b.y, b.z); }
};

std::vector<Made> ofVertices(const Surface& s, const Params& p) {
  std::map<Vec3, std::size_t, PlaceLess> seen;
  std::vector<Made> out;
  for (const Face& face : facesOfSurface(s))
    for (std::size_t c = 0; c < static_cast<std::size_t>(face.cornerCount); ++c) {
      const std::uint32_t v = face.corners[c];
      const auto [it, isNew] = seen.emplace(s.positions[v], out.size());
      const FaceMiddle middle = middleOf(s, face);
      if (isNew) {
        Made m;
        m.place = s.positions[v];
        m.normal = Vec3(0);
        m.ahead = unsignedDirection(aheadOf(s, face, p));
        m.length = glm::length(m.ahead);
        m.face = face.firstTriangle;
        for (int k = 0; k < 3; ++k)
          if (s.positions[s.triangles[face.firstTriangle][k]] == m.place) m.weights = {k == 1 ? 1 : 0, k == 2 ? 1 : 0};
        m.code = v;
        out.push_back(m);
      }
      out[it->second].normal += middle.normal * middle.area;
      out[it->second].area += middle.area / static_cast<float>(face.cornerCount);
    }
  for (Made& m : out) m.normal = directionOr(m.normal, kUp);
  return out;
}

std::vector<Made> ofEdges(const Surface& s, const Params& p) {
  std::map<std::pair<std::size_t, std::size_t>, std::size_t> seen;
  std::map<Vec3, std::size_t, PlaceLess> places;
  std::vector<Made> out;
  for (const Face& face : facesOfSurface(s)) {
    const FaceMiddle middle = middleOf(s, face);
    for (std::size_t c = 0; c < static_cast<std::size_t>(face.cornerCount); ++c) {
      const Vec3 a = s.positions[face.corners[c]];
      const Vec3 b = s.positions[face.corners[(c + 1) % static_cast<std::size_t>(face.cornerCount)]];
      std::size_t ia = places.emplace(a, places.size()).first->second;
      std::size_t ib = places.emplace(b, places.size()).first->second;
      if (ia > ib) std::swap(ia, ib);
      const auto [it, isNew] = seen.emplace(std::pair(ia, ib), out.size());
      if (isNew) {
        Made m;
        m.place = 0.5F * (a + b);
        m.normal = Vec3(0);
        m.ahead = p.heading == Heading::Compass ? aheadOf(s, face, p) : unsignedDirection(b - a);
        m.length = glm::distance(a, b);
        m.face = face.firstTriangle;
        m.code = static_cast<std::uint64_t>(ia) << 32 | ib;
        out.push_back(m);
      }
      out[it->second].normal += middle.normal;
      out[it->second].area += middle.area / static_cast<float>(face.cornerCount);
    }
  }
  for (Made& m : out) m.normal = directionOr(m.normal, kUp);
  return out;
}

/// Cells of one size over the surface: what lies in a cell is averaged by area, then moved onto the real surface.
Result<std::vector<Made>> ofCells(const EvalContext& ctx, const Surface& s, const Params& p) {
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
  const Sown samples = sowFree(ctx.task, s, areas->area, density, ctx.nodeUid, Draw(0, 0, ctx.nodeUid, "cells"));
  const std::vector<Face> faces = facesOfSurface(s);
  std::vector<std::uint32_t> faceOf(s.faceCount());
  for (std::size_t f = 0; f < faces.size(); ++f)
    for (int k = 0; k < faces[f].triangleCount; ++k)
      faceOf[faces[f].firstTriangle + static_cast<std::uint32_t>(k)] = static_cast<std::uint32_t>(f);
  struct Cell {
    Vec3 sum{0};
    Vec3 normal{0};
    Vec3 ahead{0};
    float length = 0;
    float count = 0;
  };
  std::map<std::tuple<int, int, int>, Cell> cells;
  for (std::size_t i = 0; i < samples.size(); ++i) {
    const Vec3 at = glm::floor(toCells * samples.position[i] / p.cell);
    Cell& cell = cells[{static_cast<int>(at.x), static_cast<int>(at.y), static_cast<int>(at.z)}];
    const Vec3 ahead = aheadOf(s, faces[faceOf[samples.face[i]]], p);
    cell.sum += samples.position[i];
    cell.normal += s.faceNormal(samples.face[i]);
    const Vec3 direction = directionOr(ahead, Vec3(0));
    cell.ahead += glm::dot(direction, cell.ahead) < 0 ? -direction : direction;  // edges have no sign
    cell.length += glm::length(ahead);
    ++cell.count;
  }
  std::vector<Made> out;
  for (const auto& [at, cell] : cells) {
    if (cell.count < 4) continue;  // a corner that hardly reaches into the cell belongs to the next one
    const SurfaceHit hit = (*index)->nearest(cell.sum / cell.count, 2 * glm::length(p.cell));
    if (!hit.isHit()) continue;
    Made m;
    m.place = s.positionAt(hit.face, hit.weights);
    m.normal = directionOr(cell.normal, s.faceNormal(hit.face));
    m.ahead = unsignedDirection(cell.ahead);
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
void takeAttributes(Points& out, const Surface& s, const std::vector<Made>& made) {
  for (const auto& [name, column] : s.vertexAttributes) {
    const auto* numbers = std::get_if<Column<float>>(&column);
    if (!numbers || numbers->isConstant()) continue;
    Array<float> values(made.size());
    for (std::size_t i = 0; i < made.size(); ++i)
      values[i] = Surface::between(numbers->values(), s.triangles[made[i].face], made[i].weights);
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
  if (auto ok = guardPoints(ctx, static_cast<double>(s.faceCount()), "Use Sow on surface, or even cells"); !ok)
    return Failure(ok.error());
  std::vector<Made> made;
  if (p.of == Of::Cell) {
    auto cells = ofCells(ctx, s, p);
    if (!cells) return Failure(cells.error());
    made = std::move(*cells);
  } else {
    made = p.of == Of::Face ? ofFaces(s, p) : p.of == Of::Vertex ? ofVertices(s, p) : ofEdges(s, p);
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
    id[i] = hashOf(ctx.nodeUid, static_cast<std::uint64_t>(p.of), m.code);
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
              ARVESK_TEXT("node", "0° looks along +Z, 90° along +X."))
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
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
