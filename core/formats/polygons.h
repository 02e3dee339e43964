// Faces of files with any number of corners, as triangles.
#pragma once

#include "core/base/result.h"
#include "core/geometry/surface.h"

#include <span>

namespace arvesk {

/// Triangles of one face, as numbers of its corners, turned as it is; empty for fewer than three different corners.
/// Four corners are cut along the shorter diagonal that lies within; more, where they are concave, by clipping ears
/// (Meisters, "Polygons have ears", 1975) in the plane of their normal (Newell's, in Sutherland et al., "A
/// characterization of ten hidden-surface algorithms", 1974). What crosses itself is covered all the same.
std::vector<UVec3> trianglesOf(std::span<const Vec3> corners);

/// Concave faces of more corners are not cut: it would take longer than their square.
inline constexpr std::size_t kMostConcaveCorners = 10'000;

/// Faces on their way into a surface, and how many could not go there.
class FaceTaker {
 public:
  explicit FaceTaker(Surface& surface) : m_surface(surface) {}
  /// Adds the face of these vertices, which must be there; gives its number of triangles.
  std::size_t add(std::span<const std::uint32_t> vertices);
  void countOutside() { ++m_outside; }
  void countBroken(std::size_t count = 1) { m_broken += count; }
  /// Tells of what was left out.
  void tell(std::vector<Problem>& warnings) const;

 private:
  Surface& m_surface;
  std::vector<Vec3> m_corners;
  std::size_t m_outside = 0;
  std::size_t m_broken = 0;  // fewer than three corners, or no way to cut them
};

/// A surface numbers its parts and materials with 16 bits.
Result<void> checkCounts(std::size_t parts, std::size_t materials);

}  // namespace arvesk
