// Points of surface: one per face, vertex, edge or even cell, with a heading from the edges.
#include "core/geometry/face_cells.h"
#include "core/geometry/welding.h"
#include "core/nodes/face_rule.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/chance.h"
#include "core/nodes/scatter/sow_free.h"
#include "core/nodes/scatter/surface_attributes.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

enum class Of { Face, Vertex, Edge, Cell };
enum class Stands { Area, Rectangle };
enum class Heading { Longest, Shortest, First, Second, Third, Compass };  // but for the last one as WhichSide
struct Params : FaceRule {
  Of of = Of::Face;
  Heading heading = Heading::Longest;
  float headingDeg = 0;
  Stands stands = Stands::Area;
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
  Vec2 extent{0};    // m across and along the heading, of a face
};

/// Which way lies along the chosen side of a face; the length is the side's.
Vec3 aheadOf(const std::vector<FaceSide>& sides, const Vec3& normal, const Params& p) {
  if (p.heading == Heading::Compass) return headingVector(radians(p.headingDeg));
  return edgeSense(alongSide(sides, static_cast<WhichSide>(p.heading)), normal);
}

/// The place of a face that is nearest to where the point is wanted.
void placeWithin(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& wanted, Made& m) {
  float nearest = std::numeric_limits<float>::max();
  for (const std::uint32_t t : triangles) {
    const UVec3 v = s.triangles[t];
    const Vec2 w = closestWeights(wanted, s.positions[v.x], s.positions[v.y], s.positions[v.z]);
    const Vec3 at = s.positionAt(t, w);
    const float distance = glm::distance(at, wanted);
    if (distance >= nearest) continue;
    nearest = distance;
    m.place = at;
    m.face = t;
    m.weights = w;
  }
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
    bool isParallel = false;
    const Mat3 turn = glm::mat3_cast(turnFacing(m.normal, m.ahead, isParallel));
    const FaceRectangle r = p.stands == Stands::Rectangle ? largestRectangle(s, faces.of(f), turn[2], turn[0])
                                                          : rectangleAround(s, faces.of(f), turn[2], turn[0]);
    m.extent = {r.width, r.length};
    if (p.stands == Stands::Rectangle && r.width > 0) placeWithin(s, faces.of(f), r.middle, m);
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
  Array<float> faceWidth(out.count);
  Array<float> faceLength(out.count);
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
    faceWidth[i] = m.extent.x;
    faceLength[i] = m.extent.y;
  }
  // Materials are left out: they were never carried, and what is named so must be asked for.
  carryAttributes(
      out, s, face, [&](std::size_t i) { return made[i].weights; },
      [](const std::string& name) { return name != "material"; });
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.groundNormal = std::move(normal);
  out.groundFace = std::move(face);
  out.groundUv = std::move(uv);
  out.id = std::move(id);
  out.footprint = Column<float>(p.footprint);
  out.attributes.insert_or_assign("face-area", Column<float>(std::move(area)));
  out.attributes.insert_or_assign("edge-length", Column<float>(std::move(length)));
  if (p.of == Of::Face) {
    out.attributes.insert_or_assign("face-width", Column<float>(std::move(faceWidth)));
    out.attributes.insert_or_assign("face-length", Column<float>(std::move(faceLength)));
  }
  auto [kept, left] = split(out, exposedBy(ctx, in.mask("where"), out));
  return Outputs{std::move(kept), std::move(left)};
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
        "One point per face, vertex, edge middle or even cell of a surface, for decks, tiles, panels and lots. Two "
        "triangles "
        "that follow each other and make a flat quad are one face. Up is the normal, the own Z axis looks along an "
        "edge. "
        "Even cells count big and small triangles alike; their points are moved onto the real surface. Points carry "
        "face-area (m²), edge-length (m), and the surface's own attributes, colors and part names; those of faces also "
        "face-width and face-length (m, along their own X and Z), to which Size to fit takes a prop.");
    k.glyph = "points-of-surface";
    k.synonyms = {"vertices", "faces", "edges", "panels", "tiles", "deck", "boards"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "Whose faces, vertices or edges to take."), false, false},
                chanceWhereInput()};
    k.outputs = {pointsOutput(), leftOutOutput()};
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
        param("stands", &Params::stands, ARVESK_TEXT("node", "Stands in"),
              ARVESK_TEXT("node",
                          "The middle of the face's area, with the face's whole width and length, or the middle of the "
                          "largest rectangle within it along the heading, with that one's."),
              {{"area", ARVESK_TEXT("node", "Middle of the face")},
               {"rectangle", ARVESK_TEXT("node", "Largest rectangle")}})
            .shown("of", {"face"}),
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
    k.usesSeed = true;
    k.example.groundDivisions = 18;
    k.trial.params = {{"of", std::string("cell")}, {"cell", std::vector<double>{1, 1, 1}}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
