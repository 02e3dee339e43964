#include "core/spatial/touching.h"

#include "core/spatial/column_grid.h"
#include "core/spatial/flat_overlap.h"

#include <algorithm>

namespace arvesk {
namespace {

/// m² that two triangles cover of each other where they face one another within the gap.
double coveredArea(const PlacedTriangle& a, const PlacedTriangle& b, double gap) {
  constexpr double kFacing = 0.966;  // of 15°
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

double touchArea(const PlacedMesh& a, const PlacedMesh& b, double gap) {
  double sum = 0;
  const DBox3 other = b.box().grown(gap);
  for (std::size_t i = 0; i < a.count(); ++i) {
    const PlacedTriangle t = a.triangle(i);
    if (!t.box.meets(other)) continue;
    const DVec3 area = t.area();
    const double length = glm::length(area);
    if (!(length > 0)) continue;
    // As far as the gap to both sides: what faces it there.
    const DVec3 aside = gap / length * area;
    DBox3 room = t.box;
    for (const DVec3& corner : t.corner) {
      room.add(corner + aside);
      room.add(corner - aside);
    }
    b.over(room, [&](const PlacedTriangle& s) {
      if (s.box.meets(room) && glm::dot(area, s.area()) < 0) sum += coveredArea(t, s, gap);
    });
  }
  return sum;
}

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
      for (const std::uint32_t b : grid.meeting(boxes[a])) {
        if (b <= a || !boxes[a].meets(boxes[b])) continue;
        if (const double area = touchArea(meshes[a], meshes[b], gap); area > 0)
          found[a].push_back({static_cast<std::uint32_t>(a), b, area});
      }
    }
  });
  std::vector<Touch> out;
  for (const auto& of : found) out.insert(out.end(), of.begin(), of.end());
  return out;
}

}  // namespace arvesk
