#include "core/spatial/lying.h"

#include <algorithm>

namespace arvesk {

std::vector<FlatSide> flatSidesOf(const Prop& prop) {
  const Surface& mesh = *prop.surface;
  const float diagonal = glm::length(mesh.bounds().extent());
  constexpr float kAlike = 0.97F;  // cosine of 14°
  std::vector<FlatSide> sides;
  struct Face {
    Vec3 area;
    Vec3 middle;
  };
  std::vector<Face> faces;
  for (const UVec3& t : mesh.triangles) {
    const Vec3 a = mesh.positions[t.x];
    const Vec3 b = mesh.positions[t.y];
    const Vec3 c = mesh.positions[t.z];
    faces.push_back({0.5F * glm::cross(b - a, c - a), (a + b + c) / 3.0F});
  }
  std::stable_sort(faces.begin(), faces.end(),
                   [](const Face& a, const Face& b) { return glm::dot(a.area, a.area) > glm::dot(b.area, b.area); });
  constexpr std::size_t kTried = 24;
  for (const Face& first : faces) {
    if (sides.size() == kTried || glm::length(first.area) <= 0) break;
    const Vec3 outward = glm::normalize(first.area);
    if (std::any_of(sides.begin(), sides.end(),
                    [&](const FlatSide& s) { return glm::dot(s.outward, outward) > kAlike; }))
      continue;
    float outermost = std::numeric_limits<float>::lowest();
    for (const Vec3& p : mesh.positions) outermost = std::max(outermost, glm::dot(p, outward));
    FlatSide side{outward, 0};
    for (const Face& f : faces)
      if (const float area = glm::dot(f.area, outward);
          area > kAlike * glm::length(f.area) && glm::dot(f.middle, outward) > outermost - 0.02F * diagonal)
        side.area += area;
    sides.push_back(side);
  }
  std::stable_sort(sides.begin(), sides.end(), [](const FlatSide& a, const FlatSide& b) { return a.area > b.area; });
  // A side is one when it holds the prop up: a fiftieth of the diagonal squared.
  const float least = sides.empty() ? 0 : std::max(sides.front().area / 3, 0.02F * diagonal * diagonal);
  sides.erase(std::find_if(sides.begin(), sides.end(), [&](const FlatSide& s) { return s.area < least; }), sides.end());
  if (sides.size() > 6) sides.resize(6);
  return sides;
}

}  // namespace arvesk
