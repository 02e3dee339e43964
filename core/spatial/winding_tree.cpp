#include "core/spatial/winding_tree.h"

#include "core/base/task.h"

#include <algorithm>
#include <array>
#include <numbers>

namespace arvesk {
namespace {

constexpr std::uint32_t kLeaf = 8;
/// From twice its radius on a group counts as one dipole; nearer, its parts are asked.
constexpr float kFar = 2;

}  // namespace

double windingOf(const Vec3& place, const Vec3& a, const Vec3& b, const Vec3& c) {
  const glm::dvec3 p(place);
  const glm::dvec3 u = glm::dvec3(a) - p;
  const glm::dvec3 v = glm::dvec3(b) - p;
  const glm::dvec3 w = glm::dvec3(c) - p;
  const double lu = glm::length(u);
  const double lv = glm::length(v);
  const double lw = glm::length(w);
  const double volume = glm::dot(u, glm::cross(v, w));
  const double around = lu * lv * lw + glm::dot(u, v) * lw + glm::dot(v, w) * lu + glm::dot(w, u) * lv;
  return std::atan2(volume, around) / (2 * std::numbers::pi);
}

WindingTree::WindingTree(SharedArray<Vec3> positions, Array<UVec3> triangles)
    : m_positions(std::move(positions)), m_triangles(std::move(triangles)) {
  if (!m_triangles.empty()) build(0, static_cast<std::uint32_t>(m_triangles.size()));
}

std::uint32_t WindingTree::build(std::uint32_t first, std::uint32_t count) {
  endIfStopped();
  const auto self = static_cast<std::uint32_t>(m_nodes.size());
  Node node;
  Box3 middles;
  float area = 0;
  Vec3 weighted(0);
  const auto corners = [&](std::uint32_t t) {
    const UVec3& v = m_triangles[t];
    return std::array{m_positions[v.x], m_positions[v.y], m_positions[v.z]};
  };
  for (std::uint32_t t = first; t < first + count; ++t) {
    const auto [a, b, c] = corners(t);
    const Vec3 normal = 0.5F * glm::cross(b - a, c - a);
    const Vec3 middle = (a + b + c) / 3.0F;
    middles.add(middle);
    node.dipole += normal;
    area += glm::length(normal);
    weighted += glm::length(normal) * middle;
  }
  node.middle = area > 0 ? weighted / area : middles.center();
  for (std::uint32_t t = first; t < first + count; ++t)
    for (const Vec3& p : corners(t)) node.radius = std::max(node.radius, glm::distance(p, node.middle));
  node.first = first;
  node.count = count <= kLeaf ? count : 0;
  m_nodes.push_back(node);
  if (node.count > 0) return self;
  const Vec3 extent = middles.extent();
  const int axis = extent.x > extent.y ? (extent.x > extent.z ? 0 : 2) : (extent.y > extent.z ? 1 : 2);
  const auto along = [&](const UVec3& v) {
    return m_positions[v.x][axis] + m_positions[v.y][axis] + m_positions[v.z][axis];
  };
  const auto begin = m_triangles.begin() + first;
  const std::uint32_t half = count / 2;
  std::nth_element(begin, begin + half, begin + count,
                   [&](const UVec3& a, const UVec3& b) { return along(a) < along(b); });
  build(first, half);
  const std::uint32_t next = build(first + half, count - half);
  m_nodes[self].next = next;
  return self;
}

double WindingTree::at(const Vec3& place) const {
  if (m_nodes.empty()) return 0;
  double sum = 0;
  std::array<std::uint32_t, 64> open;  // halves each time: no deeper than 32
  std::size_t depth = 0;
  open[depth++] = 0;
  while (depth > 0) {
    const std::uint32_t k = open[--depth];
    const Node& node = m_nodes[k];
    const Vec3 way = node.middle - place;
    const float squared = glm::dot(way, way);
    if (squared > kFar * kFar * node.radius * node.radius) {
      const auto distance = std::sqrt(static_cast<double>(squared));
      sum += static_cast<double>(glm::dot(way, node.dipole)) / (4 * std::numbers::pi * distance * distance * distance);
    } else if (node.count > 0) {
      for (std::uint32_t t = node.first; t < node.first + node.count; ++t) {
        const UVec3& v = m_triangles[t];
        sum += windingOf(place, m_positions[v.x], m_positions[v.y], m_positions[v.z]);
      }
    } else {
      open[depth++] = k + 1;
      open[depth++] = node.next;
    }
  }
  return sum;
}

void WindingTree::countBytes(ByteCounter& counter) const {
  counter.add(this, m_triangles.capacity() * sizeof(UVec3) + m_nodes.capacity() * sizeof(Node));
  m_positions.countBytes(counter);
}

}  // namespace arvesk
