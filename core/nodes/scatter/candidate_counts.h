// How many candidates each face gets: the area's share of the density, rounded up by the face's own chance. A loop over
// all faces, vectorized.
#pragma once

#include "core/base/random.h"

#include <cstddef>

namespace arvesk {

/// counts[i] = floor(areas[i] · density + u), u in [0, 1) drawn by keys[i], or by firstKey + i without keys. Returns
/// their sum. Fewer than 2³² per face: the guard before allows far fewer points.
std::size_t countCandidates(const float* areas, const std::uint64_t* keys, std::uint32_t firstKey, std::size_t count,
                            double density, Draw draw, std::uint32_t* counts);

}  // namespace arvesk
