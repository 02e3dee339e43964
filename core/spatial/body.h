// What is inside of surfaces, asked exactly: shells that are closed by counting crossings, others by winding numbers.
#pragma once

#include "core/base/result.h"
#include "core/base/task.h"
#include "core/geometry/surface.h"
#include "core/spatial/embree_scene.h"
#include "core/spatial/winding_tree.h"

namespace arvesk {

/// Where all of a box lies; Mixed also where that is not known.
enum class Side { Inside, Outside, Mixed };

/// Shells count as the eye sees them: what lies in any of them is inside, however they overlap or cross themselves; a
/// shell that is turned round counts as if it were not; a shell that is turned against the one it lies in is a hollow.
/// Faces of a shell that are turned against their neighbors count as if they were not.
class Body {
 public:
  /// Of all `surfaces` together; they are not kept. Fails on triangles that are not finite or out of range.
  static Result<std::shared_ptr<const Body>> of(const std::vector<SurfacePtr>& surfaces, const Task& task);

  Body(const Body&) = delete;
  Body& operator=(const Body&) = delete;

  /// Exact for closed shells; near the holes of others it is what the winding number says. On the skin it is either.
  bool isInside(const Vec3& place) const;
  /// Where all of a box lies, as far as the coarse grid knows.
  Side sideOf(const Box3& box) const;
  bool isClosed() const { return m_open.isEmpty(); }
  const Box3& bounds() const { return m_bounds; }
  bool isEmpty() const { return m_triangles.empty() && m_open.isEmpty(); }
  void countBytes(ByteCounter& counter) const;

  // For the library that walks the rays.
  Box3 boxOf(std::uint32_t triangle) const;
  struct Segment;
  void cross(std::uint32_t triangle, Segment& segment) const;

 private:
  Body() = default;
  void makeScene();
  void makeGrid(const Task& task);
  glm::ivec3 cellOf(const Vec3& place) const;
  std::size_t indexOf(const glm::ivec3& cell) const;
  Vec3 middleOf(const glm::ivec3& cell) const;
  int windingFrom(const Vec3& place, int axis, float to) const;

  Box3 m_bounds;
  WindingTree m_open;
  // Of the closed shells: turned outward, hollows inward.
  SharedArray<Vec3> m_positions;
  Array<UVec3> m_triangles;
  EmbreeScene m_scene;
  // How often the closed shells wind around each cell that no triangle touches; kTouched for the others.
  static constexpr std::int16_t kTouched = 0x7fff;
  glm::ivec3 m_cells{0};
  Vec3 m_corner{0};
  float m_cell = 1;  // m
  Array<std::int16_t> m_winding;
};

}  // namespace arvesk
