// What two triangles cover of each other on a plane, and how high the one lies over it there.
#pragma once

#include <array>
#include <cmath>
#include <cstddef>

namespace arvesk {

/// On the plane, and the height of something over it.
struct FlatPoint {
  double x = 0;
  double y = 0;
  double height = 0;
};
using FlatTriangle = std::array<FlatPoint, 3>;

/// The part of `subject` within `window` (turning left, both), with the subject's heights (Sutherland and Hodgman,
/// "Reentrant polygon clipping", 1974).
class FlatOverlap {
 public:
  FlatOverlap(const FlatTriangle& subject, const FlatTriangle& window) {
    for (const FlatPoint& p : subject) m_points[m_count++] = p;
    for (std::size_t k = 0; k < 3 && m_count > 0; ++k) clip(window[k], window[(k + 1) % 3]);
  }
  std::size_t count() const { return m_count; }
  const FlatPoint& at(std::size_t k) const { return m_points[k]; }
  double area() const {
    double twice = 0;
    for (std::size_t k = 1; k + 1 < m_count; ++k)
      twice += (m_points[k].x - m_points[0].x) * (m_points[k + 1].y - m_points[0].y) -
               (m_points[k].y - m_points[0].y) * (m_points[k + 1].x - m_points[0].x);
    return std::abs(twice) / 2;
  }

 private:
  static double leftOf(const FlatPoint& a, const FlatPoint& b, const FlatPoint& p) {
    return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x);
  }
  void clip(const FlatPoint& a, const FlatPoint& b) {
    std::array<FlatPoint, 9> kept;
    std::size_t count = 0;
    for (std::size_t k = 0; k < m_count; ++k) {
      const FlatPoint& p = m_points[k];
      const FlatPoint& q = m_points[(k + 1) % m_count];
      const double atP = leftOf(a, b, p);
      const double atQ = leftOf(a, b, q);
      if (atP >= 0) kept[count++] = p;
      if ((atP >= 0) == (atQ >= 0)) continue;
      const double along = atP / (atP - atQ);
      kept[count++] = {p.x + along * (q.x - p.x), p.y + along * (q.y - p.y), p.height + along * (q.height - p.height)};
    }
    m_points = kept;
    m_count = count;
  }

  std::array<FlatPoint, 9> m_points;
  std::size_t m_count = 0;
};

}  // namespace arvesk
