// A plane that hides everything on one side of it, to look into what is closed. Of the view only: nothing is taken
// away.
#pragma once

#include "core/base/vec.h"

#include <algorithm>

namespace arvesk {

struct Cut {
  Vec3 at{0};
  Vec3 normal{1, 0, 0};  // unit: what lies on this side is not shown
  bool operator==(const Cut&) const = default;

  bool hides(const Vec3& place) const { return glm::dot(place - at, normal) > 0; }
  /// Narrows from…to, along a ray, to what is shown of it; from > to where nothing is.
  void narrow(const Vec3& origin, const Vec3& direction, float& from, float& to) const {
    const float away = glm::dot(origin - at, normal);
    const float along = glm::dot(direction, normal);
    if (along == 0) {
      if (away > 0) to = from - 1;
      return;
    }
    const float crossing = -away / along;
    if (along < 0)
      from = std::max(from, crossing);
    else
      to = std::min(to, crossing);
  }
};

}  // namespace arvesk
