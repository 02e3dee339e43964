// Inside of a closed body: a million places, beside one signed ray each through the same triangles; one thread.
#include "core/spatial/body.h"

#include "benchmarks/bench.h"
#include "core/base/random.h"
#include "core/geometry/shapes.h"
#include "core/spatial/surface_index.h"

#include <embree3/rtcore.h>

namespace arvesk::bench {
namespace {

constexpr std::size_t kCount = 1'000'000;

/// A blob of 100 k triangles.
SurfacePtr blob() {
  Surface s = makeBall(1, 160);
  for (Vec3& p : s.positions.edit())
    p *= 1 + 0.3F * std::sin(3 * p.x + 1) * std::cos(4 * p.y) + 0.1F * std::sin(9 * p.z);
  return std::make_shared<const Surface>(std::move(s));
}

/// Counts all that a ray meets, by the way it is turned.
struct SignedRay {
  RTCIntersectContext context;
  Vec3 direction;
  int sum = 0;
};
void count(const RTCFilterFunctionNArguments* args) {
  auto* ray = reinterpret_cast<SignedRay*>(args->context);
  const Vec3 normal(RTCHitN_Ng_x(args->hit, 1, 0), RTCHitN_Ng_y(args->hit, 1, 0), RTCHitN_Ng_z(args->hit, 1, 0));
  ray->sum += glm::dot(normal, ray->direction) > 0 ? 1 : -1;
  args->valid[0] = 0;
}

RTCScene sceneOf(const Surface& s) {
  RTCScene scene = rtcNewScene(embreeDevice());
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
  void* positions = rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sizeof(Vec3),
                                            s.positions.size());
  std::copy(s.positions.begin(), s.positions.end(), static_cast<Vec3*>(positions));
  void* triangles = rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, sizeof(UVec3),
                                            s.triangles.size());
  std::copy(s.triangles.begin(), s.triangles.end(), static_cast<UVec3*>(triangles));
  rtcSetGeometryOccludedFilterFunction(geometry, &count);
  rtcCommitGeometry(geometry);
  rtcAttachGeometry(scene, geometry);
  rtcReleaseGeometry(geometry);
  rtcCommitScene(scene);
  return scene;
}

bool isInsideByRay(RTCScene scene, const Vec3& place) {
  SignedRay walk;
  rtcInitIntersectContext(&walk.context);
  walk.direction = glm::normalize(Vec3(0.31F, 0.84F, -0.45F));
  RTCRay ray{place.x, place.y, place.z, 0, walk.direction.x, walk.direction.y, walk.direction.z, 0, 100, ~0U, 0, 0};
  rtcOccluded1(scene, &walk.context, &ray);
  return walk.sum != 0;
}

}  // namespace

void addBody() {
  const SurfacePtr surface = blob();
  const auto body = Body::of({surface}, {}).value();
  auto places = std::make_shared<std::vector<Vec3>>();
  const Box3 box = surface->bounds();
  const Draw draw(1, 2, 3, "places");
  for (std::size_t i = 0; i < kCount; ++i)
    places->push_back(box.min + box.extent() * Vec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2)));
  const RTCScene scene = sceneOf(*surface);  // as long as the process
  add({"Inside of a body of 100 k triangles, 1 M", "one signed ray each", true, 4,
       [body, places] {
         std::size_t inside = 0;
         for (const Vec3& p : *places) inside += body->isInside(p);
         benchmark::DoNotOptimize(inside);
       },
       [scene, places] {
         std::size_t inside = 0;
         for (const Vec3& p : *places) inside += isInsideByRay(scene, p);
         benchmark::DoNotOptimize(inside);
       }});
}

}  // namespace arvesk::bench
