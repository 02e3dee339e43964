#include "demo/generator/sculpt.h"

#include "core/geometry/shapes.h"

#include "core/base/noise.h"

#include <array>
#include <map>

namespace arvesk::demo {

float noise(const Vec3& p, float size, int octaves, std::uint32_t seed) {
  float sum = 0;
  float strength = 1;
  float f = 1 / size;
  for (int o = 0; o < octaves; ++o) {
    sum += strength * gradientNoiseScalar(p.x * f, p.y * f, p.z * f, seed + static_cast<std::uint32_t>(o) * 7919U);
    strength *= 0.5F;
    f *= 2;
  }
  return sum;
}

Vec3 srgb(int r, int g, int b) {
  const auto f = [](int v) { return linearFromSrgb(static_cast<float>(v) / 255.0F); };
  return {f(r), f(g), f(b)};
}

Surface displacedBall(int subdivisions, const std::function<Vec3(const Vec3&)>& shape) {
  Surface s;
  const float t = 0.5F * (1 + std::sqrt(5.0F));
  for (const auto& [x, y, z] : std::initializer_list<std::array<float, 3>>{{-1, t, 0},
                                                                           {1, t, 0},
                                                                           {-1, -t, 0},
                                                                           {1, -t, 0},
                                                                           {0, -1, t},
                                                                           {0, 1, t},
                                                                           {0, -1, -t},
                                                                           {0, 1, -t},
                                                                           {t, 0, -1},
                                                                           {t, 0, 1},
                                                                           {-t, 0, -1},
                                                                           {-t, 0, 1}})
    s.positions.edit().push_back(glm::normalize(Vec3(x, y, z)));
  for (const auto& [a, b, c] : std::initializer_list<std::array<std::uint32_t, 3>>{
           {0, 11, 5},  {0, 5, 1},  {0, 1, 7},  {0, 7, 10}, {0, 10, 11}, {1, 5, 9}, {5, 11, 4},
           {11, 10, 2}, {10, 7, 6}, {7, 1, 8},  {3, 9, 4},  {3, 4, 2},   {3, 2, 6}, {3, 6, 8},
           {3, 8, 9},   {4, 9, 5},  {2, 4, 11}, {6, 2, 10}, {8, 6, 7},   {9, 8, 1}})
    s.triangles.edit().push_back({a, b, c});
  for (int round = 0; round < subdivisions; ++round) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> middles;
    const auto middle = [&](std::uint32_t a, std::uint32_t b) {
      const auto [it, isNew] = middles.emplace(std::minmax(a, b), static_cast<std::uint32_t>(s.positions.size()));
      if (isNew) s.positions.edit().push_back(glm::normalize(s.positions[a] + s.positions[b]));
      return it->second;
    };
    Array<UVec3> finer;
    for (const UVec3& f : s.triangles) {
      const std::uint32_t ab = middle(f.x, f.y);
      const std::uint32_t bc = middle(f.y, f.z);
      const std::uint32_t ca = middle(f.z, f.x);
      for (const UVec3& child : {UVec3(f.x, ab, ca), UVec3(ab, f.y, bc), UVec3(ca, bc, f.z), UVec3(ab, bc, ca)})
        finer.push_back(child);
    }
    s.triangles = std::move(finer);
  }
  for (Vec3& p : s.positions.edit()) p = shape(p);
  computeSmoothNormals(s);
  return s;
}

void paint(Surface& s, const std::function<Vec3(const Vec3&, const Vec3&)>& color) {
  s.colors.clear();
  for (std::size_t i = 0; i < s.positions.size(); ++i)
    s.colors.edit().push_back(Vec4(glm::clamp(color(s.positions[i], s.normals[i]), Vec3(0), Vec3(1)), 1));
}

void addBlade(Surface& s, const std::vector<Vec3>& spine, const Vec3& side, const std::function<float(float)>& width,
              const Vec3& rootColor, const Vec3& tipColor) {
  const auto base = static_cast<std::uint32_t>(s.positions.size());
  const std::size_t n = spine.size();
  for (std::size_t i = 0; i < n; ++i) {
    const float share = static_cast<float>(i) / static_cast<float>(n - 1);
    const Vec3 along = glm::normalize(spine[std::min(i + 1, n - 1)] - spine[i > 0 ? i - 1 : 0]);
    const Vec3 normal = glm::normalize(glm::cross(side, along));
    const Vec4 color(glm::mix(rootColor, tipColor, share), 1);
    const float w = 0.5F * width(share);
    for (const float sign : {-1.0F, 1.0F}) {
      s.positions.edit().push_back(spine[i] + side * (w * sign));
      // A little rounded, so that a blade is not lit as a flat card.
      s.normals.edit().push_back(glm::normalize(normal + side * (0.5F * sign)));
      s.colors.edit().push_back(color);
    }
    if (i == 0) continue;
    const std::uint32_t a = base + static_cast<std::uint32_t>(i - 1) * 2;
    s.triangles.edit().push_back({a, a + 1, a + 3});
    if (i + 1 < n || w > 1e-5F) s.triangles.edit().push_back({a, a + 3, a + 2});
  }
}

