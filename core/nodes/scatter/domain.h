// What is sown on: cells with a key, a measure and places. Sowing is written over a domain, so that its ways, totals,
// nesting and "where" are the same on the faces of a surface and on whatever else has cells.
#pragma once

#include "core/geometry/points.h"
#include "core/geometry/surface.h"
#include "core/spatial/surface_index.h"

#include <array>
#include <concepts>
#include <numbers>

namespace arvesk {

/// Places in cells, as structure of arrays. Positions are in the domain's own space: see toWorld.
template <typename Weights>
struct Sown {
  Array<Vec3> position;
  Array<std::uint32_t> cell;
  Array<Weights> weights;     // where in its cell
  Array<std::uint64_t> code;  // the ordinal within the cell (or a path, for gap fillers)
  Array<std::uint64_t> id;    // hash(node, key of the cell, code)
  std::size_t size() const { return position.size(); }
  void resize(std::size_t count) {
    each(*this, [count](auto& column) { column.resize(count); });
  }
  void append(const Sown& from, std::size_t i) {
    position.push_back(from.position[i]);
    cell.push_back(from.cell[i]);
    weights.push_back(from.weights[i]);
    code.push_back(from.code[i]);
    id.push_back(from.id[i]);
  }
  /// Those at `which`, in that order.
  Sown some(const Array<std::uint32_t>& which) const {
    Sown out;
    out.resize(which.size());
    parallelPieces({}, which.size(), 8192, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) out.position[i] = position[which[i]];
      for (std::size_t i = begin; i < end; ++i) out.cell[i] = cell[which[i]];
      for (std::size_t i = begin; i < end; ++i) out.weights[i] = weights[which[i]];
      for (std::size_t i = begin; i < end; ++i) out.code[i] = code[which[i]];
      for (std::size_t i = begin; i < end; ++i) out.id[i] = id[which[i]];
    });
    return out;
  }
  /// All of them, one after the other.
  static Sown joined(const std::vector<Sown>& pieces) {
    std::vector<std::size_t> start{0};
    for (const Sown& piece : pieces) start.push_back(start.back() + piece.size());
    Sown out;
    out.resize(start.back());
    parallelPieces({}, pieces.size(), 1, [&](std::size_t begin, std::size_t end) {
      for (std::size_t k = begin; k < end; ++k) {
        const auto copy = [&](const auto& from, auto& to) {
          std::copy(from.begin(), from.end(), to.begin() + static_cast<std::ptrdiff_t>(start[k]));
        };
        copy(pieces[k].position, out.position);
        copy(pieces[k].cell, out.cell);
        copy(pieces[k].weights, out.weights);
        copy(pieces[k].code, out.code);
        copy(pieces[k].id, out.id);
      }
    });
    return out;
  }
  template <typename S, typename What>
  static void each(S& sown, What what) {
    what(sown.position);
    what(sown.cell);
    what(sown.weights);
    what(sown.code);
    what(sown.id);
  }
};

/// Cells that follow each other and lie near each other: asked as one before each is asked.
inline constexpr std::size_t kCellsPerRun = FaceRuns::kFaces;

/// A domain is a light value that points into what it was made of. `Piece` is a convex part of a cell: for Even, what
/// is left of a cell is split into smaller pieces until each is covered or takes a point.
template <typename D>
concept SowingDomain = requires(const D& d, std::uint32_t cell, std::uint64_t bits, typename D::Weights w,
                                typename D::Piece piece, Points& points) {
  { d.measures() } -> std::same_as<const Array<float>&>;  // of each cell, m² or m³
  { d.total() } -> std::same_as<double>;
  { d.forDensity(Task(), 1.0) } -> std::convertible_to<D>;  // with the cells that a density wants, or all there are
  { d.forSpacing(Task(), 1.0F) } -> std::convertible_to<D>;
  { D::perMeasure(1.0) } -> std::same_as<double>;            // by what measures give points per cell at this density
  { d.appearsAt(cell, bits, 0.5) } -> std::same_as<double>;  // the density at which a cell has its point `bits`
  { d.keys() } -> std::same_as<const std::uint64_t*>;        // null: a cell's number is its key
  { d.keyOf(cell) } -> std::same_as<std::uint64_t>;
  { d.isFromAbove() } -> std::same_as<bool>;                // distances count in x and z only
  { D::ballMeasure(1.0) } -> std::same_as<double>;          // of a ball of this diameter, in the domain's dimensions
  { D::drawn(bits) } -> std::same_as<typename D::Weights>;  // uniform over a cell
  { d.positionAt(cell, w) } -> std::same_as<Vec3>;          // in its own space, which spacing is met in
  { d.toWorld(Vec3()) } -> std::same_as<Vec3>;
  { d.isInWorld() } -> std::same_as<bool>;                               // true when both are the same
  { d.boxOf(cell) } -> std::same_as<Box3>;                               // holds the whole cell, rounding included
  { d.runBoxes() } -> std::same_as<std::shared_ptr<const Array<Box3>>>;  // of each kCellsPerRun cells; or null
  { d.wholeOf(cell) } -> std::same_as<typename D::Piece>;
  { d.cornersOf(piece) } -> std::same_as<std::array<Vec3, D::kCorners>>;
  { D::widthOf(d.cornersOf(piece)) } -> std::same_as<float>;  // its longest edge
  { D::childrenOf(piece) } -> std::same_as<std::array<typename D::Piece, D::kChildren>>;
  { D::within(piece, w) } -> std::same_as<typename D::Weights>;  // the place in the piece, as weights in its cell
  { piece.cell } -> std::convertible_to<std::uint32_t>;
  { piece.path } -> std::convertible_to<std::uint64_t>;  // 1 for a whole cell; names the piece for ever
  requires requires(typename D::Ground ground) {         // what points learn of the ground; made for their number
    ground.write(d, std::size_t{0}, cell, w);
    ground.moveInto(points, Array<std::uint32_t>());
  };
};

