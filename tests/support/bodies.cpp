#include "tests/support/bodies.h"

#include <numbers>

namespace arvesk::test {

SurfacePtr published(Surface s) { return std::make_shared<const Surface>(std::move(s)); }

SurfacePtr turnedRound(const SurfacePtr& s) {
  Surface out = *s;
  for (UVec3& t : out.triangles.edit()) std::swap(t.y, t.z);
  return published(std::move(out));
}

SurfacePtr moved(const SurfacePtr& s, const Vec3& way, float size) {
  return published(transformed(*s, way, Quat(1, 0, 0, 0), size));
}

SurfacePtr without(const SurfacePtr& s, std::size_t first, std::size_t count) {
  Array<std::uint32_t> kept;
  for (std::uint32_t f = 0; f < s->faceCount(); ++f)
    if (f < first || f >= first + count) kept.push_back(f);
  return published(cutTo(*s, kept));
}

/// A ball with bumps, out of shape but whole.
SurfacePtr pebble(int divisions) {
  Surface s = makeBall(1, divisions);
  for (Vec3& p : s.positions.edit())
    p *= 1 + 0.3F * std::sin(3 * p.x + 1) * std::cos(4 * p.y) + 0.15F * std::sin(7 * p.z);
  return published(std::move(s));
}

/// Times a closed surface winds around a place: the sum of all solid angles, in long form with angles at the corners of
/// the spherical triangle (Girard's theorem), so that nothing is shared with what is tested.
double windingBySum(const Surface& s, const Vec3& place) {
  double sum = 0;
  for (const UVec3& t : s.triangles) {
    std::array<glm::dvec3, 3> d;
    for (int k = 0; k < 3; ++k)
      d[static_cast<std::size_t>(k)] = glm::normalize(glm::dvec3(s.positions[t[k]]) - glm::dvec3(place));
    double excess = -std::numbers::pi;
    for (std::size_t k = 0; k < 3; ++k) {
      const glm::dvec3 to1 = glm::cross(d[k], d[(k + 1) % 3]);
      const glm::dvec3 to2 = glm::cross(d[k], d[(k + 2) % 3]);
      excess += std::atan2(glm::length(glm::cross(to1, to2)), glm::dot(to1, to2));
    }
    sum += glm::dot(d[0], glm::cross(d[1], d[2])) > 0 ? excess : -excess;
  }
  return sum / (4 * std::numbers::pi);
}

double volumeOf(const Surface& closed) {
  if (closed.positions.empty()) return 0;
  double sum = 0;
  const auto at = [&, from = DVec3(closed.positions[0])](std::uint32_t i) { return DVec3(closed.positions[i]) - from; };
  for (const UVec3& t : closed.triangles) sum += glm::dot(at(t.x), glm::cross(at(t.y), at(t.z))) / 6;
  return sum;
}

}  // namespace arvesk::test
