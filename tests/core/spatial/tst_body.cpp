// What is inside of bodies: against winding numbers summed face by face, known shapes, and places that lie exactly
// beside edges and corners; whatever overlaps, is turned round, hollow, open, tiny or huge.
#include "core/base/random.h"
#include "core/geometry/shapes.h"
#include "core/spatial/body.h"
#include "tests/support/bodies.h"

#include <numbers>

using namespace arvesk;
using namespace arvesk::test;

namespace {

std::shared_ptr<const Body> bodyOf(const std::vector<SurfacePtr>& surfaces) {
  auto body = Body::of(surfaces, {});
  if (!body) qFatal("%s", body.error().message.c_str());
  return *body;
}

/// Random places in and around a box.
std::vector<Vec3> placesAround(const Box3& box, std::size_t count, std::uint64_t seed) {
  const Draw draw(seed, 1, 2, "places");
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < count; ++i)
    out.push_back(box.center() +
                  1.2F * box.extent() * (Vec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2)) - 0.5F));
  return out;
}

}  // namespace

Q_DECLARE_METATYPE(arvesk::SurfacePtr)

class TestBody : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Every closed shape agrees with the sum over its faces, in any orientation, alone and with others.
  void insideIsWhereItWinds_data() {
    QTest::addColumn<SurfacePtr>("s");
    QTest::newRow("box") << published(makeBox({2, 1, 3}));
    QTest::newRow("ball") << published(makeBall(1, 24));
    QTest::newRow("torus") << published(makeTorus(1, 0.35F, 24));
    QTest::newRow("cylinder") << published(makeCylinder(0.4F, 3, 20));
    QTest::newRow("pebble") << pebble(40);
  }
  void insideIsWhereItWinds() {
    QFETCH(SurfacePtr, s);
    const auto body = bodyOf({s});
    const auto turned = bodyOf({turnedRound(s)});
    QVERIFY(body->isClosed() && turned->isClosed());
    std::size_t inside = 0;
    for (const Vec3& place : placesAround(s->bounds(), 1500, 5)) {
      const double winding = windingBySum(*s, place);
      if (std::abs(winding - 0.5) < 0.49) continue;  // on the skin, by rounding
      QCOMPARE(body->isInside(place), winding > 0.5);
      QCOMPARE(turned->isInside(place), winding > 0.5);
      inside += winding > 0.5;
    }
    QVERIFY(inside > 150);
  }

  /// Overlaps, hollows, islands in hollows, shells turned round: as the eye sees them.
  void shellsCountAsTheEyeSeesThem() {
    const auto ball = [](float radius) { return published(makeBall(radius, 20)); };
    const SurfacePtr big = ball(1);
    const SurfacePtr middle = ball(0.7F);
    const SurfacePtr small = ball(0.4F);
    const SurfacePtr aside = moved(big, {1.2F, 0, 0});
    // In which of the four each place is; those on a skin, by rounding, are not asked about.
    std::vector<std::pair<Vec3, std::array<bool, 4>>> places;
    for (const Vec3& place : placesAround({Vec3(-1), Vec3(2.2F, 1, 1)}, 1500, 9)) {
      std::array<bool, 4> in{};
      bool isClear = true;
      for (std::size_t k = 0; k < 4; ++k) {
        const double winding = windingBySum(*std::array{big, middle, small, aside}[k], place);
        in[k] = winding > 0.5;
        isClear = isClear && std::abs(winding - 0.5) > 0.49;
      }
      if (isClear) places.push_back({place, in});
    }
    QVERIFY(places.size() > 1200);
    struct Case {
      const char* name;
      std::vector<SurfacePtr> shells;
      std::function<bool(bool inBig, bool inMiddle, bool inSmall, bool inAside)> isIn;
    };
    const auto first = [](bool a, bool, bool, bool) { return a; };
    const auto hollow = [](bool a, bool b, bool, bool) { return a && !b; };
    const auto island = [](bool a, bool b, bool c, bool) { return (a && !b) || c; };
    const auto both = [](bool a, bool, bool, bool d) { return a || d; };
    for (const Case& c :
         {Case{"alone", {big}, first}, Case{"turned round", {turnedRound(big)}, first},
          Case{"one in the other", {big, middle}, first}, Case{"hollow", {big, turnedRound(middle)}, hollow},
          Case{"hollow, all turned round", {turnedRound(big), middle}, hollow},
          Case{"island", {big, turnedRound(middle), small}, island},
          Case{"island, all turned round", {turnedRound(big), middle, turnedRound(small)}, island},
          Case{"overlap", {big, aside}, both}, Case{"overlap, one turned round", {big, turnedRound(aside)}, both},
          Case{"twice the same", {big, big}, first},
          Case{"twice the same, one turned round", {big, turnedRound(big)}, first}}) {
      const auto body = bodyOf(c.shells);
      for (const auto& [place, in] : places)
        QVERIFY2(body->isInside(place) == c.isIn(in[0], in[1], in[2], in[3]), c.name);
    }
  }

  /// Some faces turned against the rest of their shell change nothing.
  void singleFacesTurnedRoundAreSeenThrough() {
    const SurfacePtr whole = pebble(24);
    Surface s = *whole;
    Array<UVec3>& triangles = s.triangles.edit();
    for (std::size_t t = 0; t < triangles.size(); t += 7) std::swap(triangles[t].y, triangles[t].z);
    const auto body = bodyOf({published(std::move(s))});
    for (const Vec3& place : placesAround(whole->bounds(), 1200, 3)) {
      const double winding = windingBySum(*whole, place);
      if (std::abs(winding - 0.5) < 0.49) continue;
      QCOMPARE(body->isInside(place), winding > 0.5);
    }
  }

  /// Places whose coordinates are those of corners, edges and diagonals: each walk goes exactly along them.
  void tiesAreDecidedOnce() {
    Array<Vec3> positions;
    Array<UVec3> triangles;
    constexpr std::uint32_t kSide = 4;  // a cube of 4³ squares a side, in whole
                                        // meters, each with its own vertices
    const auto square = [&](const Vec3& a, const Vec3& u, const Vec3& v) {
      const auto base = static_cast<std::uint32_t>(positions.size());
      for (const Vec3& p : {a, a + u, a + u + v, a + v}) positions.push_back(p);
      triangles.push_back({base, base + 1, base + 2});
      triangles.push_back({base, base + 2, base + 3});
    };
    for (std::uint32_t i = 0; i < kSide; ++i)
      for (std::uint32_t j = 0; j < kSide; ++j) {
        const auto x = static_cast<float>(i);
        const auto y = static_cast<float>(j);
        const Vec3 ex(1, 0, 0), ey(0, 1, 0), ez(0, 0, 1);
        square({x, y, 0}, ey, ex);
        square({x, y, kSide}, ex, ey);
        square({x, 0, y}, ex, ez);
        square({x, kSide, y}, ez, ex);
        square({0, x, y}, ez, ey);
        square({kSide, x, y}, ey, ez);
      }
    Surface s;
    s.positions = std::move(positions);
    s.triangles = std::move(triangles);
    const SurfacePtr cube = published(std::move(s));
    for (const float size : {1.0F, 1e-4F, 4096.0F}) {
      const auto body = bodyOf({moved(cube, Vec3(0), size)});
      QVERIFY(body->isClosed());
      for (int x = -2; x <= 10; ++x)
        for (int y = -2; y <= 10; ++y)
          for (int z = -2; z <= 10; ++z) {
            const Vec3 place = 0.5F * Vec3(x, y, z);
            if (place.x == 0 || place.y == 0 || place.z == 0 || place.x == 4 || place.y == 4 || place.z == 4) continue;
            const bool isIn = glm::all(glm::greaterThan(place, Vec3(0))) && glm::all(glm::lessThan(place, Vec3(4)));
            QVERIFY2(body->isInside(size * place) == isIn,
                     qPrintable(QStringLiteral("%1 %2 %3 at %4").arg(x).arg(y).arg(z).arg(static_cast<double>(size))));
          }
    }
  }

  /// Shares of the box around them, by chance: known volumes within five standard deviations.
  void sharesAreThoseOfTheVolumes() {
    const auto share = [](const std::vector<SurfacePtr>& shells, const Box3& box) {
      const auto body = bodyOf(shells);
      const Draw draw(1, 2, 3, "share");
      constexpr int kCount = 200'000;
      int in = 0;
      for (std::uint64_t i = 0; i < kCount; ++i)
        in += body->isInside(box.min +
                             box.extent() * Vec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2)));
      return static_cast<double>(in) / kCount;
    };
    const double off = 5 * std::sqrt(0.25 / 200'000);
    const double pi = std::numbers::pi;
    QVERIFY(within(share({published(makeBall(1, 180))}, {Vec3(-1), Vec3(1)}), pi / 6, off + 1e-3));
    // Guldin: 2 π² R r².
    QVERIFY(within(share({published(makeTorus(1, 0.3F, 180))}, {Vec3(-1.3F, -0.3F, -1.3F), Vec3(1.3F, 0.3F, 1.3F)}),
                   2 * pi * pi * 0.09 / (2.6 * 2.6 * 0.6), off + 1e-3));
    const SurfacePtr box = published(makeBox(Vec3(1)));
    QVERIFY(within(share({box, moved(box, Vec3(0.25F))}, {Vec3(-0.5F, 0, -0.5F), Vec3(0.75F, 1.25F, 0.75F)}),
                   (2 - 0.75 * 0.75 * 0.75) / (1.25 * 1.25 * 1.25), off));
    QVERIFY(
        within(share({published(makeBall(1, 120)), turnedRound(published(makeBall(0.8F, 120)))}, {Vec3(-1), Vec3(1)}),
               pi / 6 * (1 - 0.512), off + 1e-3));
  }

  /// Holes: sensible inside, and told.
  void openBodiesFillSensibly() {
    const SurfacePtr ball = published(makeBall(1, 32));
    const SurfacePtr holed = without(ball, 900, 40);
    const auto body = bodyOf({holed});
    QVERIFY(!body->isClosed());
    std::size_t asked = 0;
    std::size_t wrong = 0;
    for (const Vec3& place : placesAround(ball->bounds(), 1500, 8)) {
      const float r = glm::length(place);
      if (r > 0.9F && r < 1.05F) continue;
      ++asked;
      wrong += body->isInside(place) != (r < 1);
      // The tree's groups far away count as one, near ones as they are: as good as the sum of all.
      const double sum = windingBySum(*holed, place);
      if (std::abs(sum - 0.5) > 0.03) QCOMPARE(body->isInside(place), sum > 0.5);
    }
    QVERIFY2(wrong * 100 < asked, qPrintable(QStringLiteral("%1 of %2").arg(wrong).arg(asked)));
    // A sheet holds nothing; an open body beside a closed one does not spoil it.
    const SurfacePtr sheet = published(makePlane(4, 4, 5));
    const auto both = bodyOf({ball, sheet});
    QVERIFY(both->isInside({0.1F, 0.5F, 0.2F}));
    QVERIFY(!both->isInside({1.7F, 0.2F, 1.7F}));
    QVERIFY(!bodyOf({sheet})->isInside({0, 0.5F, 0}));
  }

  void nothingTinyAndHuge() {
    const auto nothing = bodyOf({});
    QVERIFY(nothing->isEmpty() && !nothing->isInside(Vec3(0)));
    QVERIFY(!bodyOf({published(Surface())})->isInside(Vec3(0)));
    for (const float size : {1e-5F, 1.0F, 1e5F}) {
      const auto body = bodyOf({moved(pebble(16), Vec3(3 * size, 0, 0), size)});
      QVERIFY(body->isInside({3 * size, 0, 0}));
      QVERIFY(!body->isInside({0, 0, 0}));
      const float nan = std::numeric_limits<float>::quiet_NaN();
      QVERIFY(!body->isInside({nan, 0, 0}));
    }
    // A body without thickness: never inside, never a crash.
    Surface flat = makeBox({1, 1, 1});
    for (Vec3& p : flat.positions.edit()) p.y = 0;
    const auto pressed = bodyOf({published(std::move(flat))});
    for (const Vec3& place : placesAround({Vec3(-1), Vec3(1)}, 500, 4))
      if (place.y != 0) QVERIFY(!pressed->isInside(place));
  }
};

QTEST_GUILESS_MAIN(TestBody)
#include "tst_body.moc"
