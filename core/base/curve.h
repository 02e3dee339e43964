// An editable curve: values between 0 and 1 drawn through points, without overshooting them.
#pragma once

#include "core/base/vec.h"

#include <vector>

namespace arvesk {

struct CurveShape {
  std::vector<Vec2> points{{0, 0}, {1, 1}};  // by rising x; before the first and after the last the curve is level
  bool operator==(const CurveShape&) const = default;
  /// Monotone cubic interpolation (Fritsch and Carlson, "Monotone piecewise cubic interpolation", SIAM J. Numer. Anal.
  /// 17, 1980, with the tangents of Fritsch and Butland 1984, which need the neighbors only).
  float at(float x) const;
};

}  // namespace arvesk
