#include "core/nodes/scatter/candidate_counts.h"

#include "core/base/clones.h"

namespace arvesk {
namespace {

ARVESK_INLINE std::uint32_t countOf(float area, std::uint64_t key, double density, Draw draw) {
  // Signed on the way, since that converts in one instruction; 53 bits fit.
  const double chance = static_cast<double>(static_cast<std::int64_t>(draw.bits(key) >> 11)) * 0x1p-53;
  return static_cast<std::uint32_t>(static_cast<std::int64_t>(static_cast<double>(area) * density + chance));
}

ARVESK_CLONES
void countByPlace(const float* __restrict areas, std::uint32_t firstKey, std::size_t count, double density, Draw draw,
                  std::uint32_t* __restrict counts) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i)
    counts[i] = countOf(areas[i], firstKey + static_cast<std::uint32_t>(i), density, draw);
}

ARVESK_CLONES
void countByKey(const float* __restrict areas, const std::uint64_t* __restrict keys, std::size_t count, double density,
                Draw draw, std::uint32_t* __restrict counts) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) counts[i] = countOf(areas[i], keys[i], density, draw);
}

}  // namespace

std::size_t countCandidates(const float* areas, const std::uint64_t* keys, std::uint32_t firstKey, std::size_t count,
                            double density, Draw draw, std::uint32_t* counts) {
  if (keys)
    countByKey(areas, keys, count, density, draw, counts);
  else
    countByPlace(areas, firstKey, count, density, draw, counts);
  std::size_t total = 0;
  for (std::size_t i = 0; i < count; ++i) total += counts[i];
  return total;
}

}  // namespace arvesk
