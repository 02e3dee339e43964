#include "core/spatial/unlike.h"

#include "core/base/sorting.h"
#include "core/spatial/point_grid.h"

#include <atomic>

namespace arvesk {
namespace {

constexpr std::int32_t kUndecided = -2;
constexpr std::uint32_t kNobody = 0xffffffffU;

/// The points in order of `order`, called by their place in it.
PointGrid gridOf(const Points& points, const Array<std::uint32_t>& order, float distance) {
  Array<PointGrid::Entry> entries(points.count);
  for (std::uint32_t k = 0; k < points.count; ++k) entries[k] = {points.position[order[k]], 0, k};
  return {entries, std::max(distance, 1e-4F)};
}

float squared(const Vec3& a, const Vec3& b) { return glm::dot(a - b, a - b); }

}  // namespace

double pairsWithin(const Points& points, float distance) {
  if (points.count == 0) return 0;
  Array<PointGrid::Entry> entries(points.count);
  for (std::uint32_t i = 0; i < points.count; ++i) entries[i] = {points.position[i], 0, i};
  const PointGrid grid(entries, std::max(distance, 1e-4F));
  const std::size_t step = std::max<std::size_t>(1, points.count / 64);
  double found = 0;
  double asked = 0;
  for (std::size_t i = 0; i < points.count; i += step, ++asked) {
    endIfStopped();
    grid.near(points.position[i], distance, [&](const PointGrid::Entry&) {
      ++found;
      return false;
    });
  }
  return found / asked * static_cast<double>(points.count);
}

UnlikeNeighbors chooseUnlike(const Task& task, const Points& points, const Draw& order, float distance,
                             std::size_t kinds,
                             const std::function<std::int32_t(std::size_t, const std::vector<float>&)>& choose) {
  const std::size_t count = points.count;
  Array<std::uint64_t> rank(count);
  Array<std::uint32_t> byRank(count);
  for (std::size_t i = 0; i < count; ++i) {
    rank[i] = order.bits(points.id[i]);
    byRank[i] = static_cast<std::uint32_t>(i);
  }
  sortLarge(byRank, [&](std::uint32_t a, std::uint32_t b) {
    return std::tuple(rank[a], static_cast<std::uint64_t>(points.id[a])) <
           std::tuple(rank[b], static_cast<std::uint64_t>(points.id[b]));
  });
  const PointGrid grid = gridOf(points, byRank, distance);
  std::vector<std::atomic<std::int32_t>> kind(count);  // by rank
  for (auto& k : kind) k.store(kUndecided, std::memory_order_relaxed);
  Array<std::uint32_t> waitsFor;
  waitsFor.assign(count, kNobody);
  const float reach = distance * distance;
  // A point decides once all before it near by have: whenever a thread reads them, they say the same.
  Array<PointGrid::Entry> open = grid.entries();
  while (!open.empty() && !task.isCancelled()) {
    parallelPieces(task, open.size(), 512, [&](std::size_t begin, std::size_t end) {
      std::vector<float> nearest(kinds);
      for (std::size_t i = begin; i < end; ++i) {
        const PointGrid::Entry& self = open[i];
        std::uint32_t& waits = waitsFor[self.index];
        if (waits != kNobody && kind[waits].load(std::memory_order_relaxed) == kUndecided) continue;
        std::fill(nearest.begin(), nearest.end(), std::numeric_limits<float>::infinity());
        const bool isWaiting = grid.near(self.position, distance, [&](const PointGrid::Entry& other) {
          const float d = squared(self.position, other.position);
          if (other.index >= self.index || d > reach) return false;
          const std::int32_t its = kind[other.index].load(std::memory_order_relaxed);
          if (its == kUndecided) {
            waits = other.index;
            return true;
          }
          if (its >= 0) nearest[static_cast<std::size_t>(its)] = std::min(nearest[static_cast<std::size_t>(its)], d);
          return false;
        });
        if (isWaiting) continue;
        for (float& d : nearest) d = std::sqrt(d);
        kind[self.index].store(std::max(choose(byRank[self.index], nearest), -1), std::memory_order_relaxed);
      }
    });
    endIfStopped();
    std::erase_if(
        open, [&](const PointGrid::Entry& e) { return kind[e.index].load(std::memory_order_relaxed) != kUndecided; });
  }
  UnlikeNeighbors out;
  out.kind.resize(count);
  for (std::size_t k = 0; k < count; ++k) out.kind[byRank[k]] = kind[k].load(std::memory_order_relaxed);
  std::atomic<std::size_t> equal = 0;
  parallelPieces(task, count, 512, [&](std::size_t begin, std::size_t end) {
    std::size_t found = 0;
    for (std::size_t i = begin; i < end; ++i) {
      const PointGrid::Entry& self = grid.entries()[i];
      const std::int32_t its = kind[self.index].load(std::memory_order_relaxed);
      if (its < 0) continue;
      found += grid.near(self.position, distance, [&](const PointGrid::Entry& other) {
        return other.index != self.index && kind[other.index].load(std::memory_order_relaxed) == its &&
               squared(self.position, other.position) <= reach;
      });
    }
    equal += found;
  });
  out.equal = equal;
  return out;
}

}  // namespace arvesk
