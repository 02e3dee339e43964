// The renderer against what geometry says: where things are seen, what is in shadow, how normals bend, that threads do
// not matter.
#include "core/geometry/shapes.h"
#include "core/picture/guide.h"
#include "core/picture/render.h"
#include "core/props/baked.h"
#include "tests/support/support.h"

#include <QFile>

using namespace arvesk;
using test::within;

namespace {

PictureScenePtr sceneOf(std::vector<SurfacePtr> grounds, std::vector<PointsPtr> layers = {}) {
  PictureInput input;
  input.grounds = std::move(grounds);
  for (PointsPtr& p : layers) input.layers.push_back({std::move(p), false});
  auto scene = PictureScene::build(std::move(input), {});
  ARVESK_ASSERT(scene, "the scene builds");
  return *scene;
}

/// One crate of 1 × 0.5 × 1 m, placed.
PointsPtr crate(const Vec3& at, const Quat& turn, const Vec3& size) {
  Points p;
  p.count = 1;
  p.position = Column<Vec3>(at);
  p.orientation = Column<Quat>(turn);
  p.size = Column<Vec3>(size);
  p.id = Column<std::uint64_t>(1);
  p.kit = test::someKit();
  p.prop = Column<std::int32_t>(0);
  return std::make_shared<const Points>(p);
}

double brightness(std::uint32_t pixel) { return (pixel >> 16 & 255) + (pixel >> 8 & 255) + (pixel & 255); }

}  // namespace

