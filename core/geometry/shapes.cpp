#include "core/geometry/shapes.h"

namespace arvesk {
namespace {

/// A grid of (rows + 1) × (columns + 1) vertices; `place` gets shares from 0 to 1 and gives position and normal.
template <typename Place>
void addGrid(Surface& s, int columns, int rows, Place place) {
  const std::uint32_t base = static_cast<std::uint32_t>(s.positions.size());
  for (int r = 0; r <= rows; ++r) {
    for (int c = 0; c <= columns; ++c) {
      const Vec2 uv(static_cast<float>(c) / static_cast<float>(columns),
                    static_cast<float>(r) / static_cast<float>(rows));
      const auto [position, normal] = place(uv);
      s.positions.edit().push_back(position);
      s.normals.edit().push_back(normal);
      s.uvs.edit().push_back(uv);
    }
  }
  const std::uint32_t stride = static_cast<std::uint32_t>(columns) + 1;
  for (std::uint32_t r = 0; r < static_cast<std::uint32_t>(rows); ++r) {
    for (std::uint32_t c = 0; c < static_cast<std::uint32_t>(columns); ++c) {
      const std::uint32_t a = base + r * stride + c;
      s.triangles.edit().push_back({a, a + stride, a + stride + 1});
      s.triangles.edit().push_back({a, a + stride + 1, a + 1});
    }
  }
}

using Placed = std::pair<Vec3, Vec3>;

/// Triangles without area (at the poles of a ball) would only be in the way.
void removeFlatTriangles(Surface& s) {
  std::erase_if(s.triangles.edit(), [&](const UVec3& t) {
    const Vec3 a = s.positions[t.y] - s.positions[t.x];
    const Vec3 b = s.positions[t.z] - s.positions[t.x];
    return glm::length(glm::cross(a, b)) < 1e-5F * std::max(glm::dot(a, a), glm::dot(b, b));  // thinner than rounding
  });
}

}  // namespace

Surface makePlane(float sizeX, float sizeZ, int divisions) {
  Surface s;
  s.name = "plane";
  addGrid(s, divisions, divisions, [&](Vec2 uv) {
    return Placed({(uv.x - 0.5F) * sizeX, 0, (uv.y - 0.5F) * sizeZ}, kUp);
  });
  return s;
}

Surface makeBox(const Vec3& size) {
  Surface s;
  s.name = "box";
  const Vec3 half = 0.5F * size;
  const std::array<std::array<Vec3, 3>, 6> sides{{// normal, right, down on the side as seen from outside
                                                  {Vec3(0, 1, 0), Vec3(1, 0, 0), Vec3(0, 0, 1)},
                                                  {Vec3(0, -1, 0), Vec3(1, 0, 0), Vec3(0, 0, -1)},
                                                  {Vec3(1, 0, 0), Vec3(0, 0, -1), Vec3(0, -1, 0)},
                                                  {Vec3(-1, 0, 0), Vec3(0, 0, 1), Vec3(0, -1, 0)},
                                                  {Vec3(0, 0, 1), Vec3(1, 0, 0), Vec3(0, -1, 0)},
                                                  {Vec3(0, 0, -1), Vec3(-1, 0, 0), Vec3(0, -1, 0)}}};
  for (const auto& [n, right, down] : sides)
    addGrid(s, 1, 1, [&, normal = n, r = right, d = down](Vec2 uv) {
      return Placed(Vec3(0, half.y, 0) + (normal + r * (2 * uv.x - 1) + d * (2 * uv.y - 1)) * half, normal);
    });
  return s;
}

Surface makeBall(float radius, int divisions) {
  Surface s;
  s.name = "ball";
  addGrid(s, divisions * 2, divisions, [&](Vec2 uv) {
    const float along = uv.x * 2 * kPi;
    const float down = uv.y * kPi;
    const Vec3 n(std::sin(down) * std::cos(along), std::cos(down), -std::sin(down) * std::sin(along));
    return Placed(n * radius, n);
  });
  removeFlatTriangles(s);
  return s;
}

Surface makeCylinder(float radius, float height, int divisions) {
  Surface s;
  s.name = "cylinder";
  const auto around = [](float u) { return Vec3(std::cos(u * 2 * kPi), 0, -std::sin(u * 2 * kPi)); };
  addGrid(s, divisions, 1,
          [&](Vec2 uv) { return Placed(around(uv.x) * radius + Vec3(0, height * (1 - uv.y), 0), around(uv.x)); });
  addGrid(s, divisions, 1, [&](Vec2 uv) { return Placed(around(uv.x) * radius * uv.y + Vec3(0, height, 0), kUp); });
  addGrid(s, divisions, 1, [&](Vec2 uv) { return Placed(around(uv.x) * radius * (1 - uv.y), -kUp); });
  removeFlatTriangles(s);
  return s;
}

Surface makeTorus(float radius, float tubeRadius, int divisions) {
  Surface s;
  s.name = "torus";
  addGrid(s, divisions * 2, divisions, [&](Vec2 uv) {
    const Vec3 out(std::cos(uv.x * 2 * kPi), 0, -std::sin(uv.x * 2 * kPi));
    const float around = -uv.y * 2 * kPi;
    const Vec3 n = out * std::cos(around) + kUp * std::sin(around);
    return Placed(out * radius + n * tubeRadius, n);
  });
  return s;
}

}  // namespace arvesk
