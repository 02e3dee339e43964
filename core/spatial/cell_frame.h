// What the cells of points have in common: which ones meet, in which corners, and where those end.
#pragma once

#include "core/base/vec.h"

#include <array>
#include <cstdint>
#include <vector>

namespace arvesk {

/// Where three cells meet: a straight line that ends where a fourth one meets them, or at the box (below 0).
struct CellCorner {
  std::array<std::int32_t, 3> seeds;                  // rising
  std::array<std::array<std::int32_t, 4>, 2> ends{};  // rising; in the order in which they lie along `cornerLine`
};

/// The direction of the line in which the cells of three points meet.
inline DVec3 cornerLine(const std::vector<DVec3>& seeds, const std::array<std::int32_t, 3>& of) {
  const auto at = [&](int k) { return seeds[static_cast<std::size_t>(of[static_cast<std::size_t>(k)])]; };
  return glm::cross(at(1) - at(0), at(2) - at(0));
}

struct CellFrame {
  std::vector<std::vector<std::int32_t>> neighbors;  // by seed, rising
  std::vector<CellCorner> corners;
  /// False where the cells do not agree on what meets: seeds at one place, or five at one distance from a place.
  bool isSound = true;
};

/// The Voronoi cells of seeds within a box that holds them all. By voro++ (Rycroft, "Voro++: a three-dimensional
/// Voronoi cell library in C++", Chaos 19, 2009).
CellFrame cellFrameOf(const std::vector<DVec3>& seeds, const DVec3& least, const DVec3& most);

}  // namespace arvesk
