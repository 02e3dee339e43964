// Placements as real geometry: every prop copied to where it stands. Bake to mesh and the mesh exports share it.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/geometry/prop.h"

#include <functional>

namespace arvesk {

/// A normal of a copy: by the inverse of its size, then turned; right for uneven and negative sizes.
inline Vec3 placedNormal(const Vec3& normal, const Quat& turn, const Vec3& size) {
  return directionOr(
      turn * directionOr(Vec3(1) / glm::max(glm::abs(size), Vec3(1e-9F)) * glm::sign(size) * normal, kUp), kUp);
}
/// The box of a mesh's own box as it stands: not smaller than the copy's.
inline Box3 placedBox(const Box3& own, const Vec3& position, const Quat& turn, const Vec3& size) {
  if (own.isEmpty()) return own;
  const Mat3 axes = glm::mat3_cast(turn);
  const Vec3 center = position + axes * (size * own.center());
  const Vec3 half = 0.5F * glm::abs(size) * own.extent();
  Vec3 reach(0);
  for (int axis = 0; axis < 3; ++axis) reach += glm::abs(axes[axis]) * half[axis];
  return {center - reach, center + reach};
}
/// Are the faces of a copy to be turned round?
inline bool isMirroring(const Vec3& size) { return size.x * size.y * size.z < 0; }

/// Appends `from`, sized, turned and moved, to `to`. `colorOf` makes its colors (linear light) those of one placement.
/// Materials are shared by `materialBase`, the place of from's first material in to's list. Uneven and negative sizes
/// are right: normals go by the inverse, faces of mirrored copies are turned round.
void appendPlaced(Surface& to, const Surface& from, const Vec3& position, const Quat& turn, const Vec3& size,
                  std::uint16_t materialBase, std::uint16_t part, const std::function<Vec3(Vec3)>& colorOf = {});

/// All placements in one surface; with `isPerPlacement` each is a part of its own with a name that no other has.
/// Fails above `mostTriangles` with the number there would be.
Result<Surface> baked(const Points& points, bool isPerPlacement, std::size_t mostTriangles, const Task& task);

}  // namespace arvesk
