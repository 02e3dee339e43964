// Overlap removal against the sequential greedy answer, rays and nearest places against brute force.
#include "core/base/random.h"
#include "core/geometry/faces.h"
#include "core/geometry/shapes.h"
#include "core/spatial/clearance.h"
#include "core/spatial/embree_scene.h"
#include "core/spatial/ground.h"
#include "tests/support/support.h"

#include <embree3/rtcore.h>
#include <tbb/task_group.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <mutex>

using namespace arvesk;
using test::within;

namespace {

Array<PointGrid::Entry> entriesOf(const Points& p) {
  Array<PointGrid::Entry> out(p.count);
  for (std::size_t i = 0; i < p.count; ++i) out[i] = {p.position[i], p.footprint[i], static_cast<std::uint32_t>(i)};
  return out;
}

/// Larger first, then by index.
Array<std::uint32_t> orderOf(const Array<PointGrid::Entry>& e) {
  Array<std::uint32_t> order(e.size());
  for (std::size_t i = 0; i < e.size(); ++i) order[i] = static_cast<std::uint32_t>(i);
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return e[a].radius != e[b].radius ? e[a].radius > e[b].radius : a < b;
  });
  return order;
}

/// The textbook answer, one point after the other, on a plain hash of cells: another program than the one under test.
Array<std::uint8_t> greedy(const Array<PointGrid::Entry>& e, const Array<std::uint32_t>& order,
                           const ConflictRule& rule, float cell) {
  std::map<std::array<int, 3>, std::vector<std::uint32_t>> kept;
  Array<std::uint8_t> keeps;
  keeps.assign(e.size(), 0);
  const auto cellOf = [&](const Vec3& p) {
    return std::array<int, 3>{static_cast<int>(std::floor(p.x / cell)),
                              rule.isFromAbove ? 0 : static_cast<int>(std::floor(p.y / cell)),
                              static_cast<int>(std::floor(p.z / cell))};
  };
  for (const std::uint32_t i : order) {
    const auto c = cellOf(e[i].position);
    bool isFree = true;
    for (int x = -1; x <= 1 && isFree; ++x)
      for (int y = -1; y <= 1 && isFree; ++y)
        for (int z = -1; z <= 1 && isFree; ++z)
          if (const auto it = kept.find({c[0] + x, c[1] + y, c[2] + z}); it != kept.end())
            for (const std::uint32_t k : it->second)
              if (rule.conflicts(e[i].position, e[i].radius, e[k].position, e[k].radius)) isFree = false;
    if (!isFree) continue;
    keeps[i] = 1;
    kept[c].push_back(i);
  }
  return keeps;
}

}  // namespace

