// Finding the ground of points: projecting along a direction, or to the nearest place. Set down, masks and brushes
// share it.
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

/// Where one point lands. Reach in m to both sides; direction is unit length. Go through many points in Morton order:
/// neighbors share what the cache holds of index and triangles.
SurfaceHit groundHit(const SurfaceIndex& index, const Vec3& position, SetDownWay way, const Vec3& direction,
                     float reach);

}  // namespace arvesk
