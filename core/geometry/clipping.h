// Triangles in a plane, cut off along lines (Sutherland and Hodgman, "Reentrant polygon clipping", 1974).
#pragma once

#include "core/base/vec.h"

#include <array>

namespace arvesk {

using DVec2 = glm::dvec2;

/// A convex polygon of few corners: a triangle with four corners cut off has seven.
struct Polygon {
  std::array<DVec2, 16> at;  // rounding may see a line crossed more than twice by what is nearly flat
  std::size_t count = 0;
  void add(const DVec2& p) {
    if (count < at.size()) at[count++] = p;
  }
};

/// What of it lies where `sign` · (axis − limit) is not below 0.
inline Polygon clipped(const Polygon& in, int axis, double limit, double sign) {
  Polygon out;
  for (std::size_t i = 0; i < in.count; ++i) {
    const DVec2 a = in.at[i];
    const DVec2 b = in.at[(i + 1) % in.count];
    const double da = sign * (a[axis] - limit);
    const double db = sign * (b[axis] - limit);
    if (da >= 0) out.add(a);
    if ((da >= 0) != (db >= 0)) {
      DVec2 at = a + (b - a) * (da / (da - db));
      at[axis] = limit;
      out.add(at);
    }
  }
  return out;
}

inline double areaOf(const Polygon& p) {
  double sum = 0;
  for (std::size_t i = 1; i + 1 < p.count; ++i) {
    const DVec2 a = p.at[i] - p.at[0];
    const DVec2 b = p.at[i + 1] - p.at[0];
    sum += a.x * b.y - a.y * b.x;
  }
  return 0.5 * std::abs(sum);
}

}  // namespace arvesk
