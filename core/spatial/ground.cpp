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
  GroundPlace place{ground.positionAt(hit.face, hit.weights), ground.normalAt(hit.face, hit.weights), hit.face, hit.weights};
  if (!ground.uvs.empty()) {
    const UVec3 t = ground.triangles[hit.face];
    place.uv = ground.uvs[t.x] * (1 - hit.weights.x - hit.weights.y) + ground.uvs[t.y] * hit.weights.x + ground.uvs[t.z] * hit.weights.y;
  }
  return place;
}

std::optional<GroundPlace> groundUnder(const Surface& ground, const SurfaceIndex& index, const Vec3& position) {
  const SurfaceHit hit = nearestAlong(index, position, -kUp, std::numeric_limits<float>::infinity());
  if (!hit.isHit()) return {};
  return groundPlaceOf(ground, hit);
}

void findGround(const Task& task, const SurfaceIndex& index, const Column<Vec3>& positions, const Array<std::uint32_t>& order,
                SetDownWay way, const Vec3& direction, float reach, Array<SurfaceHit>& hits) {
  hits.resize(order.size());
  parallelPieces(task, order.size(), 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const Vec3& p = positions[order[k]];
      switch (way) {
        case SetDownWay::NearestAlong: hits[k] = nearestAlong(index, p, direction, reach); break;
        case SetDownWay::TopmostAlong: hits[k] = index.first(p - direction * reach, direction, 2 * reach); break;
        case SetDownWay::NearestPlace: hits[k] = index.nearest(p, reach); break;
      }
    }
  });
}

}  // namespace arvesk