class TestSpatial : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void clearanceEqualsTheSequentialGreedyAnswer_data() {
    QTest::addColumn<float>("extent");
    QTest::addColumn<float>("height");
    QTest::addColumn<float>("smallest");
    QTest::addColumn<float>("largest");
    QTest::addColumn<float>("gap");
    QTest::addColumn<bool>("fromAbove");
    QTest::addColumn<float>("spacing");
    QTest::newRow("sparse, radii 1:4") << 400.0F << 5.0F << 0.1F << 0.4F << 0.0F << false << 0.0F;
    QTest::newRow("dense, radii 1:4") << 60.0F << 2.0F << 0.1F << 0.4F << 0.0F << false << 0.0F;
    QTest::newRow("radii 1:300") << 200.0F << 5.0F << 0.02F << 6.0F << 0.0F << false << 0.0F;
    QTest::newRow("all alike, so ties decide") << 80.0F << 1.0F << 0.25F << 0.25F << 0.0F << false << 0.0F;
    QTest::newRow("from above, stacked") << 60.0F << 200.0F << 0.1F << 0.3F << 0.0F << true << 0.0F;
    QTest::newRow("gap below zero") << 80.0F << 2.0F << 0.2F << 0.4F << -0.2F << false << 0.0F;
    QTest::newRow("fixed spacing") << 80.0F << 2.0F << 0.0F << 0.5F << 0.0F << false << 0.7F;
    QTest::newRow("in a volume") << 25.0F << 25.0F << 0.1F << 0.4F << 0.0F << false << 0.0F;
  }
  void clearanceEqualsTheSequentialGreedyAnswer() {
    QFETCH(float, extent);
    QFETCH(float, height);
    QFETCH(float, smallest);
    QFETCH(float, largest);
    QFETCH(float, gap);
    QFETCH(bool, fromAbove);
    QFETCH(float, spacing);
    const Points points = test::randomPoints(100'000, {extent, height, extent}, smallest, largest, 11);
    const auto entries = entriesOf(points);
    const auto order = orderOf(entries);
    ConflictRule rule{1, gap, {}, fromAbove};
    if (spacing > 0) rule.fixedSpacing = spacing;
    const auto expected = greedy(entries, order, rule, std::max(rule.distance(largest, largest), 0.01F));
    Array<std::uint8_t> one;
    Array<std::uint8_t> two;
    withThreads(1, [&] { one = keepByPriority({}, entries, order, KeptPoints(rule), rule); });
    withThreads(2, [&] { two = keepByPriority({}, entries, order, KeptPoints(rule), rule); });
    QVERIFY(one == expected);
    QVERIFY(two == expected);
    QVERIFY(std::count(one.begin(), one.end(), 1) < 100'000);
  }

  void againstPointsAlwaysKeepTheirRoom() {
    const Points points = test::randomPoints(20'000, {50, 0, 50}, 0.1F, 0.2F, 5);
    const Points fixed = test::randomPoints(300, {50, 0, 50}, 0.5F, 1.5F, 6);
    const ConflictRule rule;
    KeptPoints against(rule);
    against.add(entriesOf(fixed));
    const auto entries = entriesOf(points);
    const auto keeps = keepByPriority({}, entries, orderOf(entries), against, rule);
    for (std::size_t i = 0; i < points.count; ++i)
      for (std::size_t k = 0; keeps[i] && k < fixed.count; ++k)
        QVERIFY(!rule.conflicts(points.position[i], points.footprint[i], fixed.position[k], fixed.footprint[k]));
  }

  void touchingIsAllowed() {
    Array<PointGrid::Entry> two{{{0, 0, 0}, 0.5F, 0}, {{1, 0, 0}, 0.5F, 1}};
    const auto keeps = keepByPriority({}, two, {0, 1}, KeptPoints({}), {});
    QVERIFY(keeps[0] && keeps[1]);
  }

  void mortonOrderIsAPermutation() {
    const Points p = test::randomPoints(50'000, {100, 3, 100}, 0, 1, 9);
    Array<std::uint32_t> order = mortonOrder(p.position, p.count);
    double jump = 0;
    for (std::size_t i = 1; i < order.size(); ++i)
      jump += static_cast<double>(glm::distance(p.position[order[i]], p.position[order[i - 1]]));
    QVERIFY2(jump / 50'000 < 3,
             "neighbors in order are neighbors in space: random order would jump some 52 m on average");
    std::sort(order.begin(), order.end());
    for (std::uint32_t i = 0; i < order.size(); ++i) QCOMPARE(order[i], i);
  }

  void raysDoNotSlipThroughEdges() {
    const SurfacePtr ground = test::hills(60, 30, 2);
    const auto index = SurfaceIndex::of(*ground);
    QVERIFY(index);
    for (const UVec3& t : ground->triangles) {
      const Vec3 middle = 0.5F * (ground->positions[t.x] + ground->positions[t.y]);
      // The rim has ground on one side only, where rounding may put the aim beside it.
      if (std::max(std::abs(middle.x), std::abs(middle.z)) > 14.9F) continue;
      QVERIFY((*index)->first(middle + Vec3(0, 10, 0), -kUp, 100).isHit());
    }
  }

  void nearestPlaceEqualsBruteForce() {
    const SurfacePtr ground = test::hills(12, 10, 4);
    const auto index = SurfaceIndex::of(*ground);
    const Points p = test::randomPoints(200, {12, 4, 12}, 0, 1, 8);
    for (std::size_t i = 0; i < p.count; ++i) {
      const Vec3 at = p.position[i] - Vec3(6, 2, 6);
      double best = 1e9;
      for (std::size_t f = 0; f < ground->faceCount();
           ++f)  // dense barycentric samples bound the true distance from above
        for (int a = 0; a <= 12; ++a)
          for (int b = 0; a + b <= 12; ++b)
            best = std::min(best,
                            static_cast<double>(glm::distance(
                                at, ground->positionAt(f, {static_cast<float>(a) / 12, static_cast<float>(b) / 12}))));
      const SurfaceHit hit = (*index)->nearest(at, 100);
      QVERIFY(hit.isHit());
      QVERIFY(static_cast<double>(hit.distance) <= best + 1e-5);
      QVERIFY(static_cast<double>(hit.distance) > best - 0.1);
      QVERIFY(within(static_cast<double>(glm::distance(at, ground->positionAt(hit.face, hit.weights))),
                     static_cast<double>(hit.distance), 1e-4));
    }
  }

  /// The nearest face is the one that asking all of them one by one finds, whatever face is guessed before: on hills,
  /// in a ball (where many are about as near) and among needles far from the origin.
  void theNearestFaceIsThatOfAskingAll() {
    Surface needles;
    const Points tips = test::randomPoints(600, {2, 2, 2}, 0, 1, 3);
    const Draw width(1, 2, 3, "width");
    for (std::uint32_t i = 0; i + 1 < tips.count; i += 2) {
      const Vec3 from = tips.position[i] + Vec3(300, -40, 900);
      const Vec3 to = tips.position[i + 1] + Vec3(300, -40, 900);
      const float wide = std::pow(10.0F, -6 * width.unit(i));
      for (const Vec3& corner : {from, to, 0.5F * (from + to) + Vec3(0, wide, 0)})
        needles.positions.edit().push_back(corner);
      needles.triangles.edit().push_back(3 * (i / 2) + UVec3(0, 1, 2));
    }
    for (const Surface& surface : {*test::hills(12, 20, 2), makeBall(3, 40), needles}) {
      const auto index = SurfaceIndex::of(surface);
      const Box3 box = surface.bounds();
      const Points p = test::randomPoints(400, box.extent() * 1.2F, 0, 1, 8);
      for (std::size_t i = 0; i < p.count; ++i) {
        const Vec3 at = box.min - 0.1F * box.extent() + p.position[i];
        SurfaceHit least;
        for (std::uint32_t f = 0; f < surface.faceCount(); ++f) {
          const UVec3 t = surface.triangles[f];
          const Vec2 w = closestWeights(at, surface.positions[t.x], surface.positions[t.y], surface.positions[t.z]);
          const float distance = glm::distance(at, surface.positionAt(f, w));
          if (distance < least.distance) least = {distance, f, w};
        }
        for (const std::uint32_t guess : {kNoFace, least.face, static_cast<std::uint32_t>(i % surface.faceCount())}) {
          const SurfaceHit hit = (*index)->nearest(at, 1000, guess);
          QVERIFY(test::within(static_cast<double>(hit.distance), static_cast<double>(least.distance), 2e-4, 1e-6));
          const SurfaceHit plain = (*index)->nearest(at, 1000);
          QVERIFY(hit.face == plain.face && hit.distance == plain.distance && hit.weights == plain.weights);
        }
      }
    }
  }

  /// A large height image takes another way through Embree than loose triangles do: both must find the same faces.
  void aGridAnswersLikeItsTriangles() {
    Surface grid = *test::hills(451, 90, 4);  // an odd number of cells: the last blocks are narrower
    QCOMPARE(gridShapeOf(grid).columns, 452U);
    QVERIFY(grid.faceCount() > 400'000);
    Surface loose = grid;
    Array<UVec3>& triangles = loose.triangles.edit();
    std::reverse(triangles.begin(), triangles.end());
    QCOMPARE(gridShapeOf(loose).columns, 0U);
    const auto one = SurfaceIndex::of(grid);
    const auto other = SurfaceIndex::of(loose);
    QVERIFY(one && other);
    const Points p = test::randomPoints(20'000, {92, 3, 92}, 0, 1, 18);
    const Points to = test::randomPoints(20'000, {2, 1, 2}, 0, 1, 19);
    std::size_t hits = 0;
    std::size_t otherFaces = 0;
    const auto last = static_cast<std::uint32_t>(grid.faceCount() - 1);
    for (std::size_t i = 0; i < p.count; ++i) {
      const Vec3 from = p.position[i] - Vec3(46, -4, 46);
      const Vec3 direction = i % 2 ? -kUp : glm::normalize(to.position[i] - Vec3(1, 1, 1));
      const SurfaceHit a = (*one)->first(from, direction, 200);
      const SurfaceHit b = (*other)->first(from, direction, 200);
      QCOMPARE(a.isHit(), b.isHit());
      if (a.isHit()) {
        ++hits;
        otherFaces += a.face != last - b.face;
        QVERIFY(within(static_cast<double>(a.distance), static_cast<double>(b.distance), 1e-3));
        QVERIFY(glm::distance(grid.positionAt(a.face, a.weights), from + direction * a.distance) < 2e-3F);
      }
      const SurfaceHit nearA = (*one)->nearest(from, 20);
      const SurfaceHit nearB = (*other)->nearest(from, 20);
      QVERIFY(nearA.isHit() && nearB.isHit());
      QCOMPARE(nearA.distance, nearB.distance);
    }
    QVERIFY(hits > 10'000);
    QVERIFY2(otherFaces < hits / 500, "only rays on an edge may differ in the face they name");
  }

  // Trees of surfaces live on when the tasks that made them are gone, and a tree that is cancelled while it grows must
  // not ask after those.
  void treesOutliveTheTasksThatMadeThem() {
    std::vector<SurfacePtr> kept;
    const SurfacePtr large = test::hills(160, 20, 1);
    for (int round = 0; round < 20; ++round) {
      auto group = std::make_unique<tbb::task_group>();
      std::mutex mutex;
      for (int i = 0; i < 20; ++i)
        group->run([&, i] {
          const SurfacePtr s = test::hills(12, 10, static_cast<std::uint64_t>(round * 20 + i));
          (void)SurfaceIndex::of(*s);
          const std::lock_guard lock(mutex);
          kept.push_back(s);
        });
      group->wait();
      group.reset();
      std::vector<std::unique_ptr<std::array<char, sizeof(tbb::task_group)>>> others(100);  // in its place
      for (auto& other : others) {
        other = std::make_unique<std::array<char, sizeof(tbb::task_group)>>();
        other->fill(1);
      }
      RTCScene scene = rtcNewScene(embreeDevice());
      RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
      const auto fill = [&](RTCBufferType type, RTCFormat format, const auto& values) {
        std::memcpy(rtcSetNewGeometryBuffer(geometry, type, 0, format, 12, values.size()), values.data(),
                    values.size() * 12);
      };
      fill(RTC_BUFFER_TYPE_VERTEX, RTC_FORMAT_FLOAT3, large->positions);
      fill(RTC_BUFFER_TYPE_INDEX, RTC_FORMAT_UINT3, large->triangles);
      rtcCommitGeometry(geometry);
      rtcAttachGeometry(scene, geometry);
      rtcReleaseGeometry(geometry);
      std::stop_source stop;
      stop.request_stop();
      commitScene(scene, {stop.get_token(), {}});
      rtcReleaseScene(scene);
    }
    for (const SurfacePtr& s : kept) QVERIFY((*SurfaceIndex::of(*s))->first({0, 100, 0}, -kUp, 200).isHit());
  }

  void raysThatAreNotNumbersHitNothing() {
    const SurfacePtr ground = test::plane(4, 2);
    const auto index = SurfaceIndex::of(*ground);
    const float nan = std::numeric_limits<float>::quiet_NaN();
    QVERIFY(!(*index)->first({nan, 1, 0}, -kUp, 10).isHit());
    QVERIFY(!(*index)->first({0, 1, 0}, {0, nan, 0}, 10).isHit());
    QVERIFY(!(*index)->nearest({0, nan, 0}, 10).isHit());
  }
};

QTEST_GUILESS_MAIN(TestSpatial)
#include "tst_spatial.moc"
