#include "core/geometry/surface.h"

#include <fmt/format.h>

namespace arvesk {

Box3 Surface::bounds() const {
  return *derived->get<Box3>([this] {
    auto box = std::make_shared<Box3>();
    for (const Vec3& p : positions) box->add(p);
    return std::shared_ptr<const Box3>(box);
  });
}

Vec3 Surface::faceNormal(std::size_t face) const {
  const UVec3 t = triangles[face];
  return directionOr(glm::cross(positions[t.y] - positions[t.x], positions[t.z] - positions[t.x]), kUp);
}

float Surface::faceArea(std::size_t face) const {
  const UVec3 t = triangles[face];
  return 0.5F * glm::length(glm::cross(positions[t.y] - positions[t.x], positions[t.z] - positions[t.x]));
}

const Material& Surface::materialOf(std::size_t face) const {
  static const Material plain;
  if (materials.empty()) return plain;
  return materials[faceMaterials.empty() ? 0 : faceMaterials[face]];
}

std::size_t Surface::bytes() const {
  return positions.size() * sizeof(Vec3) + triangles.size() * sizeof(UVec3) + normals.size() * sizeof(Vec3) +
         uvs.size() * sizeof(Vec2) + colors.size() * sizeof(Vec4) + (faceMaterials.size() + faceParts.size()) * 2 +
         bytesOf(vertexAttributes);
}

void computeSmoothNormals(Surface& s) {
  s.normals.assign(s.positions.size(), Vec3(0));
  for (const UVec3& t : s.triangles) {
    const std::array<std::uint32_t, 3> v{t.x, t.y, t.z};
    const Vec3 normal = directionOr(glm::cross(s.positions[t.y] - s.positions[t.x], s.positions[t.z] - s.positions[t.x]), Vec3(0));
    for (std::size_t i = 0; i < 3; ++i) {
      const Vec3 a = directionOr(s.positions[v[(i + 1) % 3]] - s.positions[v[i]], Vec3(0));
      const Vec3 b = directionOr(s.positions[v[(i + 2) % 3]] - s.positions[v[i]], Vec3(0));
      s.normals[v[i]] += normal * angleBetween(a, b);
    }
  }
  for (Vec3& n : s.normals) n = directionOr(n, kUp);
}

Result<void> checkSurface(const Surface& s) {
  const std::size_t n = s.positions.size();
  const auto wrong = [](std::string text) { return fail(ProblemCode::FileUnreadable, std::move(text)); };
  for (std::size_t i = 0; i < n; ++i)
    if (!isFinite(s.positions[i])) return wrong(fmt::format("vertex {} has a position that is not a finite number", i));
  for (std::size_t f = 0; f < s.triangles.size(); ++f) {
    const UVec3 t = s.triangles[f];
    if (std::max({t.x, t.y, t.z}) >= n)
      return wrong(fmt::format("face {} refers to vertex {}, but there are {}", f, std::max({t.x, t.y, t.z}), n));
  }
  const auto fits = [n](std::size_t count) { return count == 0 || count == n; };
  if (!fits(s.normals.size()) || !fits(s.uvs.size()) || !fits(s.colors.size())) return wrong("normals, uvs or colors do not match the vertices");
  for (const std::uint16_t m : s.faceMaterials)
    if (m >= s.materials.size()) return wrong(fmt::format("a face refers to material {}, but there are {}", m, s.materials.size()));
  for (const std::uint16_t p : s.faceParts)
    if (p >= s.parts.size()) return wrong(fmt::format("a face refers to part {}, but there are {}", p, s.parts.size()));
  if ((!s.faceMaterials.empty() && s.faceMaterials.size() != s.triangles.size()) ||
      (!s.faceParts.empty() && s.faceParts.size() != s.triangles.size()))
    return wrong("materials or parts do not match the faces");
  return {};
}

Surface transformed(const Surface& surface, const Vec3& move, const Quat& turn, float size) {
  Surface out = surface;
  out.derived = std::make_shared<Derived>();
  for (Vec3& p : out.positions) p = turn * (p * size) + move;
  for (Vec3& n : out.normals) n = turn * n;
  return out;
}

}  // namespace arvesk