/// A domain whose cells may reach beyond it.
template <typename D>
concept PartlyOutside = requires(const D& d, std::uint32_t cell, typename D::Weights w, typename D::Piece piece) {
  { d.holds(cell, w) } -> std::same_as<bool>;
  { d.isOut(piece) } -> std::same_as<bool>;   // true only when nothing of the piece is inside
  { d.isWhole(cell) } -> std::same_as<bool>;  // true only when all of the cell is inside
  { d.isTooMany() } -> std::same_as<bool>;    // its cells could not be gone through
};

/// The faces of a surface, by their true area or as seen from above.
class FaceDomain {
 public:
  using Weights = Vec2;  // barycentric, of the second and third corner
  struct Piece {
    std::uint32_t cell = 0;
    std::uint64_t path = 1;
    std::array<Vec2, 3> corners{};
  };
  static constexpr std::size_t kCorners = 3;
  static constexpr std::size_t kChildren = 4;

  FaceDomain(const Surface& surface, const Array<float>& areas, double total, bool isFromAbove)
      : m_surface(&surface), m_areas(&areas), m_total(total), m_isFromAbove(isFromAbove) {}

  const FaceDomain& forDensity(const Task&, double) const { return *this; }
  const FaceDomain& forSpacing(const Task&, float) const { return *this; }
  const Array<float>& measures() const { return *m_areas; }
  static double perMeasure(double density) { return density; }
  double appearsAt(std::uint32_t face, std::uint64_t code, double u) const {
    return (static_cast<double>(code) + 1 - u) / static_cast<double>((*m_areas)[face]);
  }
  double total() const { return m_total; }
  const std::uint64_t* keys() const { return m_surface->faceKeys.empty() ? nullptr : m_surface->faceKeys.data(); }
  std::uint64_t keyOf(std::uint32_t face) const { return m_surface->faceKey(face); }
  bool isFromAbove() const { return m_isFromAbove; }
  static double ballMeasure(double diameter) { return 0.25 * std::numbers::pi * diameter * diameter; }

  /// By folding the unit square (Turk, "Generating random points in triangles", Graphics Gems, 1990).
  static Vec2 drawn(std::uint64_t bits) {
    const float u = static_cast<float>(bits >> 40) * 0x1p-24F;
    const float v = static_cast<float>((bits >> 16) & 0xffffffU) * 0x1p-24F;
    return u + v > 1 ? Vec2(1 - u, 1 - v) : Vec2(u, v);
  }
  Vec3 positionAt(std::uint32_t face, Vec2 w) const { return m_surface->positionAt(face, w); }
  static Vec3 toWorld(const Vec3& place) { return place; }
  static bool isInWorld() { return true; }
  Box3 boxOf(std::uint32_t face) const {
    const UVec3 t = m_surface->triangles[face];
    Box3 box;
    for (const std::uint32_t v : {t.x, t.y, t.z}) box.add(m_surface->positions[v]);
    return withRounding(box);
  }
  std::shared_ptr<const Array<Box3>> runBoxes() const {
    const auto runs = faceRunsOf(*m_surface);
    return {runs, &runs->box};
  }

  Piece wholeOf(std::uint32_t face) const { return {face, 1, {Vec2(0, 0), Vec2(1, 0), Vec2(0, 1)}}; }
  std::array<Vec3, 3> cornersOf(const Piece& p) const {
    return {positionAt(p.cell, p.corners[0]), positionAt(p.cell, p.corners[1]), positionAt(p.cell, p.corners[2])};
  }
  static float widthOf(const std::array<Vec3, 3>& c) {
    return std::max({glm::distance(c[0], c[1]), glm::distance(c[1], c[2]), glm::distance(c[2], c[0])});
  }
  static std::array<Piece, 4> childrenOf(const Piece& p) {
    const Vec2 ab = 0.5F * (p.corners[0] + p.corners[1]);
    const Vec2 bc = 0.5F * (p.corners[1] + p.corners[2]);
    const Vec2 ca = 0.5F * (p.corners[2] + p.corners[0]);
    const std::uint64_t path = p.path * 4;
    return {Piece{p.cell, path, {p.corners[0], ab, ca}}, Piece{p.cell, path + 1, {ab, p.corners[1], bc}},
            Piece{p.cell, path + 2, {ca, bc, p.corners[2]}}, Piece{p.cell, path + 3, {ab, bc, ca}}};
  }
  static Vec2 within(const Piece& p, Vec2 w) {
    return p.corners[0] + (p.corners[1] - p.corners[0]) * w.x + (p.corners[2] - p.corners[0]) * w.y;
  }

  /// Ground records in the making, one per point, written in any order by many threads.
  class Ground {
   public:
    explicit Ground(std::size_t count) : m_normal(count), m_uv(count) {}
    void write(const FaceDomain& d, std::size_t i, std::uint32_t face, Vec2 w) {
      m_normal[i] = d.m_surface->normalAt(face, w);
      m_uv[i] = d.m_surface->uvAt(face, w);
    }
    void moveInto(Points& points, Array<std::uint32_t>&& faces) {
      points.groundNormal = std::move(m_normal);
      points.groundUv = std::move(m_uv);
      points.groundFace = std::move(faces);
    }

   private:
    Array<Vec3> m_normal;
    Array<Vec2> m_uv;
  };

 private:
  const Surface* m_surface;
  const Array<float>* m_areas;
  double m_total;
  bool m_isFromAbove;
};

}  // namespace arvesk
