// A picture of 100 k placements of 500 triangles at 820 × 470, one sample a pixel: primary, sun and sky ray, against a
// bare loop of the same three rays on the same scene that shades nothing.
#include "core/picture/render.h"

#include "benchmarks/bench.h"
#include "core/base/hash.h"
#include "core/geometry/shapes.h"

namespace arvesk::bench {

void addPicture() {
  Surface shape = makeBall(0.35F, 16);  // 480 triangles
  auto kit = std::make_shared<Kit>();
  kit->entries.push_back({makeProp("ball", "ball", std::make_shared<const Surface>(std::move(shape))), 1});
  Points p = points(100'000, 160, 0.1F, 0.2F);
  p.kit = kit;
  p.prop = Column<std::int32_t>(0);
  PictureInput input;
  input.grounds = {ground(200, 200)};
  input.layers = {{std::make_shared<const Points>(p), false}};
  const auto scene = *PictureScene::build(input, {});
  Camera camera;
  camera.eye = {-10, 25, -10};
  camera.target = {80, 0, 80};
  constexpr int kWidth = 820;
  constexpr int kHeight = 470;
  add({"Picture, 100 k x 480 triangles", "bare primary, sun and sky rays", false, 1.15,
       [scene, camera] {
         Film film(kWidth, kHeight);
         renderPass(*scene, camera, 1, film, {});
         benchmark::DoNotOptimize(film.sum.data());
       },
       [scene, camera] {
         const Vec3 sun = scene->input().light.sunDirection();
         std::vector<float> out(static_cast<std::size_t>(kWidth) * kHeight);
         parallelPieces({}, out.size(), kWidth, [&](std::size_t begin, std::size_t end) {
           for (std::size_t i = begin; i < end; ++i) {
             const Vec3 d = camera.direction((static_cast<float>(i % kWidth) + 0.5F) / kWidth,
                                             (static_cast<float>(i / kWidth) + 0.5F) / kHeight,
                                             static_cast<float>(kWidth) / kHeight);
             const PictureRayHit hit = scene->first(camera.eye, d);
             if (!hit.isHit()) continue;
             const Vec3 at = camera.eye + d * hit.distance + Vec3(0, 1e-3F, 0);
             const float turn = 6.2831853F * unitFloat(mix64(i));
             const float height = std::sqrt(1 - unitFloat(mix64(i + 7)));
             const float flat = std::sqrt(1 - height * height);
             out[i] = (scene->isBlocked(at, sun, 1e4F) ? 0.0F : 1.0F) +
                      (scene->isBlocked(at, {flat * std::cos(turn), height, flat * std::sin(turn)}, 12) ? 0.0F : 1.0F);
           }
         });
         benchmark::DoNotOptimize(out.data());
       }});
}

}  // namespace arvesk::bench
