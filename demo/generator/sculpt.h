// Small tools for making props: displaced balls, bent blades, lofted tubes; all with vertex colors in linear light.
#pragma once

#include "core/base/hash.h"
#include "core/geometry/surface.h"

#include <functional>

namespace arvesk::demo {

/// Numbers drawn one after the other.
class Chance {
 public:
  explicit Chance(std::uint64_t seed) : m_state(seed) {}
  float between(float a, float b) {
    m_state = mix64(m_state);
    return a + (b - a) * unitFloat(m_state);
  }

 private:
  std::uint64_t m_state;
};

/// One array after the other.
template <typename T>
void append(SharedArray<T>& to, const SharedArray<T>& from) {
  Array<T>& all = to.edit();
  all.insert(all.end(), from.begin(), from.end());
}

/// Signed noise about −1…1 with octaves.
float noise(const Vec3& p, float size, int octaves, std::uint32_t seed);

Vec3 srgb(int r, int g, int b);  // 0…255 to linear light

/// A ball of about `triangles` triangles, evenly divided, pushed to where `shape` says for each unit direction.
Surface displacedBall(int subdivisions, const std::function<Vec3(const Vec3& direction)>& shape);

/// Colors of every vertex from its place and normal.
void paint(Surface& s, const std::function<Vec3(const Vec3& position, const Vec3& normal)>& color);

/// A leaf: a ribbon along `spine` (root to tip), `width` at each share of its length, bent about `side`.
void addBlade(Surface& s, const std::vector<Vec3>& spine, const Vec3& side, const std::function<float(float)>& width,
              const Vec3& rootColor, const Vec3& tipColor);

/// A tube along `spine` with `sides` sides and a radius and color at each share of its length; closed at both ends.
void addTube(Surface& s, const std::vector<Vec3>& spine, int sides, const std::function<float(float, float)>& radius,
             const std::function<Vec3(float, float)>& color);

/// Appends `part`.
Surface& add(Surface& whole, const Surface& part);
Surface at(const Surface& s, const Vec3& place, const Vec3& turnDeg = Vec3(0));

/// A box with worn edges: hard normals, colors streaked along its longest axis.
Surface timber(const Vec3& size, const Vec3& color, std::uint32_t seed);

/// Moves the lowest place to y = 0 and the middle of the base to the pivot.
void standOnBase(Surface& s, float sink);

}  // namespace arvesk::demo
