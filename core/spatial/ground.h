// Finding the ground of points: projecting along a direction, or to the nearest place. Set down, masks and brushes share it.
#pragma once

#include "core/spatial/surface_index.h"

namespace arvesk {

struct GroundPlace {
  Vec3 position;
  Vec3 normal;  // smooth where the surface has normals
  std::uint32_t face;
  Vec2 uv;
};

GroundPlace groundPlaceOf(const Surface& ground, const SurfaceHit& hit);

/// The place straight above or below, whichever is nearer; none where a vertical line misses.
std::optional<GroundPlace> groundUnder(const Surface& ground, const SurfaceIndex& index, const Vec3& position);

enum class SetDownWay { NearestAlong, TopmostAlong, NearestPlace };

/// Places for points `order` of `positions`; hits[k] belongs to order[k]. Reach in m to both sides. Direction is unit length.
void findGround(const Task& task, const SurfaceIndex& index, const Column<Vec3>& positions, const Array<std::uint32_t>& order,
                SetDownWay way, const Vec3& direction, float reach, Array<SurfaceHit>& hits);

}  // namespace arvesk
