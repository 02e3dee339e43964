// Boxes in doubles: places far from the origin keep their tenths of millimeters.
#pragma once

#include "core/base/vec.h"

#include <limits>

namespace arvesk {

struct DBox3 {
  DVec3 min{std::numeric_limits<double>::max()};
  DVec3 max{std::numeric_limits<double>::lowest()};
  void add(const DVec3& p) {
    min = glm::min(min, p);
    max = glm::max(max, p);
  }
  void add(const DBox3& b) {
    min = glm::min(min, b.min);
    max = glm::max(max, b.max);
  }
  bool isEmpty() const { return min.x > max.x; }
  DVec3 middle() const { return 0.5 * (min + max); }
  double diagonal() const { return isEmpty() ? 0 : glm::length(max - min); }
  DBox3 grown(double by) const { return {min - DVec3(by), max + DVec3(by)}; }
  bool meets(const DBox3& b) const { return meetsFromAbove(b) && min.y <= b.max.y && b.min.y <= max.y; }
  bool meetsFromAbove(const DBox3& b) const {
    return min.x <= b.max.x && b.min.x <= max.x && min.z <= b.max.z && b.min.z <= max.z;
  }
};

}  // namespace arvesk
