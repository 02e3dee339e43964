#include "core/nodes/scatter/faces.h"

namespace arvesk::nodes {
namespace {

/// The quad of two triangles, when they make one.
bool joined(const Surface& s, std::size_t first, Face& out) {
  if (first + 1 >= s.faceCount()) return false;
  const auto differs = [&](const Array<std::uint16_t>& perFace) {
    return !perFace.empty() && perFace[first] != perFace[first + 1];
  };
  if (differs(s.faceMaterials) || differs(s.faceParts)) return false;
  if (glm::dot(s.faceNormal(first), s.faceNormal(first + 1)) < 0.99985F) return false;
  const UVec3 a = s.triangles[first];
  const UVec3 b = s.triangles[first + 1];
  const auto same = [&](std::uint32_t v, std::uint32_t w) { return v == w || s.positions[v] == s.positions[w]; };
  for (int i = 0; i < 3; ++i)
    for (int k = 0; k < 3; ++k) {
      // The shared edge runs the other way round in the second triangle.
      if (!same(a[i], b[(k + 1) % 3]) || !same(a[(i + 1) % 3], b[k])) continue;
      const std::array<std::uint32_t, 4> corners{a[i], b[(k + 2) % 3], a[(i + 1) % 3], a[(i + 2) % 3]};
      const Vec3 normal = s.faceNormal(first);
      for (std::size_t c = 0; c < 4; ++c) {
        const Vec3 before = s.positions[corners[c]] - s.positions[corners[(c + 3) % 4]];
        const Vec3 after = s.positions[corners[(c + 1) % 4]] - s.positions[corners[c]];
        if (glm::dot(glm::cross(before, after), normal) < 1e-4F * glm::length(before) * glm::length(after))
          return false;
      }
      out = {corners, 4, static_cast<std::uint32_t>(first), 2};
      return true;
    }
  return false;
}

}  // namespace

std::vector<Face> facesOfSurface(const Surface& s) {
  std::vector<Face> out;
  for (std::size_t f = 0; f < s.faceCount();) {
    Face face{{s.triangles[f].x, s.triangles[f].y, s.triangles[f].z, 0}, 3, static_cast<std::uint32_t>(f), 1};
    joined(s, f, face);
    out.push_back(face);
    f += static_cast<std::size_t>(face.triangleCount);
  }
  return out;
}

FaceMiddle middleOf(const Surface& s, const Face& face) {
  FaceMiddle out;
  Vec3 normal(0);
  for (std::uint32_t f = face.firstTriangle; f < face.firstTriangle + static_cast<std::uint32_t>(face.triangleCount);
       ++f) {
    const float area = s.faceArea(f);
    out.place += area * s.positionAt(f, Vec2(1.0F / 3, 1.0F / 3));
    normal += area * s.faceNormal(f);
    out.area += area;
  }
  if (out.area > 0) out.place /= out.area;
  out.normal = directionOr(normal, kUp);
  return out;
}

}  // namespace arvesk::nodes
