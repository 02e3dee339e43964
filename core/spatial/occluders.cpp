#include "core/spatial/occluders.h"

#include "core/geometry/prop.h"
#include "core/geometry/shapes.h"
#include "core/spatial/embree_scene.h"

#include <embree3/rtcore.h>

namespace arvesk {
namespace {

void attachInstance(RTCSceneTy* scene, RTCSceneTy* what, const Quat& turn, const Vec3& size, const Vec3& position) {
  const EmbreeGeometry geometry = newEmbreeGeometry(RTC_GEOMETRY_TYPE_INSTANCE);
  rtcSetGeometryInstancedScene(geometry.get(), what);
  const Mat3 turned = glm::mat3_cast(turn);
  const Vec3 x = turned[0] * size.x;
  const Vec3 y = turned[1] * size.y;
  const Vec3 z = turned[2] * size.z;
  const float columns[12] = {x.x, x.y, x.z, y.x, y.y, y.z, z.x, z.y, z.z, position.x, position.y, position.z};
  rtcSetGeometryTransform(geometry.get(), 0, RTC_FORMAT_FLOAT3X4_COLUMN_MAJOR, columns);
  attach(scene, geometry);
}

}  // namespace

Occluders::Occluders(const SurfacePtr& ground, const std::vector<PointsPtr>& placements, const Task& task) {
  m_scene = newEmbreeScene();
  if (ground) {
    if (const auto index = SurfaceIndex::of(*ground)) {
      m_surfaces.push_back(ground);
      m_indices.push_back(*index);
      attachInstance(m_scene.get(), (*index)->scene(), Quat(1, 0, 0, 0), Vec3(1), Vec3(0));
    }
  }
  for (const PointsPtr& points : placements)
    if (points) add(*points, task);
  if (task.isCancelled()) return;
  commitScene(m_scene.get(), task);
}

void Occluders::add(const Points& points, const Task& task) {
  std::vector<const SurfaceIndex*> ofProp;
  const auto share = [&](const SurfacePtr& surface) -> const SurfaceIndex* {
    const auto index = surface->triangles.empty() ? nullptr : SurfaceIndex::of(*surface).value_or(nullptr);
    if (!index) return nullptr;
    m_surfaces.push_back(surface);
    m_indices.push_back(index);
    return index.get();
  };
  const bool isDressed = points.kit != nullptr;
  if (isDressed)
    for (const KitEntry& entry : points.kit->entries) ofProp.push_back(share(entry.prop->surface));
  else
    ofProp.push_back(share(std::make_shared<const Surface>(makeBall(1, 16))));
  for (std::size_t i = 0; i < points.count; ++i) {
    if (i % 1024 == 0 && task.isCancelled()) return;
    const std::int32_t prop = isDressed ? points.prop[i] : 0;
    if (prop == kNoProp || !ofProp[static_cast<std::size_t>(prop)]) continue;
    const float radius = points.effectiveFootprint(i);
    const Vec3 size = isDressed ? points.size[i] : Vec3(radius);
    const Vec3 at = isDressed ? points.position[i] : points.position[i] + kUp * radius;
    if (!isFinite(at) || !isFinite(size) || size == Vec3(0)) continue;
    attachInstance(m_scene.get(), ofProp[static_cast<std::size_t>(prop)]->scene(), points.orientation[i], size, at);
    ++m_instanceCount;
  }
}

void Occluders::countBytes(ByteCounter& counter) const {
  counter.add(this, m_instanceCount * 400);  // of Embree's instances, measured
  for (const SurfacePtr& s : m_surfaces) s->countBytes(counter);
}

bool Occluders::isStopped(const Vec3& origin, const Vec3& direction, float from, float to) const {
  if (!isFinite(origin) || !isFinite(direction)) return false;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRay ray{origin.x, origin.y, origin.z, from, direction.x, direction.y, direction.z, 0, to, ~0U, 0, 0};
  rtcOccluded1(m_scene.get(), &context, &ray);
  return ray.tfar < 0;
}

}  // namespace arvesk
