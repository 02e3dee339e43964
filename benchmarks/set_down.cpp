// Set down: 1 M points onto 2 M triangles, against a bare loop of sorted Embree rays with the robust flag (the same
// rays, nothing else).
#include "benchmarks/bench.h"
#include "core/plan/node_kind.h"
#include "core/spatial/surface_index.h"

#include <embree3/rtcore.h>

namespace arvesk::bench {

void addSetDown() {
  const SurfacePtr surface = ground(1000, 100);
  Points p = points(1'000'000, 96, 0.1F, 0.2F);
  Array<Vec3> position = p.position.copied(p.count);
  for (Vec3& v : position) v -= Vec3(48, 0, 48);
  p.position = std::move(position);
  const auto shared = std::make_shared<const Points>(p);
  const auto index = SurfaceIndex::of(*surface);
  add({"Set down, 1 M onto 2 M triangles", "bare sorted Embree rays, robust", false, 1.1,
       [surface, shared] {
         EvalContext ctx;
         Inputs in;
         in.links["points"].push_back({shared, 1});
         in.links["ground"].push_back({surface, 2});
         benchmark::DoNotOptimize(
             findNodeKind("set-down")->evaluate(ctx, in, {{"way", std::string("topmost-along")}, {"reach", 50.0}}));
       },
       [index, shared] {
         const Array<std::uint32_t> order = mortonOrder(shared->position, shared->count);
         std::vector<RTCRayHit> hits(shared->count);
         parallelPieces({}, shared->count, 1024, [&](std::size_t begin, std::size_t end) {
           for (std::size_t k = begin; k < end; ++k) {
             const Vec3 from = shared->position[order[k]] + Vec3(0, 50, 0);
             RTCRayHit& r = hits[k];
             r.ray = {from.x, from.y, from.z, 0, 0, -1, 0, 0, 100, ~0U, 0, 0};
             r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
             r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
             RTCIntersectContext context;
             rtcInitIntersectContext(&context);
             rtcIntersect1((*index)->scene(), &context, &r);
           }
         });
         benchmark::DoNotOptimize(hits.data());
       }});
}

}  // namespace arvesk::bench
