#include "core/base/curve.h"

#include <algorithm>

namespace arvesk {
namespace {

float slopeBetween(const Vec2& a, const Vec2& b) { return b.x > a.x ? (b.y - a.y) / (b.x - a.x) : 0; }

}  // namespace

float CurveShape::at(float x) const {
  if (points.empty()) return x;
  if (x <= points.front().x) return points.front().y;
  if (x >= points.back().x) return points.back().y;
  std::size_t k = 1;
  while (points[k].x < x) ++k;
  const Vec2 a = points[k - 1];
  const Vec2 b = points[k];
  const float between = slopeBetween(a, b);
  const auto tangent = [&](float before, float after) {
    return before * after > 0 ? 2 * before * after / (before + after) : 0.0F;  // harmonic mean: no overshoot
  };
  const float ta = k >= 2 ? tangent(slopeBetween(points[k - 2], a), between) : between;
  const float tb = k + 1 < points.size() ? tangent(between, slopeBetween(b, points[k + 1])) : between;
  const float h = b.x - a.x;
  if (!(h > 0)) return b.y;
  const float t = (x - a.x) / h;
  const float t2 = t * t;
  const float t3 = t2 * t;
  return (2 * t3 - 3 * t2 + 1) * a.y + (t3 - 2 * t2 + t) * h * ta + (3 * t2 - 2 * t3) * b.y + (t3 - t2) * h * tb;
}

}  // namespace arvesk
