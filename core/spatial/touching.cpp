#include "core/spatial/touching.h"

#include "core/spatial/column_grid.h"
#include "core/spatial/flat_overlap.h"

#include <algorithm>
#include <optional>

namespace arvesk {
namespace {

constexpr double kFacing = 0.966;  // of 15°

/// m² that two triangles cover of each other where they face one another within the gap.
double coveredArea(const PlacedTriangle& a, const PlacedTriangle& b, double gap) {
  const DVec3 areaA = a.area();
  const DVec3 areaB = b.area();
  const double lengthA = glm::length(areaA);
  const double lengthB = glm::length(areaB);
  if (!(lengthA > 0) || !(lengthB > 0) || glm::dot(areaA, areaB) > -kFacing * lengthA * lengthB) return 0;
  const DVec3 normal = areaA / lengthA;
  const DVec3 side = glm::normalize(a.corner[1] - a.corner[0]);
  const DVec3 other = glm::cross(normal, side);
  // As seen along a's normal.
  const auto flat = [&](const DVec3& p) {
    const DVec3 d = p - a.corner[0];
    return FlatPoint{glm::dot(d, side), glm::dot(d, other), glm::dot(d, normal)};
  };
  const FlatTriangle own{flat(a.corner[0]), flat(a.corner[1]), flat(a.corner[2])};
  const FlatTriangle its{flat(b.corner[0]), flat(b.corner[2]), flat(b.corner[1])};
  const FlatOverlap overlap(its, own);
  if (overlap.count() < 3) return 0;
  double height = 0;
  for (std::size_t k = 0; k < overlap.count(); ++k) height += overlap.at(k).height;
  return std::abs(height / static_cast<double>(overlap.count())) <= gap ? overlap.area() : 0;
}

/// The triangles of one placement by cells of room, for all that lies against it.
class Facing {
 public:
  explicit Facing(const PlacedMesh& mesh) : m_from(mesh.box().min), m_seen(mesh.count(), 0) {
    double sum = 0;
    for (std::size_t i = 0; i < mesh.count(); ++i) {
      const PlacedTriangle t = mesh.triangle(i);
      m_sides.push_back(t);
      const DVec3 area = t.area();
      const double length = glm::length(area);
      m_normals.push_back(length > 0 ? Vec3(area / length) : Vec3(0));
      sum += t.box.diagonal();
    }
    const DVec3 wide = mesh.box().max - mesh.box().min;
    const double longest = std::max({wide.x, wide.y, wide.z});
    m_cell = std::max(sum / static_cast<double>(mesh.count()), longest / 40);
    if (!(m_cell > 0)) m_cell = 1;
    for (int k = 0; k < 3; ++k) m_cells[k] = static_cast<int>(wide[k] / m_cell) + 1;
    std::vector<std::uint32_t> size(static_cast<std::size_t>(m_cells.x * m_cells.y * m_cells.z) + 1, 0);
    for (const PlacedTriangle& s : m_sides) forCells(s.box, [&](std::size_t c) { ++size[c + 1]; });
    for (std::size_t c = 1; c < size.size(); ++c) size[c] += size[c - 1];
    m_items.resize(size.back());
    m_start = size;
    for (std::uint32_t i = 0; i < m_sides.size(); ++i)
      forCells(m_sides[i].box, [&](std::size_t c) { m_items[size[c]++] = i; });
  }

  /// m² that the other one covers of it.
  double covered(const PlacedMesh& other, double gap) {
    double sum = 0;
    DBox3 own{m_from, m_from + m_cell * DVec3(m_cells)};
    own = own.grown(gap);
    for (std::size_t i = 0; i < other.count(); ++i) {
      const PlacedTriangle t = other.triangle(i);
      if (!t.box.meets(own)) continue;
      const DVec3 area = t.area();
      const double length = glm::length(area);
      if (!(length > 0)) continue;
      ++m_asked;
      // As far as the gap to both sides, in steps: aslant, one box would hold much that does not face it.
      const DVec3 normal = area / length;
      const Vec3 facing(normal);
      const int steps = std::clamp(static_cast<int>(std::ceil(2 * gap / m_cell)), 1, 64);
      for (int k = 0; k < steps; ++k) {
        DBox3 room;
        for (const DVec3& corner : t.corner) {
          room.add(corner + gap * (2.0 * k / steps - 1) * normal);
          room.add(corner + gap * (2.0 * (k + 1) / steps - 1) * normal);
        }
        forCells(room, [&](std::size_t c) {
          for (std::uint32_t n = m_start[c]; n < m_start[c + 1]; ++n) {
            const std::uint32_t item = m_items[n];
            // Most do not face it: asked of few numbers, and a little loosely.
            if (m_seen[item] == m_asked || glm::dot(facing, m_normals[item]) > 0.99F * -static_cast<float>(kFacing))
              continue;
            const PlacedTriangle& s = m_sides[item];
            if (!s.box.meets(room)) continue;
            m_seen[item] = m_asked;
            sum += coveredArea(t, s, gap);
          }
        });
      }
    }
    return sum;
  }

 private:
  template <typename Visit>
  void forCells(const DBox3& box, Visit visit) const {
    glm::ivec3 from;
    glm::ivec3 to;
    for (int k = 0; k < 3; ++k) {
      const double last = m_cells[k] - 1;
      from[k] = static_cast<int>(std::clamp((box.min[k] - m_from[k]) / m_cell, 0.0, last));
      to[k] = static_cast<int>(std::clamp((box.max[k] - m_from[k]) / m_cell, 0.0, last));
    }
    for (int x = from.x; x <= to.x; ++x)
      for (int y = from.y; y <= to.y; ++y)
        for (int z = from.z; z <= to.z; ++z) visit(static_cast<std::size_t>((x * m_cells.y + y) * m_cells.z + z));
  }

  DVec3 m_from;
  double m_cell = 1;  // m
  glm::ivec3 m_cells{1};
  std::vector<PlacedTriangle> m_sides;
  std::vector<Vec3> m_normals;
  std::vector<std::uint32_t> m_start;  // by cell
  std::vector<std::uint32_t> m_items;
  std::vector<std::uint32_t> m_seen;  // by triangle: for which of the other one's it was last asked
  std::uint32_t m_asked = 0;
};

}  // namespace

std::vector<Touch> touchesOf(const Task& task, const std::vector<PlacedMesh>& meshes, double gap) {
  std::vector<DBox3> boxes;
  for (const PlacedMesh& m : meshes) boxes.push_back(m.box().grown(gap));
  ColumnGrid grid(boxes);
  for (std::uint32_t i = 0; i < boxes.size(); ++i) grid.add(i, boxes[i]);
  std::vector<std::vector<Touch>> found(meshes.size());
  parallelPieces(task, meshes.size(), 16, [&](std::size_t begin, std::size_t end) {
    for (std::size_t a = begin; a < end; ++a) {
      if (meshes[a].isEmpty()) continue;
      endIfStopped();
      std::optional<Facing> facing;
      for (const std::uint32_t b : grid.meeting(boxes[a])) {
        if (b <= a || !boxes[a].meets(boxes[b])) continue;
        if (meshes[b].isEmpty()) continue;
        if (!facing) facing.emplace(meshes[a]);
        if (const double area = facing->covered(meshes[b], gap); area > 0)
          found[a].push_back({static_cast<std::uint32_t>(a), b, area});
      }
    }
  });
  std::vector<Touch> out;
  for (const auto& of : found) out.insert(out.end(), of.begin(), of.end());
  return out;
}

}  // namespace arvesk