void addTube(Surface& s, const std::vector<Vec3>& spine, int sides, const std::function<float(float, float)>& radius,
             const std::function<Vec3(float, float)>& color) {
  Surface tube;
  const std::size_t n = spine.size();
  for (std::size_t i = 0; i < n; ++i) {
    const float share = static_cast<float>(i) / static_cast<float>(n - 1);
    const Vec3 along = glm::normalize(spine[std::min(i + 1, n - 1)] - spine[i > 0 ? i - 1 : 0]);
    const Vec3 side = glm::normalize(std::abs(along.y) < 0.9F ? glm::cross(along, kUp)
                                                              : glm::cross(along, Vec3(0, 0, 1)));
    const Vec3 other = glm::cross(along, side);
    for (int k = 0; k < sides; ++k) {
      const float turn = static_cast<float>(k) / static_cast<float>(sides);
      const Vec3 out = side * std::cos(turn * 2 * kPi) + other * std::sin(turn * 2 * kPi);
      tube.positions.edit().push_back(spine[i] + out * radius(share, turn));
      tube.colors.edit().push_back(Vec4(color(share, turn), 1));
    }
  }
  const auto at = [&](std::size_t i, int k) {
    return static_cast<std::uint32_t>(i * static_cast<std::size_t>(sides) + static_cast<std::size_t>(k % sides));
  };
  for (std::size_t i = 0; i + 1 < n; ++i)
    for (int k = 0; k < sides; ++k) {
      tube.triangles.edit().push_back({at(i, k), at(i + 1, k + 1), at(i + 1, k)});
      tube.triangles.edit().push_back({at(i, k), at(i, k + 1), at(i + 1, k + 1)});
    }
  for (const std::size_t end : {std::size_t{0}, n - 1}) {
    const auto center = static_cast<std::uint32_t>(tube.positions.size());
    tube.positions.edit().push_back(spine[end]);
    tube.colors.edit().push_back(Vec4(color(end == 0 ? 0.0F : 1.0F, -1), 1));
    for (int k = 0; k < sides; ++k)
      tube.triangles.edit().push_back(end == 0 ? UVec3(center, at(end, k + 1), at(end, k))
                                               : UVec3(center, at(end, k), at(end, k + 1)));
  }
  computeSmoothNormals(tube);
  const auto base = static_cast<std::uint32_t>(s.positions.size());
  append(s.positions, tube.positions);
  append(s.normals, tube.normals);
  append(s.colors, tube.colors);
  for (const UVec3& t : tube.triangles) s.triangles.edit().push_back(t + base);
}

void standOnBase(Surface& s, float sink) {
  Box3 box;
  for (const Vec3& p : s.positions) box.add(p);
  const Vec3 move(-box.center().x, -box.min.y - sink, -box.center().z);
  for (Vec3& p : s.positions.edit()) p += move;
}

Surface& add(Surface& whole, const Surface& part) {
  const auto base = static_cast<std::uint32_t>(whole.positions.size());
  append(whole.positions, part.positions);
  append(whole.normals, part.normals);
  append(whole.colors, part.colors);
  for (const UVec3& t : part.triangles) whole.triangles.edit().push_back(t + base);
  return whole;
}

Surface at(const Surface& s, const Vec3& place, const Vec3& turnDeg) {
  return transformed(s, place, turnOf(turnDeg), 1);
}

Surface timber(const Vec3& size, const Vec3& color, std::uint32_t seed) {
  Surface s = makeBox(size);
  s.uvs.clear();
  s.faceMaterials.clear();
  s.materials.clear();
  const int along = size.x > size.y ? (size.x > size.z ? 0 : 2) : (size.y > size.z ? 1 : 2);
  paint(s, [&](const Vec3& p, const Vec3&) {
    Vec3 q = p * 8.0F;
    q[along] *= 0.15F;
    return color * (1 + 0.4F * noise(q, 1, 2, seed));
  });
  return s;
}

}  // namespace arvesk::demo