class TestPicture : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// What a cut hides is met by no ray, whichever way it comes; all else is met as before. Light comes in where
  /// something was taken away.
  void cutsHideOneSide() {
    const auto scene = sceneOf({}, {crate(Vec3(0), Quat(1, 0, 0, 0), Vec3(2, 4, 2))});
    const Draw draw(2, 3, 4, "rays");
    std::size_t met = 0;
    std::size_t hidden = 0;
    for (std::uint64_t i = 0; i < 4000; ++i) {
      const auto r = [&](std::uint64_t n) { return draw.between(i * 16 + n, -1, 1); };
      const Vec3 origin(4 * r(0), 4 * r(1) + 1, 4 * r(2));
      const Vec3 direction = directionOr(Vec3(r(3), r(4) + 1, r(5)) - origin, kUp);
      const Cut cut{Vec3(r(6), r(7) + 1, r(8)), directionOr(Vec3(r(9), r(10), r(11)), kUp)};
      const PictureRayHit whole = scene->first(origin, direction);
      const PictureRayHit shown = scene->first(origin, direction, &cut);
      if (shown.isHit()) {
        ++met;
        QVERIFY(glm::dot(origin + direction * shown.distance - cut.at, cut.normal) < 1e-4F);
        QVERIFY(shown.distance >= whole.distance - 1e-5F);
      }
      if (whole.isHit()) {
        const float away = glm::dot(origin + direction * whole.distance - cut.at, cut.normal);
        if (away < -1e-4F) QVERIFY(shown.isHit() && shown.distance == whole.distance);
        hidden += away > 0;
      }
      QCOMPARE(scene->isBlocked(origin, direction, 100, &cut), shown.isHit());
    }
    QVERIFY(met > 500 && hidden > 500);
  }

  void placementsAreWhereTheirTransformPutsThem() {
    for (std::uint64_t seed = 0; seed < 60; ++seed) {
      const auto r = [&](std::uint64_t n) { return unitFloat(mix64(seed * 31 + n)); };
      const Vec3 at(r(1) * 20 - 10, r(2) * 5, r(3) * 20 - 10);
      const Quat turn = glm::normalize(Quat(r(4) - 0.5F, r(5) - 0.5F, r(6) - 0.5F, r(7) - 0.5F));
      const Vec3 size(0.3F + r(8) * 3, 0.3F + r(9) * 3, 0.3F + r(10) * 3);
      const auto scene = sceneOf({}, {crate(at, turn, size)});
      // A ray from outside through a known place on the top face, along the face's own normal, hits exactly there.
      const Vec3 local(r(11) - 0.5F, 0.5F, r(12) - 0.5F);
      const Vec3 world = at + turn * (local * size);
      const Vec3 normal = glm::normalize(turn * (Vec3(0, 1, 0) / size));
      const PictureRayHit hit = scene->first(world + normal * 4.0F, -normal);
      QVERIFY(hit.isHit());
      QVERIFY(within(static_cast<double>(hit.distance), 4, 1e-3));
      QVERIFY(scene->isBlocked(world + normal * 4.0F, -normal, 5));
      QVERIFY(!scene->isBlocked(world + normal * 4.0F, -normal, 3.9F));
      QVERIFY(!scene->first(world + normal * 0.01F, normal).isHit());
    }
  }

  /// A placement is drawn as its real geometry would be: shading, textures, vertex colors and shadows under uneven,
  /// mirrored and turned copies are those of the same mesh with every vertex moved.
  void placementsLookLikeTheirBakedMesh() {
    auto texture = std::make_shared<Texture>();
    texture->width = texture->height = 8;
    for (std::uint64_t i = 0; i < 64; ++i)
      for (std::uint64_t c = 0; c < 4; ++c)
        texture->rgba.push_back(c == 3 ? 255 : static_cast<std::uint8_t>(60 + mix64(i * 4 + c) % 190));
    Surface ball = makeBall(0.5F, 20);
    ball.materials.emplace_back();
    ball.materials.front().texture = texture;
    QVERIFY(!ball.uvs.empty() && !ball.normals.empty());
    Surface box = makeBox({0.7F, 0.4F, 1});
    for (const Vec3& p : box.positions) box.colors.edit().emplace_back(glm::abs(p) * 2.0F, 1);
    Surface leaf = makePlane(1, 0.6F, 1);
    leaf.materials.emplace_back();
    leaf.materials.front().isTwoSided = true;
    leaf.materials.front().baseColor = {0.1F, 0.5F, 0.05F, 1};
    auto kit = std::make_shared<Kit>();
    for (Surface* s : {&ball, &box, &leaf})
      kit->entries.push_back(
          {makeProp(std::to_string(kit->entries.size()), "prop", std::make_shared<const Surface>(std::move(*s))), 1});
    Camera camera;
    camera.eye = {5, 4, 6};
    camera.target = {0, 0.6F, 0};
    constexpr int kWidth = 120;
    constexpr int kHeight = 80;
    for (std::uint64_t seed = 0; seed < 12; ++seed) {
      Points p = test::randomPoints(9, {4, 1.5F, 4}, 0.3F, 0.3F, seed);
      Array<Vec3> position(p.count), size(p.count);
      Array<Quat> turn(p.count);
      Array<std::int32_t> prop(p.count);
      for (std::size_t i = 0; i < p.count; ++i) {
        const auto r = [&](std::uint64_t n) { return unitFloat(hashOf(seed, i, n)); };
        position[i] = p.position[i] - Vec3(2, -0.3F, 2);
        turn[i] = glm::normalize(Quat(r(1) - 0.5F, r(2) - 0.5F, r(3) - 0.5F, r(4) - 0.5F));
        size[i] = Vec3(0.4F + r(5) * 2, 0.4F + r(6), 0.4F + r(7));
        for (int axis = 0; axis < 3; ++axis)
          if (r(8 + static_cast<std::uint64_t>(axis)) < 0.3F) size[i][axis] = -size[i][axis];
        prop[i] = static_cast<std::int32_t>(i % 3);
      }
      p.position = std::move(position);
      p.orientation = std::move(turn);
      p.size = std::move(size);
      p.prop = std::move(prop);
      p.kit = kit;
      const auto whole = baked(p, false, 1'000'000, {});
      QVERIFY(whole);
      const SurfacePtr floor = test::plane(30, 2);
      const auto placed = renderPicture(*sceneOf({floor}, {std::make_shared<const Points>(p)}), camera, kWidth, kHeight,
                                        3, {});
      const auto real = renderPicture(*sceneOf({floor, std::make_shared<const Surface>(*whole)}), camera, kWidth,
                                      kHeight, 3, {});
      const auto empty = renderPicture(*sceneOf({floor}), camera, kWidth, kHeight, 3, {});
      std::size_t covered = 0;
      std::size_t other = 0;
      double sum = 0;
      for (std::size_t k = 0; k < placed.size(); ++k) {
        if (real[k] == empty[k]) continue;
        ++covered;
        const double d = std::abs(brightness(placed[k]) - brightness(real[k]));
        other += d > 40;  // rays that pass an edge on the other side
        sum += d;
      }
      QVERIFY(covered > 600);
      QVERIFY2(other * 100 < covered * 2,
               qPrintable(QStringLiteral("%1 of %2 pixels differ, seed %3").arg(other).arg(covered).arg(seed)));
      QVERIFY(sum / static_cast<double>(covered) < 3);
    }
  }

  void depthOfTheFilmIsTheDistanceToTheGround() {
    const auto scene = sceneOf({test::plane(200, 4)});
    Camera camera;
    camera.eye = {0, 10, 0};
    camera.target = {0, 0, -10};
    Film film(64, 64);
    QVERIFY(renderPass(*scene, camera, 1, film, {}));
    // 45° down: the middle of the picture sees the ground at 10 √2 m; one pixel covers about 0.2 m there.
    QVERIFY(within(static_cast<double>(film.distance[film.at(32, 32)]), 10 * std::sqrt(2.0), 0.25));
    const Vec3 p = camera.projected({0, 0, -10}, 64, 64);
    QVERIFY(within(static_cast<double>(p.x), 32, 1e-3) && within(static_cast<double>(p.y), 32, 1e-3));
  }

  void thingsThrowShadowsAwayFromTheSun() {
    PictureInput input;
    input.grounds = {test::plane(60, 2)};
    input.layers = {{crate({0, 0, 0}, Quat(1, 0, 0, 0), {2, 8, 2}), false}};
    input.light.sunHeadingDeg = 90;  // in the east, +X
    input.light.sunHeightDeg = 45;
    const auto scene = PictureScene::build(input, {});
    Camera camera;
    camera.eye = {0, 40, 0.01F};
    camera.target = {0, 0, 0};
    const auto pixels = renderPicture(**scene, camera, 100, 100, 4, {});
    const auto at = [&](const Vec3& p) {
      const Vec3 q = camera.projected(p, 100, 100);
      return brightness(pixels[static_cast<std::size_t>(q.y) * 100 + static_cast<std::size_t>(q.x)]);
    };
    QVERIFY(at({-3, 0, 0}) < 0.75 * at({3, 0, 0}));      // shadow 4 m to the west
    QVERIFY(within(at({-8, 0, 0}), at({8, 0, 0}), 25));  // beyond its end both are lit
  }

  void coarsePassesShowTheSamePlaces() {
    const auto scene = sceneOf({test::hills(40, 30, 3)});
    Camera camera;
    camera.eye = {20, 15, 20};
    Film coarse(81, 47);
    Film fine(81, 47);
    QVERIFY(renderPass(*scene, camera, 4, coarse, {}));
    QVERIFY(renderPass(*scene, camera, 1, fine, {}));
    QCOMPARE(coarse.samples, 0);
    QCOMPARE(fine.samples, 1);
    double difference = 0;
    std::size_t n = 0;
    for (std::size_t i = 0; i < fine.distance.size(); ++i)
      if (std::isfinite(fine.distance[i]) && std::isfinite(coarse.distance[i])) {
        difference += static_cast<double>(std::abs(fine.distance[i] - coarse.distance[i]) / fine.distance[i]);
        ++n;
      }
    QVERIFY(n > 1000 && difference / static_cast<double>(n) < 0.05);
  }

  void threadsDoNotMatter() {
    const auto scene = sceneOf({test::hills(40, 30, 3)}, {crate({0, 2, 0}, Quat(1, 0, 0, 0), Vec3(3))});
    Camera camera;
    camera.eye = {20, 15, 20};
    Array<std::uint32_t> one;
    Array<std::uint32_t> two;
    withThreads(1, [&] { one = renderPicture(*scene, camera, 70, 50, 2, {}); });
    withThreads(2, [&] { two = renderPicture(*scene, camera, 70, 50, 2, {}); });
    QVERIFY(one == two);
  }

  /// Few samples that are cleaned are nearer to the exact picture than they were, everywhere: base colors from pixel to
  /// pixel, edges and the rims of shadows stay as sharp. Nothing taken out gives the very film.
  void grainGoesAndEdgesStay() {
    constexpr int kWidth = 160;
    constexpr int kHeight = 120;
    for (const std::uint64_t seed : {1ULL, 2ULL, 3ULL}) {
      const Draw draw(seed, 5, 6, "grain");
      Surface floor = *test::plane(40, 160);
      for (std::size_t i = 0; i < floor.positions.size(); ++i)
        floor.colors.edit().push_back(Vec4(Vec3(draw.between(i, 0.2F, 0.9F)), 1));
      std::vector<PointsPtr> crates;
      for (std::uint64_t k = 0; k < 12; ++k)
        crates.push_back(crate({draw.between(1000 + k, -9, 9), 0, draw.between(2000 + k, -9, 9)},
                               glm::angleAxis(draw.between(3000 + k, 0, 6), kUp), Vec3(2, 3, 2)));
      const auto scene = sceneOf({std::make_shared<const Surface>(floor)}, crates);
      Camera camera;
      camera.eye = {14, 9, 14};
      const Film exact = *tracedFilm(*scene, camera, kWidth, kHeight, 300, {});
      Film few(kWidth, kHeight);
      FilmGuide guide(few);
      for (int k = 0; k < 2; ++k) QVERIFY(renderPass(*scene, camera, 1, few, {}, {}, &guide));
      QVERIFY(cleaned(few, guide, camera, 0, {})->sum == few.sum);
      const Film clean = *cleaned(few, guide, camera, 1, {});
      const auto shown = [](const Film& film, int x, int y) {
        return tonemapped(film.sum[film.at(x, y)] / static_cast<float>(film.samples));
      };
      std::array<double, 2> before{};  // squared errors: even places, edges
      std::array<double, 2> after{};
      for (int y = 1; y < kHeight - 1; ++y)
        for (int x = 1; x < kWidth - 1; ++x) {
          const Vec3 is = shown(exact, x, y);
          const bool isEdge = glm::distance(is, shown(exact, x + 1, y)) > 0.12F ||
                              glm::distance(is, shown(exact, x, y + 1)) > 0.12F;
          const auto square = [](const Vec3& d) { return static_cast<double>(glm::dot(d, d)); };
          before[isEdge] += square(shown(few, x, y) - is);
          after[isEdge] += square(shown(clean, x, y) - is);
        }
      qInfo("left of the squared error: %.2f in even places, %.2f at edges", after[0] / before[0],
            after[1] / before[1]);
      QVERIFY(after[0] < 0.5 * before[0]);
      QVERIFY(after[1] < before[1]);
    }
  }

  /// A lens shows what it is focused on as sharp as a pinhole does; an edge elsewhere spreads over the circle of
  /// confusion, 2 R |1/d − 1/f| of the picture's height at distance 1 (thin lens).
  void lensesBlurWhatIsOutOfFocus() {
    constexpr int kSide = 120;
    Surface wall = makeBox({20, 40, 0.1F});
    Material white;
    white.baseColor = {0.9F, 0.9F, 0.9F, 1};
    wall.materials = {white};
    for (Vec3& p : wall.positions.edit()) p += Vec3(10, -20, -12);  // its edge in the middle, 12 m away
    const auto scene = sceneOf({std::make_shared<const Surface>(wall)});
    const auto widthOfEdge = [&](const Camera::Lens& lens) {
      Camera camera;
      camera.eye = Vec3(0);
      camera.target = {0, 0, -1};
      camera.fieldOfViewDeg = 40;
      camera.lens = lens;
      const Film film = *tracedFilm(*scene, camera, kSide, kSide, 400, {});
      std::vector<float> profile(kSide, 0.0F);
      for (int y = 40; y < 80; ++y)
        for (int x = 0; x < kSide; ++x) profile[static_cast<std::size_t>(x)] += film.sum[film.at(x, y)].g;
      const float low = std::min(profile.front(), profile.back());
      const float high = std::max(profile.front(), profile.back());
      int between = 0;
      for (const float v : profile) between += (v - low) / (high - low) > 0.1F && (v - low) / (high - low) < 0.9F;
      return between;
    };
    QVERIFY(widthOfEdge({}) <= 2);
    QVERIFY(widthOfEdge({0.3F, 12}) <= 3);
    for (const float focus : {4.0F, 6.0F, 30.0F}) {
      const float pixels = kSide / (2 * std::tan(radians(20.0F)));
      const float circle = 2 * 0.3F * std::abs(1 / 12.0F - 1 / focus) * pixels;
      const auto width = static_cast<float>(widthOfEdge({0.3F, focus}));
      QVERIFY2(width > 0.5F * circle && width < 0.95F * circle + 1.5F,  // the inner 80 % of a disc's edge are 69 %
               qPrintable(QStringLiteral("%1 of %2").arg(static_cast<double>(width)).arg(static_cast<double>(circle))));
    }
    // 50 mm at f/2 on film 24 mm high.
    Camera fifty;
    fifty.fieldOfViewDeg = 2 * degrees(std::atan(12.0F / 50));
    QVERIFY(within(static_cast<double>(fifty.radiusOfLens(2)), 0.0125, 1e-5));
  }

  /// A round thing of few faces gets light wherever its normals look toward the sun: no face lies in its own shadow.
  void roundThingsDoNotShadowThemselves() {
    Surface ball = makeBall(1, 8);
    computeSmoothNormals(ball);
    PictureInput input;
    input.grounds = {std::make_shared<const Surface>(ball)};
    input.light.sunHeadingDeg = 60;
    input.light.sunHeightDeg = 20;
    const Vec3 sun = input.light.sunDirection();
    const auto scene = *PictureScene::build(input, {});
    Camera camera;
    camera.eye = {1, 1, 4};
    camera.fieldOfViewDeg = 40;
    Film film(120, 120);
    FilmGuide guide(film);
    QVERIFY(renderPass(*scene, camera, 1, film, {}, {}, &guide));
    double darkest = 1e9;
    int seen = 0;
    for (std::size_t i = 0; i < film.sum.size(); ++i) {
      const float facing = glm::dot(guide.normal[i], sun);
      if (guide.met[i] == 0 || facing < 0.15F) continue;
      ++seen;
      darkest = std::min(darkest, static_cast<double>(guide.light[i].r / facing));
    }
    QVERIFY(seen > 1000);
    QVERIFY2(darkest > 2, qPrintable(QString::number(darkest)));  // the sun's own red is 2.4 and more
  }

  /// What lies just over the water is wet, and darker; a little higher it is as dry as without water.
  void theShoreIsWet() {
    const auto brightnessAt = [](float height, bool hasWater) {
      PictureInput input;
      Surface floor = *test::plane(20, 2);
      for (Vec3& p : floor.positions.edit()) p.y += height;
      input.grounds = {std::make_shared<const Surface>(floor)};
      if (hasWater) input.waterLevel = 0.0F;
      const auto scene = *PictureScene::build(input, {});
      Camera camera;
      camera.eye = {0, 12, 0.01F};
      camera.target = Vec3(0);
      return brightness(renderPicture(*scene, camera, 21, 21, 32, {})[220]);
    };
    QVERIFY(brightnessAt(0.03F, true) < 0.95 * brightnessAt(0.03F, false));
    QCOMPARE(brightnessAt(1, true), brightnessAt(1, false));
  }

  void cancelledPassesSaySo() {
    const auto scene = sceneOf({test::hills(40, 30, 3)});
    std::stop_source stop;
    stop.request_stop();
    Film film(64, 64);
    QVERIFY(!renderPass(*scene, {}, 1, film, {stop.get_token(), {}}));
    QCOMPARE(film.samples, 0);
  }

  void discsHideBehindTheGround() {
    const auto scene = sceneOf({std::make_shared<const Surface>(makeBox({4, 4, 4}))});
    Camera camera;
    camera.eye = {0, 2, 20};
    camera.target = {0, 2, 0};
    Film film(60, 60);
    QVERIFY(renderPass(*scene, camera, 1, film, {}));
    const auto drawnWith = [&](const Vec3& at) {
      Points p;
      p.count = 1;
      p.position = Column<Vec3>(at);
      p.id = Column<std::uint64_t>(1);
      Array<std::uint32_t> a(60 * 60);
      film.develop(a.data());
      Array<std::uint32_t> b = a;
      drawPoints(p, {}, camera, 3, film, b.data());
      return a != b;
    };
    QVERIFY(drawnWith({0, 2, 3}));
    QVERIFY(!drawnWith({0, 2, -8}));
  }

  void maskOnTheGroundRunsThroughTheScale() {
    PictureInput input;
    input.grounds = {test::plane(20, 2)};
    input.groundMask = test::rampMask(0);
    const auto scene = PictureScene::build(input, {});
    Camera camera;
    camera.eye = {0, 30, 0.01F};
    camera.target = {0, 0, 0};
    const auto pixels = renderPicture(**scene, camera, 60, 60, 2, {});
    QVERIFY(brightness(pixels[30 * 60 + 22]) >
            1.5 * brightness(pixels[30 * 60 + 38]));  // 1 in the west is light, 0 in the east dark
  }

  /// A card with a round leaf in it: rays and the sun go through what its alpha cuts away, whether it lies in the
  /// texture, the color or the vertices.
  void cutOutsLetRaysThrough() {
    auto texture = std::make_shared<Texture>();
    texture->width = texture->height = 64;
    texture->rgba.assign(64 * 64 * 4, 255);
    for (int y = 0; y < 64; ++y)
      for (int x = 0; x < 64; ++x)
        if (glm::distance(Vec2(x, y), Vec2(31.5F)) > 20)
          texture->rgba[static_cast<std::size_t>(y * 64 + x) * 4 + 3] = 0;
    Surface card = makePlane(2, 2, 6);
    Material leaf;
    leaf.texture = texture;
    leaf.cutBelow = 0.5F;
    card.materials = {leaf};
    const auto cut = sceneOf({std::make_shared<const Surface>(card)});
    card.materials.front().cutBelow = 0;
    const auto whole = sceneOf({std::make_shared<const Surface>(card)});
    for (int i = 0; i < 400; ++i) {
      const Vec3 at(static_cast<float>(i % 20) * 0.1F - 0.95F, 3, static_cast<float>(i / 20) * 0.1F - 0.95F);
      const float radius = glm::length(Vec2(at.x, at.z)) * 32;  // in texels
      if (std::abs(radius - 20.5F) < 1.5F) continue;            // the edge itself is a matter of filtering
      QCOMPARE(cut->first(at, -kUp).isHit(), radius < 20);
      QCOMPARE(cut->isBlocked(at, -kUp, 10), radius < 20);
      QVERIFY(whole->first(at, -kUp).isHit());
    }
    card.materials.front() = {};
    card.materials.front().cutBelow = 0.5F;
    card.colors.edit().assign(card.positions.size(), Vec4(1));
    for (std::size_t v = 0; v < card.positions.size(); ++v)
      card.colors.edit()[v].a = card.positions[v].x > 0 ? 0.0F : 1.0F;
    const auto byVertex = sceneOf({std::make_shared<const Surface>(card)});
    QVERIFY(byVertex->first({-0.7F, 1, 0.1F}, -kUp).isHit());
    QVERIFY(!byVertex->first({0.7F, 1, 0.1F}, -kUp).isHit());
  }

  /// Another light or mask takes over what was traced before; the picture is the same as one built from nothing.
  void anotherLightTracesNothingAnew() {
    PictureInput input;
    input.grounds = {test::plane(20, 2)};
    input.layers = {{crate({2, 0, 0}, Quat(1, 0, 0, 0), {2, 3, 2}), false}};
    const auto first = *PictureScene::build(input, {});
    input.groundMask = test::rampMask(0);
    input.light.sunHeightDeg = 20;
    input.waterLevel = -1.0F;
    const auto second = *PictureScene::build(input, {}, first);
    const auto fresh = *PictureScene::build(input, {});
    QCOMPARE(&second->instance(0), &first->instance(0));
    QVERIFY(&fresh->instance(0) != &first->instance(0));
    Camera camera;
    camera.eye = {8, 9, 8};
    QVERIFY(renderPicture(*second, camera, 60, 40, 2, {}) == renderPicture(*fresh, camera, 60, 40, 2, {}));
    QVERIFY(renderPicture(*second, camera, 60, 40, 2, {}) != renderPicture(*first, camera, 60, 40, 2, {}));
    input.layers.front().points = crate({-2, 0, 0}, Quat(1, 0, 0, 0), {2, 3, 2});
    const auto moved = *PictureScene::build(input, {}, second);
    QVERIFY(moved->first({-2, 9, 0}, -kUp).distance < 8);
    QVERIFY(second->first({-2, 9, 0}, -kUp).distance > 8);
  }

  /// Under water: what is looked at fades with the way, red before blue, to what deep water sends; the sky is seen
  /// within the cone of Snell's law (48.6° around straight up) and nowhere else.
  void underWaterLightIsLost() {
    PictureInput input;
    Material white;
    white.baseColor = {0.9F, 0.9F, 0.9F, 1};
    Surface wall = makeBox({1, 20, 20});
    wall.materials = {white};
    input.grounds = {std::make_shared<const Surface>(wall)};
    input.waterLevel = 8.0F;
    const auto wet = *PictureScene::build(input, {});
    const auto colorAt = [&](const Vec3& eye, const Vec3& way) {
      Camera camera;
      camera.eye = eye;
      camera.target = eye + way;
      const std::uint32_t p = renderPicture(*wet, camera, 9, 9, 16, {})[40];
      return Vec3(p >> 16 & 255, p >> 8 & 255, p & 255);
    };
    const Vec3 toWall(1, 0, 0);
    const Vec3 deep = colorAt({-5, 5, 0}, {-1, -0.2F, 0});
    Vec3 before(255);
    for (const float way : {0.2F, 1.0F, 3.0F, 8.0F, 60.0F}) {
      const Vec3 c = colorAt({-0.5F - way, 5, 0}, toWall);
      QVERIFY2(c.r < before.r && c.g <= before.g, qPrintable(QString::number(way)));
      QVERIFY(way < 0.5F || c.b > c.r + 10);
      before = c;
    }
    QVERIFY(glm::distance(before, deep) < 6);
    const auto up = [](float fromStraightDeg) {
      const float a = radians(fromStraightDeg);
      return Vec3(-std::sin(a), std::cos(a), 0.001F);
    };
    const Vec3 eye(-5, 7.8F, 0);
    const double sky = static_cast<double>(colorAt(eye, up(40)).b);
    QVERIFY(sky > static_cast<double>(deep.b) + 30);
    QVERIFY(glm::distance(colorAt(eye, up(56)), deep) < 6);
  }

  // Lightness in CIE L* (CIE 15:2004) rises in even steps.
  void scaleIsPerceptuallyEven() {
    const auto lightness = [](const Vec3& c) {
      const double y = 0.2126 * static_cast<double>(linearFromSrgb(c.r)) +
                       0.7152 * static_cast<double>(linearFromSrgb(c.g)) +
                       0.0722 * static_cast<double>(linearFromSrgb(c.b));
      return y > 0.008856 ? 116 * std::cbrt(y) - 16 : 903.3 * y;
    };
    double before = lightness(scaleColor(0));
    const double whole = lightness(scaleColor(1)) - before;
    for (int i = 1; i <= 8; ++i) {
      const double now = lightness(scaleColor(static_cast<float>(i) / 8));
      QVERIFY(within(now - before, whole / 8, 0, 0.35));
      before = now;
    }
  }

  void pngIsWrittenWhole() {
    QTemporaryDir dir;
    const std::string path = dir.filePath(QStringLiteral("p.png")).toStdString();
    Array<std::uint32_t> pixels;
    pixels.assign(12, 0xff336699U);
    QVERIFY(writePng(path, pixels, 4, 3));
    QFile file(QString::fromStdString(path));
    QVERIFY(file.open(QIODevice::ReadOnly));
    QVERIFY(file.read(8) == QByteArray("\x89PNG\r\n\x1a\n", 8));
    QVERIFY(!writePng("/no/such/folder/p.png", pixels, 4, 3));
  }
};

QTEST_GUILESS_MAIN(TestPicture)
#include "tst_picture.moc"
