// Nearest places on a surface for places that are asked one near the other: the answer before bounds the next search.
#pragma once

#include "core/spatial/surface_index.h"

#include <atomic>

namespace arvesk {

/// As SurfaceIndex::nearest, bit for bit. A place is no farther from the surface than the one that this thread asked
/// for before it and the way between them, so it is looked for no farther than that.
class CoherentNearest {
 public:
  CoherentNearest() = default;
  explicit CoherentNearest(std::shared_ptr<const SurfaceIndex> index) : m_index(std::move(index)) {}

  SurfaceHit at(const Vec3& place, float reach = std::numeric_limits<float>::infinity()) const {
    struct Last {
      std::uint64_t of = 0;
      Vec3 place{0};
      float distance = 0;
    };
    // A few surfaces are asked by turns.
    thread_local std::array<Last, 4> slots;
    Last& last = slots[m_number % slots.size()];
    if (last.of != m_number) {
      const SurfaceHit hit = m_index->nearest(place, reach);
      if (hit.isHit()) last = {m_number, place, hit.distance};
      return hit;
    }
    const float bound = (last.distance + glm::distance(place, last.place)) * 1.0001F + 1e-5F * glm::length(place);
    SurfaceHit hit = m_index->nearest(place, std::min(reach, bound));
    if (!hit.isHit() && bound < reach) hit = m_index->nearest(place, reach);
    if (hit.isHit()) last = {m_number, place, hit.distance};
    return hit;
  }

 private:
  static std::uint64_t newNumber() {
    static std::atomic<std::uint64_t> count{0};
    return ++count;
  }

  std::shared_ptr<const SurfaceIndex> m_index;
  std::uint64_t m_number = newNumber();  // an address may come again
};

}  // namespace arvesk
