// Nearest places on a surface for places that are asked one near the other: the answer before bounds the next search.
#pragma once

#include "core/spatial/surface_index.h"

#include <atomic>

namespace arvesk {

/// As SurfaceIndex::nearest, bit for bit. A place is no farther from the surface than from the face that was the
/// nearest one of the place that this thread asked for before it.
class CoherentNearest {
 public:
  CoherentNearest() = default;
  explicit CoherentNearest(std::shared_ptr<const SurfaceIndex> index) : m_index(std::move(index)) {}

  SurfaceHit at(const Vec3& place, float reach = std::numeric_limits<float>::infinity()) const {
    struct Last {
      std::uint64_t of = 0;
      std::uint32_t face = kNoFace;
    };
    // A few surfaces are asked by turns.
    thread_local std::array<Last, 4> slots;
    Last& last = slots[m_number % slots.size()];
    const SurfaceHit hit = m_index->nearest(place, reach, last.of == m_number ? last.face : kNoFace);
    if (hit.isHit()) last = {m_number, hit.face};
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
