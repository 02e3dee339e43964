// Placements as real geometry: every prop copied to where it stands. Bake to mesh and the mesh exports share it.
#pragma once

#include "core/plan/context.h"

namespace arvesk {

/// Appends `from`, sized, turned and moved, to `to`. Materials are shared by `materialBase`, the place of from's first material in to's list.
/// Uneven and negative sizes are right: normals go by the inverse, faces of mirrored copies are turned round.
void appendPlaced(Surface& to, const Surface& from, const Vec3& position, const Quat& turn, const Vec3& size, std::uint16_t materialBase, std::uint16_t part);

/// All placements in one surface; with `isPerPlacement` each is a part of its own with a name that no other has.
/// Fails above `mostTriangles` with the number there would be.
Result<Surface> baked(const Points& points, bool isPerPlacement, std::size_t mostTriangles, const Task& task);

}  // namespace arvesk
