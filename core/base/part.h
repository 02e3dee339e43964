// A part of the world, such as a tile: a box that holds its lower sides and not its upper ones, so that parts beside
// each other share no place and leave none out.
#pragma once

#include "core/base/vec.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace arvesk {

struct Part {
  static constexpr float kAll = std::numeric_limits<float>::infinity();
  Vec3 min{-kAll};
  Vec3 max{kAll};

  bool operator==(const Part&) const = default;
  bool isAll() const { return min == Vec3(-kAll) && max == Vec3(kAll); }
  static Part none() { return {Vec3(kAll), Vec3(-kAll)}; }
  bool holds(const Vec3& p) const { return glm::all(glm::greaterThanEqual(p, min)) && glm::all(glm::lessThan(p, max)); }
  /// Could something of the box lie in it?
  bool meets(const Box3& box) const {
    return glm::all(glm::lessThanEqual(min, box.max)) && glm::all(glm::greaterThanEqual(max, box.min));
  }
  /// All that is nearer than `across` along x and z and `up` along y, in m, and a little more, for what is rounded.
  Part grown(double across, double up) const {
    const auto by = [](float side, double meters, double way) {
      const double spare = meters > 0 ? 1e-3 + 1e-6 * std::abs(static_cast<double>(side)) : 0;
      return std::isfinite(side) ? static_cast<float>(static_cast<double>(side) + way * (meters + spare)) : side;
    };
    return {{by(min.x, across, -1), by(min.y, up, -1), by(min.z, across, -1)},
            {by(max.x, across, 1), by(max.y, up, 1), by(max.z, across, 1)}};
  }
  /// Is there a place outside of it that is nearer than `meters` along x or z?
  bool isNearRim(const Vec3& p, float meters) const {
    return p.x - min.x < meters || max.x - p.x < meters || p.z - min.z < meters || max.z - p.z < meters;
  }
  /// The smallest that holds both.
  Part with(const Part& other) const { return {glm::min(min, other.min), glm::max(max, other.max)}; }
};

}  // namespace arvesk
