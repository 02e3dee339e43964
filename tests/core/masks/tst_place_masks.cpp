// Masks that look around: against brute force and known fractions. Masks of points, formulas, curves and strokes:
// against sums by hand.
#include "core/geometry/welding.h"
#include "core/masks/place_masks.h"
#include "core/masks/point_masks.h"
#include "core/nodes/mask/references.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;
using test::within;

namespace {

Array<float> measured(const Mask& mask, const Points& p) {
  Array<float> out(p.count);
  QTest::qVerify(mask.measure(p, 0, p.count, out.data()), "measure", "", __FILE__, __LINE__);
  return out;
}

double d(float v) { return static_cast<double>(v); }

PointsPtr shared(Points p) { return std::make_shared<const Points>(std::move(p)); }

Points onePoint(const Vec3& at, const Vec3& normal = kUp) {
  Points p;
  p.count = 1;
  p.position = Array<Vec3>{at};
  p.groundNormal = Array<Vec3>{normal};
  p.id = Array<std::uint64_t>{77};
  return p;
}

const Band kAll{-1e9F, -1e9F, 1e9F, 1e9F};

/// A floor with a wall of `height` along z = 0, both `length` long.
SurfacePtr floorAndWall(float length, float height) {
  Surface s;
  const float h = length / 2;
  s.positions = {{-h, 0, 0}, {h, 0, 0}, {h, 0, h}, {-h, 0, h}, {-h, height, 0}, {h, height, 0}};
  s.triangles = {{0, 2, 1}, {0, 3, 2}, {0, 1, 5}, {0, 5, 4}};
  return std::make_shared<const Surface>(std::move(s));
}

}  // namespace

