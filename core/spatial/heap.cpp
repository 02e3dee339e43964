#include "core/spatial/heap.h"

#include "core/base/hash.h"

#include <algorithm>
#include <cmath>

namespace arvesk {

std::uint64_t Heap::keyOf(double x, double z) const {
  return hashOf(static_cast<std::uint64_t>(static_cast<std::int64_t>(std::floor(x / m_cell))),
                static_cast<std::uint64_t>(static_cast<std::int64_t>(std::floor(z / m_cell))));
}

void Heap::add(const PlacedMesh& mesh, double lift) {
  std::unordered_map<std::uint64_t, double> tops;
  const auto take = [&](const DVec3& p) {
    const auto [found, isNew] = tops.emplace(keyOf(p.x, p.z), p.y);
    if (!isNew) found->second = std::max(found->second, p.y);
  };
  for (std::size_t n = 0; n < mesh.count(); ++n) {
    const PlacedTriangle t = mesh.triangle(n);
    // Places all over it, no farther apart than a column is wide.
    const double widest = std::max(t.box.max.x - t.box.min.x, t.box.max.z - t.box.min.z);
    const int steps = static_cast<int>(std::clamp(std::ceil(widest / m_cell), 1.0, 200.0));
    for (int i = 0; i <= steps; ++i)
      for (int k = 0; k <= steps - i; ++k)
        take(t.corner[0] + (t.corner[1] - t.corner[0]) * (static_cast<double>(i) / steps) +
             (t.corner[2] - t.corner[0]) * (static_cast<double>(k) / steps));
  }
  for (const auto& [key, top] : tops) m_lying[key].push_back({mesh.box().min.y + lift, top + lift});
}

double Heap::levelAt(double x, double z, double top) {
  const std::uint64_t key = keyOf(x, z);
  const auto [found, isNew] = m_ground.emplace(key, 0);
  if (isNew) found->second = m_groundAt(x, z).value_or(std::numeric_limits<double>::max());
  double level = found->second;
  if (const auto lying = m_lying.find(key); lying != m_lying.end())
    for (const Lying& l : lying->second)
      if (l.from < top) level = std::max(level, l.to);
  return level;
}

double Heap::levelAround(double x, double z, double radius, double top) {
  double level = levelAt(x, z, top);
  for (int k = 0; k < 6; ++k) {
    const double angle = k * 1.0471975511965976;
    level = std::max(level, levelAt(x + radius * std::cos(angle), z + radius * std::sin(angle), top));
  }
  return level;
}

DVec3 Heap::rolled(const DVec3& from, double radius, double top) {
  constexpr double kSteepest = 0.577;  // of 30°
  constexpr int kMost = 64;
  const double step = std::max(m_cell, 0.6 * radius);
  DVec3 at = from;
  double level = levelAround(at.x, at.z, 0.5 * radius, top);
  for (int round = 0; round < kMost; ++round) {
    double least = level - step * kSteepest;
    DVec3 next = at;
    for (int k = 0; k < 12; ++k) {
      const double angle = k * 0.5235987755982988;
      const DVec3 there = at + step * DVec3(std::cos(angle), 0, std::sin(angle));
      const double its = levelAround(there.x, there.z, 0.5 * radius, top);
      if (its < least) {
        least = its;
        next = there;
      }
    }
    if (next == at) break;
    at = next;
    level = least;
  }
  return at;
}

}  // namespace arvesk
