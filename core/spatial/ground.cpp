#include "core/spatial/ground.h"

namespace arvesk {
namespace {

SurfaceHit nearestAlong(const SurfaceIndex& index, const Vec3& p, const Vec3& direction, float reach) {
  const SurfaceHit ahead = index.first(p, direction, reach);
  SurfaceHit behind = index.first(p, -direction, std::min(reach, ahead.distance));
  if (!behind.isHit() || behind.distance >= ahead.distance) return ahead;
  behind.distance = -behind.distance;
  return behind;
}

}  // namespace

GroundPlace groundPlaceOf(const Surface& ground, const SurfaceHit& hit) {
  return {ground.positionAt(hit.face, hit.weights), ground.normalAt(hit.face, hit.weights), hit.face,
          ground.uvAt(hit.face, hit.weights)};
}

std::optional<GroundPlace> groundUnder(const Surface& ground, const SurfaceIndex& index, const Vec3& position) {
  const SurfaceHit hit = nearestAlong(index, position, -kUp, std::numeric_limits<float>::infinity());
  if (!hit.isHit()) return {};
  return groundPlaceOf(ground, hit);
}

SurfaceHit groundHit(const SurfaceIndex& index, const Vec3& p, SetDownWay way, const Vec3& direction, float reach) {
  switch (way) {
    case SetDownWay::NearestAlong: return nearestAlong(index, p, direction, reach);
    case SetDownWay::TopmostAlong: return index.first(p - direction * reach, direction, 2 * reach);
    case SetDownWay::NearestPlace: return index.nearest(p, reach);
  }
  return {};
}

}  // namespace arvesk