class TestPlaceMasks : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void facingIsTheAngleToADirection_data() {
    QTest::addColumn<float>("slope");
    for (const float s : {0.0F, 10.0F, 45.0F, 80.0F}) QTest::addRow("%g degrees", d(s)) << s;
  }
  void facingIsTheAngleToADirection() {
    QFETCH(float, slope);
    // A plane that leans by s has a normal s away from up, and 90 − s or 90 + s away from the level direction it leans
    // to.
    const SurfacePtr ground = test::leaning(20, slope);
    const Vec3 normal = ground->faceNormal(0);
    const Vec3 level = slope > 0 ? glm::normalize(Vec3(normal.x, 0, normal.z)) : Vec3(1, 0, 0);
    const Points p = onePoint({0.5F, 0, 0.5F}, normal);
    QVERIFY(within(d(measured(*makeFacingMask(nullptr, kUp, false, kAll, {}), p)[0]), d(slope), 0.01));
    QVERIFY(within(d(measured(*makeFacingMask(ground, level, false, kAll, {}), p)[0]), 90 - d(slope), 0.01));
    QVERIFY(within(d(measured(*makeFacingMask(nullptr, -level, false, kAll, {}), p)[0]), 90 + d(slope), 0.01));
    QVERIFY(within(d(measured(*makeFacingMask(nullptr, -level, true, kAll, {}), p)[0]), 90 - d(slope), 0.01));
  }

  void distanceEqualsBruteForce_data() {
    QTest::addColumn<bool>("fromAbove");
    QTest::addColumn<bool>("toFootprints");
    for (const bool above : {false, true})
      for (const bool rims : {false, true})
        QTest::addRow("%s, to %s", above ? "from above" : "in space", rims ? "footprints" : "centers") << above << rims;
  }
  void distanceEqualsBruteForce() {
    QFETCH(bool, fromAbove);
    QFETCH(bool, toFootprints);
    const PointsPtr targets = shared(test::randomPoints(10'000, {60, 10, 60}, 0.05F, 0.8F, 4));
    const Points asked = test::randomPoints(400, {80, 14, 80}, 0.1F, 0.2F, 9);
    const auto mask = makeDistanceMask({targets}, nullptr, {fromAbove, toFootprints, false}, 25, {0, 0, 24, 30}, {});
    const Array<float> out = measured(*mask, asked);
    for (std::size_t i = 0; i < asked.count; ++i) {
      float best = 25;
      for (std::size_t k = 0; k < targets->count; ++k) {
        Vec3 offset = targets->position[k] - asked.position[i];
        if (fromAbove) offset.y = 0;
        best = std::min(best,
                        std::max(0.0F, glm::length(offset) - (toFootprints ? targets->effectiveFootprint(k) : 0)));
      }
      QVERIFY2(within(d(out[i]), d(best), 1e-4),
               qPrintable(QStringLiteral("%1 is not %2").arg(d(out[i])).arg(d(best))));
    }
  }

  void distanceToSurfaceEdgesAndNothing() {
    const SurfacePtr square = test::plane(10, 4);
    const Points p = onePoint({8, 3, 0});
    QVERIFY(within(d(measured(*makeDistanceMask({}, square, {}, 100, kAll, {}), p)[0]), std::hypot(3, 3), 1e-4));
    QVERIFY(within(d(measured(*makeDistanceMask({}, square, {true, false, false}, 100, kAll, {}), p)[0]), 3, 1e-4));
    QVERIFY(
        within(d(measured(*makeDistanceMask({}, square, {false, false, true}, 100, kAll, {}), onePoint({1, 0, 0}))[0]),
               4, 1e-4));
    QCOMPARE(measured(*makeDistanceMask({}, nullptr, {}, 100, kAll, {}), p)[0], 100.0F);
    QCOMPARE(openEdges(*square).size(), std::size_t{16});
    QVERIFY(openEdges(makeBall(1, 12)).empty());
  }

  void regionIsOneDeepInsideAndNothingOutside() {
    const auto at = [](const Region& region, const Vec3& place) {
      return maskValues({}, *makeRegionMask(region, {}), onePoint(place))[0];
    };
    const Region ball{RegionShape::Ball, {5, 0, 0}, {8, 8, 8}, Quat(1, 0, 0, 0), 1};
    QCOMPARE(at(ball, {5, 0, 0}), 1.0F);
    QCOMPARE(at(ball, {5, 2.9F, 0}), 1.0F);
    QVERIFY(within(d(at(ball, {5, 3.5F, 0})), 0.5, 1e-5));
    QCOMPARE(at(ball, {5, 4.01F, 0}), 0.0F);
    const Region box{RegionShape::Box, {0, 0, 0}, {10, 2, 2}, glm::angleAxis(kPi / 2, kUp), 0};
    QCOMPARE(at(box, {0, 0, 4.9F}), 1.0F);  // turned: its long side lies along z
    QCOMPARE(at(box, {4.9F, 0, 0}), 0.0F);
    const Region half{RegionShape::HalfSpace, {0, 3, 0}, {1, 1, 1}, Quat(1, 0, 0, 0), 0};
    QCOMPARE(at(half, {400, 2.9F, -70}), 1.0F);
    QCOMPARE(at(half, {400, 3.1F, -70}), 0.0F);
  }

  void crowdingCountsNeighborsOnce() {
    const PointsPtr p = shared(test::randomPoints(3000, {20, 2, 20}, 0.1F, 0.2F, 14));
    const Array<float> out = measured(*makeCrowdingMask({p}, 1.3F, false, false, kAll, {}), *p);
    const Array<float> soft = measured(*makeCrowdingMask({p}, 1.3F, false, true, kAll, {}), *p);
    for (std::size_t i = 0; i < p->count; i += 7) {
      int expected = 0;
      double softly = 0;
      for (std::size_t k = 0; k < p->count; ++k) {
        const double distance = static_cast<double>(glm::distance(p->position[i], p->position[k])) / 1.3;
        if (k == i || distance > 1) continue;
        ++expected;
        softly += std::pow(1 - distance * distance, 2);
      }
      QCOMPARE(static_cast<int>(out[i]), expected);
      QVERIFY(test::within(static_cast<double>(soft[i]), softly, 1e-4));
    }
  }

  void opennessOnAPlaneAndAtAWall() {
    const SurfacePtr plain = test::plane(200, 2);
    QCOMPARE(measured(*makeOpennessMask(plain, {}, 128, 100, false, kAll, {}), onePoint({1, 0, 2}))[0], 1.0F);
    // At the foot of an endless wall of height h, at distance a, the sky's cosine-weighted share is (1 + sin(e)) / 2
    // cut by the wall's elevation angle e = atan(h / a): the view factor of a two-dimensional slot, 1 − (1 − cos e) / 2
    // (Howell, "A catalog of radiation heat transfer configuration factors", B-71: strip beside a perpendicular strip).
    for (const float distance : {0.5F, 2.0F, 6.0F}) {
      const float height = 3;
      const float elevation = std::atan2(height, distance);
      // The wall hides directions within e above its foot: factor (1 − cos e) / 2 of a level element.
      const double expected = 1 - (1 - std::cos(d(elevation))) / 2;
      const double seen = d(measured(*makeOpennessMask(floorAndWall(4000, height), {}, 1024, 1e5F, false, kAll, {}),
                                     onePoint({0, 0, distance}))[0]);
      QVERIFY2(within(seen, expected, 0.01),
               qPrintable(QStringLiteral("%1 m: %2 is not %3").arg(d(distance)).arg(seen).arg(expected)));
    }
    // A reach that ends before the wall sees all of the sky; a placement overhead hides some.
    QCOMPARE(
        measured(*makeOpennessMask(floorAndWall(400, 3), {}, 64, 0.4F, false, kAll, {}), onePoint({0, 0, 0.5F}))[0],
        1.0F);
    Points over = onePoint({1, 1, 2});
    over.footprint = Column<float>(0.8F);
    QVERIFY(measured(*makeOpennessMask(plain, {shared(over)}, 128, 100, false, kAll, {}), onePoint({1, 0, 2}))[0] <
            0.9F);
  }

  void hollowsAreAboveZeroAndRidgesBelow() {
    const auto bowl = [](float sign) {
      Surface s = makePlane(20, 20, 80);
      for (Vec3& p : s.positions.edit()) p.y = sign * 0.05F * (p.x * p.x + p.z * p.z);
      computeSmoothNormals(s);
      return std::make_shared<const Surface>(std::move(s));
    };
    // In the middle of y = c r² the mean over a disk of radius R is c R² / 2: over R it is c R / 2.
    QVERIFY(within(d(measured(*makeHollowsMask(bowl(1), 2, 64, kAll, {}), onePoint({0, 0, 0}))[0]), 0.05, 0.003));
    QVERIFY(within(d(measured(*makeHollowsMask(bowl(-1), 2, 64, kAll, {}), onePoint({0, 0, 0}))[0]), -0.05, 0.003));
    const SurfacePtr slope = test::leaning(40, 30);
    QVERIFY(within(d(measured(*makeHollowsMask(slope, 2, 32, kAll, {}),
                              onePoint(slope->positionAt(0, {0.4F, 0.3F}), slope->faceNormal(0)))[0]),
                   0, 1e-3));
  }

  void expressionEqualsTheSameSumByHand() {
    Points p = *test::Bench().points("sow-on-surface", test::inputs({{"surface", test::hills(40, 30, 2)}}),
                                     {{"density", 5.0}});
    Array<float> age(p.count);
    for (std::size_t i = 0; i < p.count; ++i) age[i] = static_cast<float>(i % 17) / 17;
    p.attributes.emplace("leaf-age", Column<float>(Array<float>(age)));
    const MaskPtr a = makeHeightMask(nullptr, {-5, 0, 2, 4}, {});
    const auto formula = Formula::compile("min(1, a * (slope < 12) + 0.25 * leaf_age)");
    QVERIFY(formula.has_value());
    const Array<float> out = maskValues({}, *makeFormulaMask(*formula, {a, nullptr, nullptr}, {}), p);
    const Array<float> height = maskValues({}, *a, p);
    for (std::size_t i = 0; i < p.count; ++i) {
      const double slope = d(degrees(angleBetween(p.groundNormal[i], kUp)));
      if (std::abs(slope - 12) < 1e-3) continue;
      QVERIFY(within(d(out[i]), std::min(1.0, d(height[i]) * (slope < 12 ? 1 : 0) + 0.25 * d(age[i])), 1e-5));
    }
  }

  void expressionsThatAreWrongSayWhere_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("words");
    QTest::newRow("open bracket") << QStringLiteral("(a + 1") << QStringLiteral("bracket");
    QTest::newRow("two operators") << QStringLiteral("a + * 2") << QStringLiteral("place 5");
    QTest::newRow("ends early") << QStringLiteral("a +") << QStringLiteral("missing at the end");
    QTest::newRow("empty") << QStringLiteral("  ") << QStringLiteral("empty");
    QTest::newRow("two values") << QStringLiteral("a, b") << QStringLiteral("several values");
  }
  void expressionsThatAreWrongSayWhere() {
    QFETCH(QString, text);
    QFETCH(QString, words);
    const auto formula = Formula::compile(text.toStdString());
    QVERIFY(!formula);
    QVERIFY2(QString::fromStdString(formula.error().message).contains(words), formula.error().message.c_str());
    test::Bench bench;
    Node node;
    const ParamSpec& spec = *findNodeKind("expression")->findParam("text");
    QVERIFY(!faultOf(spec, text.toStdString()).empty());
  }

  void attributeByNumberAndByText() {
    Points p = test::randomPoints(40, {5, 5, 5}, 0.1F, 0.2F, 3);
    Array<float> age(p.count);
    Array<std::uint32_t> kind(p.count);
    for (std::size_t i = 0; i < p.count; ++i)
      age[i] = static_cast<float>(i), kind[i] = static_cast<std::uint32_t>(i % 3);
    p.attributes.emplace("age", Column<float>(std::move(age)));
    p.attributes.emplace("kind", TextColumn{std::make_shared<const std::vector<std::string>>(
                                                std::vector<std::string>{"kelp", "kelp-old", "moss"}),
                                            Column<std::uint32_t>(std::move(kind))});
    const Array<float> number = maskValues({}, *makeNumberMask("age", 0, {10, 10, 20, 20}, {}), p);
    const Array<float> text = maskValues({}, *makeTextMask("kind", "kelp*", {}), p);
    for (std::size_t i = 0; i < p.count; ++i) {
      QCOMPARE(number[i], i >= 10 && i <= 20 ? 1.0F : 0.0F);
      QCOMPARE(text[i], i % 3 < 2 ? 1.0F : 0.0F);
    }
    QCOMPARE(maskValues({}, *makeNumberMask("gone", 15, {10, 10, 20, 20}, {}), p)[0], 1.0F);  // the default
    QCOMPARE(maskValues({}, *makeTextMask("gone", "*", {}), p)[0], 0.0F);
  }

  void curvesPassThroughTheirPointsAndNeverOvershoot() {
    for (std::uint64_t seed = 0; seed < 40; ++seed) {
      CurveShape curve;
      curve.points.clear();
      const Draw y(seed, 0, 0, "y");
      for (std::uint64_t k = 0; k <= 5; ++k) curve.points.push_back({static_cast<float>(k) / 5, y.unit(k)});
      for (const Vec2& p : curve.points) QVERIFY(within(d(curve.at(p.x)), d(p.y), 1e-5));
      for (std::size_t k = 1; k < curve.points.size(); ++k)
        for (int t = 0; t <= 20; ++t) {
          const float v = curve.at(glm::mix(curve.points[k - 1].x, curve.points[k].x, static_cast<float>(t) / 20));
          QVERIFY(v >= std::min(curve.points[k - 1].y, curve.points[k].y) - 1e-5F &&
                  v <= std::max(curve.points[k - 1].y, curve.points[k].y) + 1e-5F);
        }
    }
  }

  void paintedFollowsItsDabsWhateverTheMesh() {
    Strokes strokes;
    strokes.dabs = {{{0, 0, 0}, 4, 1, 0.5F}, {{3, 0, 0}, 2, -1, 0}, {{-30, 0, 0}, 1, 0.5F, 1}};
    const MaskPtr mask = makePaintedMask(strokes, {});
    const auto at = [&](const Vec3& place) { return maskValues({}, *mask, onePoint(place))[0]; };
    QCOMPARE(at({0, 0, 0}), 1.0F);
    QCOMPARE(at({0, 0, 1.9F}), 1.0F);              // hard up to half the radius
    QVERIFY(within(d(at({0, 0, 3})), 0.5, 1e-5));  // half way through the soft half
    QCOMPARE(at({2, 0, 0}), 0.0F);                 // the second dab took it away
    QVERIFY(within(d(at({-30, 0, 0})), 0.5, 1e-5));
    QCOMPARE(at({0, 4.1F, 0}), 0.0F);
    // Places on a coarse and on a fine mesh of the same plane get the same values.
    const auto values = [&](int divisions) {
      test::Bench bench;
      const Points spots = test::randomPoints(300, {10, 0, 10}, 0.1F, 0.1F, 8);
      Array<Vec3> position = spots.position.copied(spots.count);
      for (Vec3& v : position) v += Vec3(-5, 0.4F, -5);
      Points moved = spots;
      moved.position = std::move(position);
      return maskValues(
          {}, *mask,
          *bench.points("set-down", test::inputs({{"points", shared(moved)}, {"ground", test::plane(12, divisions)}})));
    };
    const Array<float> coarse = values(1);
    const Array<float> fine = values(60);
    for (std::size_t i = 0; i < coarse.size(); ++i) QVERIFY(within(d(coarse[i]), d(fine[i]), 1e-4));
  }

  /// A dab that has a side leaves what looks the other way alone, however thin the wall; one without takes both.
  void aDabWithASidePaintsThatSide() {
    Points wall = onePoint({0, 0, 0});
    const auto at = [&](const Strokes& strokes, const Vec3& normal) {
      wall.groundNormal = Column<Vec3>(normal);
      return maskValues({}, *makePaintedMask(strokes, {}), wall)[0];
    };
    Strokes one;
    one.dabs = {{{0, 0, 0.01F}, 2, 1, 0, {0, 0, 3}}};
    QCOMPARE(at(one, {0, 0, 1}), 1.0F);
    QCOMPARE(at(one, glm::normalize(Vec3(1, 0, 0.2F))), 1.0F);
    QCOMPARE(at(one, {0, 0, -1}), 0.0F);
    QCOMPARE(at(one, {1, 0, 0}), 0.0F);  // from its edge
    QVERIFY(!makePaintedMask(one, {})->isOfPlaceAlone());
    Strokes all = one;
    all.dabs[0].side = Vec3(0);
    for (const Vec3& normal : {Vec3(0, 0, 1), Vec3(0, 0, -1), Vec3(1, 0, 0)}) QCOMPARE(at(all, normal), 1.0F);
    QVERIFY(makePaintedMask(all, {})->isOfPlaceAlone());
    // Written and read, and what was written before dabs had a side.
    const Strokes back = strokesFrom(numbersOf(one));
    QVERIFY(back == one);
    SavedNode saved{1, {{"strokes", std::vector<double>{1, 2, 3, 4, 0.5, 0.25, 7, 8, 9, 1, -1, 0}}}, {}};
    findNodeKind("painted")->upgrade(saved);
    const Strokes old = strokesFrom(std::get<std::vector<double>>(saved.params.at("strokes")));
    QVERIFY(old.dabs.size() == 2 && old.dabs[0] == (Dab{{1, 2, 3}, 4, 0.5F, 0.25F, {}}) &&
            old.dabs[1] == (Dab{{7, 8, 9}, 1, -1, 0, {}}));
  }

  void randomIsSharedByParents() {
    Points p = test::randomPoints(3000, {5, 5, 5}, 0.1F, 0.2F, 3);
    Array<std::uint64_t> parent(p.count);
    for (std::size_t i = 0; i < p.count; ++i) parent[i] = 1 + i % 50;
    p.attributes.emplace("parent", Column<std::uint64_t>(std::move(parent)));
    const Draw draw(1, 2, 3, "random");
    const Array<float> own = measured(*makeRandomMask(draw, DrawPer::Point, kAll, {}), p);
    const Array<float> byParent = measured(*makeRandomMask(draw, DrawPer::Parent, kAll, {}), p);
    double mean = 0;
    for (std::size_t i = 0; i < p.count; ++i) {
      QCOMPARE(byParent[i], byParent[i % 50]);
      mean += d(own[i]) / static_cast<double>(p.count);
    }
    QVERIFY(within(mean, 0.5, 5 * 0.2887 / std::sqrt(3000.0)));  // five standard errors of a uniform number
    QVERIFY(std::set<float>(byParent.begin(), byParent.end()).size() == 50);
  }
};

QTEST_GUILESS_MAIN(TestPlaceMasks)
#include "tst_place_masks.moc"
