#include "core/formats/polygons.h"

#include <fmt/format.h>

#include <numeric>

namespace arvesk {
namespace {

/// Twice the area, by the directions of all sides: right for concave faces too.
glm::dvec3 newellNormal(std::span<const Vec3> corners) {
  glm::dvec3 n(0);
  for (std::size_t i = 0; i < corners.size(); ++i) {
    const glm::dvec3 a(corners[i] - corners[0]);
    const glm::dvec3 b(corners[(i + 1) % corners.size()] - corners[0]);
    n += glm::cross(a, b);
  }
  return n;
}

/// The corners seen against the normal, so that the face runs counterclockwise.
std::vector<glm::dvec2> flattened(std::span<const Vec3> corners) {
  const glm::dvec3 n = newellNormal(corners);
  const glm::dvec3 size = glm::abs(n);
  const int drop = size.x > size.y ? (size.x > size.z ? 0 : 2) : (size.y > size.z ? 1 : 2);
  const int a = (drop + 1) % 3;
  const int b = (drop + 2) % 3;
  std::vector<glm::dvec2> out;
  for (const Vec3& c : corners) {
    const glm::dvec2 p(c[a], c[b]);
    out.push_back(n[drop] < 0 ? glm::dvec2(p.y, p.x) : p);
  }
  return out;
}

double turnAt(const glm::dvec2& a, const glm::dvec2& b, const glm::dvec2& c) {
  return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
}

std::vector<UVec3> cutQuad(std::span<const Vec3> c, const std::vector<glm::dvec2>& p) {
  const bool isFirst = turnAt(p[0], p[1], p[2]) > 0 && turnAt(p[0], p[2], p[3]) > 0;
  const bool isSecond = turnAt(p[0], p[1], p[3]) > 0 && turnAt(p[1], p[2], p[3]) > 0;
  const bool isShorter = glm::distance(c[0], c[2]) <= glm::distance(c[1], c[3]);
  if (isFirst == isSecond ? isShorter : isFirst) return {{0, 1, 2}, {0, 2, 3}};
  return {{0, 1, 3}, {1, 2, 3}};
}

std::vector<UVec3> clipped(const std::vector<glm::dvec2>& p) {
  std::vector<std::uint32_t> ring(p.size());
  std::iota(ring.begin(), ring.end(), 0U);
  std::vector<UVec3> out;
  const auto isEar = [&](std::size_t i) {
    const std::size_t n = ring.size();
    const std::uint32_t a = ring[(i + n - 1) % n];
    const std::uint32_t b = ring[i];
    const std::uint32_t c = ring[(i + 1) % n];
    if (!(turnAt(p[a], p[b], p[c]) > 0)) return false;
    return std::none_of(ring.begin(), ring.end(), [&](std::uint32_t v) {
      return v != a && v != b && v != c && p[v] != p[a] && p[v] != p[b] && p[v] != p[c] &&
             turnAt(p[a], p[b], p[v]) >= 0 && turnAt(p[b], p[c], p[v]) >= 0 && turnAt(p[c], p[a], p[v]) >= 0;
    });
  };
  for (std::size_t at = 0; ring.size() > 3;) {
    const std::size_t n = ring.size();
    std::size_t ear = n;
    for (std::size_t k = 0; k < n && ear == n; ++k)
      if (isEar((at + k) % n)) ear = (at + k) % n;
    if (ear == n) ear = at % n;  // it crosses itself: no way is right
    out.push_back({ring[(ear + n - 1) % n], ring[ear], ring[(ear + 1) % n]});
    ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(ear));
    at = ear % ring.size() + 1;  // not twice at one corner: fans of slivers
  }
  out.push_back({ring[0], ring[1], ring[2]});
  return out;
}

}  // namespace

std::vector<UVec3> trianglesOf(std::span<const Vec3> corners) {
  if (corners.size() < 3) return {};
  if (corners.size() == 3) return {{0, 1, 2}};
  const std::vector<glm::dvec2> p = flattened(corners);
  if (corners.size() == 4) return cutQuad(corners, p);
  const std::size_t n = p.size();
  bool isConvex = true;
  for (std::size_t i = 0; i < n && isConvex; ++i) isConvex = turnAt(p[i], p[(i + 1) % n], p[(i + 2) % n]) >= 0;
  for (std::size_t i = 2; i < n && isConvex; ++i) isConvex = turnAt(p[0], p[i - 1], p[i]) >= 0;  // goes round once
  if (!isConvex) return n > kMostConcaveCorners ? std::vector<UVec3>() : clipped(p);
  std::vector<UVec3> fan;
  for (std::uint32_t i = 2; i < n; ++i) fan.push_back({0, i - 1, i});
  return fan;
}

std::size_t FaceTaker::add(std::span<const std::uint32_t> vertices) {
  m_corners.clear();
  for (const std::uint32_t v : vertices) m_corners.push_back(m_surface.positions[v]);
  const std::vector<UVec3> triangles = trianglesOf(m_corners);
  if (triangles.empty()) ++m_broken;
  for (const UVec3& t : triangles) m_surface.triangles.edit().push_back({vertices[t.x], vertices[t.y], vertices[t.z]});
  return triangles.size();
}

void FaceTaker::tell(std::vector<Problem>& warnings) const {
  const auto say = [&](std::string message) {
    warnings.push_back({ProblemCode::FileUnreadable,
                        Severity::Warning,
                        {},
                        std::move(message),
                        "Fix the file in the program that wrote it"});
  };
  if (m_outside > 0) say(fmt::format("{} faces referred to vertices that are not there and were left out", m_outside));
  if (m_broken > 0)
    say(fmt::format("{} faces have fewer than three corners, or are concave with more than {}, and were left out",
                    m_broken, kMostConcaveCorners));
}

Result<void> checkCounts(std::size_t parts, std::size_t materials) {
  const auto refuse = [](std::size_t count, const char* what) {
    return fail(ProblemCode::FileTooLarge, fmt::format("has {} {}, more than the 65,535 of a surface", count, what),
                "Join some of them, or split the file");
  };
  if (parts > 65535) return refuse(parts, "parts");
  if (materials > 65535) return refuse(materials, "materials");
  return {};
}

}  // namespace arvesk
