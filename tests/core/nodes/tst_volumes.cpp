// Points inside of volumes: uniform to the skin, each of them inside, the same whatever the voxel size; what stays when
// amounts change, parts of a body go or it moves.
#include "core/base/random.h"
#include "core/geometry/shapes.h"
#include "core/geometry/welding.h"
#include "core/spatial/meshing.h"
#include "core/spatial/point_grid.h"
#include "tests/support/bodies.h"

#include <numbers>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

VolumePtr solidOf(const std::vector<SurfacePtr>& surfaces, const ParamMap& params = {}) {
  test::Bench bench;
  Inputs in;
  std::uint64_t slot = 1;
  for (const SurfacePtr& s : surfaces) in.links["surfaces"].push_back({s, slot++});
  const auto out = bench.run("solid", in, params);
  if (!out) qFatal("%s", toLine(out.error()).c_str());
  return std::get<VolumePtr>(out->front());
}

PointsPtr sownIn(const VolumePtr& volume, const ParamMap& params, const MaskPtr& where = nullptr) {
  test::Bench bench;
  Inputs in = inputs({{"volume", volume}});
  if (where) in.links["where"].push_back({where, 9});
  return bench.points("sow-in-volume", in, params);
}

std::map<std::uint64_t, Vec3> placesOf(const Points& p) {
  std::map<std::uint64_t, Vec3> out;
  for (std::size_t i = 0; i < p.count; ++i) out[p.id[i]] = p.position[i];
  return out;
}

bool isAmong(const std::map<std::uint64_t, Vec3>& few, const std::map<std::uint64_t, Vec3>& many) {
  return std::all_of(few.begin(), few.end(), [&](const auto& p) {
    const auto it = many.find(p.first);
    return it != many.end() && it->second == p.second;
  });
}

/// Largest difference between the values and a uniform distribution, times √n (Kolmogorov): above 1.95 by chance in one
/// of a thousand.
double kolmogorov(std::vector<double> u) {
  std::sort(u.begin(), u.end());
  double most = 0;
  const auto n = static_cast<double>(u.size());
  for (std::size_t i = 0; i < u.size(); ++i)
    most = std::max({most, u[i] - static_cast<double>(i) / n, (static_cast<double>(i) + 1) / n - u[i]});
  return most * std::sqrt(n);
}

}  // namespace

class TestVolumes : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Counts per shell of a ball follow r³, and per slab along any direction the ball's own profile: no layers, at any
  /// density, on either lattice.
  void ballsFillEvenly_data() {
    QTest::addColumn<double>("radius");
    QTest::addColumn<double>("perBall");
    QTest::addColumn<bool>("isBody");
    for (const double perBall : {300.0, 4000.0, 60000.0})
      for (const bool isBody : {false, true})
        QTest::addRow("%g in a ball, %s", perBall, isBody ? "body" : "world") << 1.7 << perBall << isBody;
    QTest::newRow("tiny") << 0.02 << 5000.0 << false;
    QTest::newRow("huge") << 3000.0 << 5000.0 << false;
  }
  void ballsFillEvenly() {
    QFETCH(double, radius);
    QFETCH(double, perBall);
    QFETCH(bool, isBody);
    const Vec3 center = Vec3(0.31F, -0.22F, 0.77F) * static_cast<float>(radius);
    const VolumePtr ball = solidOf({moved(published(makeBall(static_cast<float>(radius), 64)), center)});
    const double volume = 4.0 / 3 * std::numbers::pi * radius * radius * radius;
    const PointsPtr p = sownIn(ball,
                               {{"density", perBall / volume}, {"lattice", std::string(isBody ? "body" : "world")}});
    QVERIFY(test::within(static_cast<double>(p->count), perBall, 4 * std::sqrt(perBall), 0.004));
    // Facets end a little before the ball: ask within all of them.
    const double inner = 0.99 * radius;
    std::vector<double> shells;
    std::array<std::vector<double>, 5> slabs;
    const std::array<DVec3, 5> ways{DVec3(1, 0, 0), DVec3(0, 1, 0), DVec3(0, 0, 1), glm::normalize(DVec3(1, 1, 1)),
                                    glm::normalize(DVec3(1, -2, 0.3))};
    for (std::size_t i = 0; i < p->count; ++i) {
      const DVec3 at = (DVec3(p->position[i]) - DVec3(center)) / inner;
      const double r = glm::length(at);
      if (r >= 1) continue;
      shells.push_back(r * r * r);
      for (std::size_t w = 0; w < ways.size(); ++w) {
        const double t = glm::dot(at, ways[w]);
        slabs[w].push_back(0.5 + 0.75 * (t - t * t * t / 3));
      }
    }
    QVERIFY2(kolmogorov(shells) < 1.95, qPrintable(QString::number(kolmogorov(shells))));
    for (const auto& slab : slabs) QVERIFY2(kolmogorov(slab) < 1.95, qPrintable(QString::number(kolmogorov(slab))));
  }

  /// As many points as its volume asks, each of them inside by a sum over all faces.
  void bodiesGetTheirShare_data() {
    QTest::addColumn<QString>("name");
    for (const char* name :
         {"torus", "hollow ball", "boxes", "pebble", "turned round", "shell", "grown", "without", "common"})
      QTest::newRow(name) << QString::fromLatin1(name);
  }
  void bodiesGetTheirShare() {
    QFETCH(QString, name);
    const SurfacePtr torus = published(makeTorus(2, 0.6F, 48));
    const SurfacePtr box = moved(published(makeBox({2, 2, 2})), {0.1F, 0.2F, 0.3F});
    const SurfacePtr beside = moved(box, {1, 0.5F, 0.25F});
    const SurfacePtr ball = published(makeBall(1.5F, 48));
    const double shared = 1 * 1.5 * 1.75;
    VolumePtr volume;
    double expected = 0;
    std::function<bool(const Vec3&)> isInside;
    const auto winds = [](std::vector<SurfacePtr> s) {
      return [s = std::move(s)](const Vec3& p) {
        return std::any_of(s.begin(), s.end(), [&](const auto& one) { return std::abs(windingBySum(*one, p)) > 0.5; });
      };
    };
    const auto combined = [&](const char* way) {
      test::Bench bench;
      Inputs in;
      in.links["volumes"] = {{solidOf({box}), 1}, {solidOf({beside}), 2}};
      return std::get<VolumePtr>(bench.run("combine-volumes", in, {{"way", std::string(way)}})->front());
    };
    if (name == QLatin1String("torus") || name == QLatin1String("turned round")) {
      volume = solidOf({name == QLatin1String("torus") ? torus : turnedRound(torus)});
      expected = volumeOf(*torus);
      isInside = winds({torus});
    } else if (name == QLatin1String("hollow ball")) {
      const SurfacePtr hollow = moved(ball, Vec3(0), 0.6F);
      volume = solidOf({ball, turnedRound(hollow)});
      expected = volumeOf(*ball) * (1 - 0.6 * 0.6 * 0.6);
      isInside = [&, hollow](const Vec3& p) { return windingBySum(*ball, p) > 0.5 && windingBySum(*hollow, p) < 0.5; };
    } else if (name == QLatin1String("boxes")) {
      volume = solidOf({box, beside});
      expected = 16 - shared;
      isInside = winds({box, beside});
    } else if (name == QLatin1String("pebble")) {
      const SurfacePtr stone = pebble(32);
      volume = solidOf({stone});
      expected = volumeOf(*stone);
      isInside = winds({stone});
    } else if (name == QLatin1String("shell")) {
      volume = solidOf({ball}, {{"take", std::string("shell")}, {"depths", std::vector<double>{0.2, 0.5}}});
      expected = 4.0 / 3 * std::numbers::pi * (1.3 * 1.3 * 1.3 - 1);
      isInside = [](const Vec3& p) { return glm::length(p) > 0.98F && glm::length(p) < 1.31F; };
    } else if (name == QLatin1String("grown")) {
      volume = solidOf({ball}, {{"grow", 0.5}});
      expected = 4.0 / 3 * std::numbers::pi * 8;
      isInside = [](const Vec3& p) { return glm::length(p) < 2.001F; };
    } else {
      const bool isCommon = name == QLatin1String("common");
      volume = combined(isCommon ? "common" : "without");
      expected = isCommon ? shared : 8 - shared;
      isInside = [&, isCommon](const Vec3& p) {
        return windingBySum(*box, p) > 0.5 && (windingBySum(*beside, p) > 0.5) == isCommon;
      };
    }
    const double density = 6000 / expected;
    const PointsPtr p = sownIn(volume, {{"density", density}});
    QVERIFY(test::within(static_cast<double>(p->count), 6000, 4 * std::sqrt(6000.0), 0.004));
    for (std::size_t i = 0; i < p->count; i += 5) QVERIFY(isInside(p->position[i]));
    // Exact totals, and what nests: in the total, in the density.
    QCOMPARE(sownIn(volume, {{"amount", std::string("total")}, {"total", 777.0}})->count, std::size_t{777});
    QVERIFY(isAmong(placesOf(*sownIn(volume, {{"amount", std::string("total")}, {"total", 300.0}})),
                    placesOf(*sownIn(volume, {{"amount", std::string("total")}, {"total", 777.0}}))));
    std::map<std::uint64_t, Vec3> before;
    for (const double share : {0.01, 0.2, 0.21, 0.9, 1.0}) {
      auto now = placesOf(*sownIn(volume, {{"density", share * density}}));
      QVERIFY(isAmong(before, now));
      before = std::move(now);
    }
  }

  /// The voxel size says nothing about points; nothing grown and a shell from skin to middle are the body itself.
  void voxelsChangeNoPoint() {
    const SurfacePtr stone = pebble(40);
    const ParamMap some{{"density", 900.0}};
    const auto fine = placesOf(*sownIn(solidOf({stone}, {{"voxel_size", 0.02}}), some));
    QVERIFY(fine.size() > 1000);
    QVERIFY(fine == placesOf(*sownIn(solidOf({stone}, {{"voxel_size", 0.3}}), some)));
    QVERIFY(fine == placesOf(*sownIn(solidOf({stone}, {{"grow", 0.0}}), some)));
    QVERIFY(fine ==
            placesOf(*sownIn(
                solidOf({stone}, {{"take", std::string("shell")}, {"depths", std::vector<double>{0, 100}}}), some)));
  }

  /// What is joined far away changes nothing here; where bodies overlap they have the same points.
  void pointsBelongToTheWorld() {
    const SurfacePtr a = published(makeBall(1, 24));
    const SurfacePtr b = moved(a, {0.7F, 0, 0});
    const SurfacePtr far = moved(published(makeBox({30, 2, 2})), {-60, 3, 5});
    const ParamMap some{{"density", 2000.0}};
    const auto alone = placesOf(*sownIn(solidOf({a}), some));
    const auto other = placesOf(*sownIn(solidOf({b}), some));
    const auto all = placesOf(*sownIn(solidOf({a, b, far}), some));
    QVERIFY(isAmong(alone, all) && isAmong(other, all));
    std::size_t both = 0;
    for (const auto& [id, at] : alone) both += other.contains(id);
    QVERIFY(both > 500);
    for (const auto& [id, at] : all) QVERIFY(at.x < -30 || alone.contains(id) || other.contains(id));
  }

  /// On its own lattice a body carries its points along, whichever way it is moved and turned.
  void bodiesCarryTheirPoints() {
    for (const SurfacePtr& body : {published(makeBox({2, 1, 3})), pebble(24), published(makeBall(1, 16))}) {
      const ParamMap own{{"density", 600.0}, {"lattice", std::string("body")}, {"margin", 0.05}};
      const Quat turn = glm::normalize(Quat(0.7F, 0.3F, -0.5F, 0.2F));
      const Vec3 way(3, -2, 5);
      const SurfacePtr other = published(transformed(*body, way, turn, 1));
      const auto before = placesOf(*sownIn(solidOf({body}), own));
      const auto after = placesOf(*sownIn(solidOf({other}), own));
      QVERIFY(before.size() > 500);
      QCOMPARE(after.size(), before.size());
      for (const auto& [id, at] : before) {
        QVERIFY(after.contains(id));
        QVERIFY(glm::distance(after.at(id), turn * at + way) < 2e-5F);
      }
      // On the world's it goes through points that stay.
      const ParamMap world{{"density", 600.0}};
      const auto still = placesOf(*sownIn(solidOf({body}), world));
      const auto shifted = placesOf(*sownIn(solidOf({moved(body, {0.2F, 0, 0})}), world));
      std::size_t stay = 0;
      for (const auto& [id, at] : still) stay += shifted.contains(id) && shifted.at(id) == at;
      QVERIFY(stay > still.size() / 2 && stay < still.size());
    }
  }

  /// A body that was only moved and turned shares what was made of it at rest, and is the same volume as one that is
  /// made anew where it lies: what is inside, how deep, where boxes lie, its skin and its triangles.
  void aMovedBodyIsTheBodyWhereItLies() {
    const auto shapeAt = [](int i, int divisions) {
      const double t = i;
      test::Bench bench;
      const auto out = bench.run("shape", {},
                                 {{"form", std::string("torus")},
                                  {"divisions", static_cast<double>(divisions)},
                                  {"size", 1.5},
                                  {"move", std::vector<double>{3 * t, 40 * t, -t}},
                                  {"turn", std::vector<double>{20 * t, 35 * t, -70 * t}}});
      return std::get<SurfacePtr>(out->front());
    };
    const std::vector<ParamMap> rules{{},
                                      {{"grow", 0.05}},
                                      {{"take", std::string("shell")}, {"depths", std::vector<double>{0.02, 0.15}}},
                                      {{"voxel_size", 0.05}}};
    for (const ParamMap& rule : rules) {
      std::vector<VolumePtr> kept;
      for (int i = 1; i <= 3; ++i) {
        const SurfacePtr there = shapeAt(i, 24);
        const VolumePtr volume = solidOf({there}, rule);
        const VolumePtr anew = solidOf({published(*there)}, rule);  // a copy
        QVERIFY(volume->posed() && !anew->posed());
        QVERIFY(kept.empty() || volume->posed()->atRest == kept.front()->posed()->atRest);
        kept.push_back(volume);
        const auto depth = depthOf(volume, {});
        const auto expected = depthOf(anew, {});
        const Box3 box = anew->bounds();
        QVERIFY(glm::distance(volume->bounds().min, box.min) < 1e-3F);
        QVERIFY(glm::distance(volume->bounds().max, box.max) < 1e-3F);
        const Draw draw(1, static_cast<std::uint64_t>(i), 3, "places");
        int inside = 0;
        for (std::uint64_t k = 0; k < 3000; ++k) {
          const Vec3 at = box.min + box.extent() * Vec3(draw.unit(7 * k), draw.unit(7 * k + 1), draw.unit(7 * k + 2));
          const Depth d = expected->at(at);
          QVERIFY(test::within(static_cast<double>(depth->at(at).meters), static_cast<double>(d.meters), 1e-4));
          if (std::abs(d.meters) < 1e-4F) continue;
          QCOMPARE(volume->isInside(at), anew->isInside(at));
          inside += volume->isInside(at);
          const Box3 around{at, at + 0.3F * Vec3(draw.unit(7 * k + 3), draw.unit(7 * k + 4), draw.unit(7 * k + 5))};
          const Side side = volume->sideOf(around);
          for (const Vec3& corner : {around.min, around.max, around.center()})
            QVERIFY(side == Side::Mixed || volume->isInside(corner) == (side == Side::Inside));
        }
        QVERIFY(inside > 60);
        QCOMPARE(skinOf(*volume, {})->faceCount(), skinOf(*anew, {})->faceCount());
        const auto mesh = meshOf(volume, {0.1F, 1}, {});
        QVERIFY((*mesh)->faceCount() > 300 && (*mesh)->atRest.isKnown());
        for (const Vec3& at : (*mesh)->positions) QVERIFY(std::abs(expected->at(at).meters) < 0.1F);
      }
    }
    // What lay far from its origin would be known less exactly there.
    Surface far = transformed(makeBall(1, 24), {10'000, 0, 0}, Quat(1, 0, 0, 0), 1);
    const auto back = std::make_shared<Surface>(transformed(far, {-10'000, 0, 0}, Quat(1, 0, 0, 0), 1));
    back->atRest = AtRest(far.positions, {DVec3(-10'000, 0, 0), glm::dmat3(1)});
    QVERIFY(!solidOf({back})->posed());
    // Another rule or another shape has nothing to share, nor has what nobody holds any more.
    const VolumePtr one = solidOf({shapeAt(1, 24)});
    QVERIFY(solidOf({shapeAt(1, 24)}, {{"grow", 0.1}})->posed()->atRest != one->posed()->atRest);
    QVERIFY(solidOf({shapeAt(1, 25)})->posed()->atRest != one->posed()->atRest);
  }

  /// Points, cells and depths of a body's own lattice go along bit for bit, far away too: so nothing of it boils.
  void whatIsInAMovedBodyStaysInPlace() {
    const std::vector<std::pair<const char*, ParamMap>> fills{
        {"sow-in-volume", {{"density", 40.0}, {"margin", 0.03}}},
        {"sow-in-volume", {{"way", std::string("even")}, {"spacing", 0.2}}},
        {"planting-grid-in-volume", {{"spacing", 0.2}, {"jitter", 40.0}}},
        {"planting-grid-in-volume", {{"spacing", 0.2}, {"counts_by", std::string("share")}}}};
    for (auto [kind, params] : fills) {
      params["lattice"] = std::string("body");
      PointsPtr before;
      BodyFrame frame;
      for (const double way : {0.5, 7.0, -3000.0}) {
        test::Bench bench;
        const auto shape = bench.run("shape", {},
                                     {{"form", std::string("ball")},
                                      {"radius", 1.5},
                                      {"move", std::vector<double>{way, 1, 2 * way}},
                                      {"turn", std::vector<double>{way / 20, 0, 30}}});
        const VolumePtr volume = solidOf({std::get<SurfacePtr>(shape->front())});
        const PointsPtr now = bench.points(kind, inputs({{"volume", volume}}), params);
        QVERIFY(now->count > 300);
        if (before) {
          QCOMPARE(now->count, before->count);
          for (std::size_t i = 0; i < now->count; ++i) {
            QCOMPARE(now->id[i], before->id[i]);
            const Vec3 was = Vec3(frame.toOwn(before->position[i]));
            QVERIFY(glm::distance(Vec3(volume->posed()->frame.toOwn(now->position[i])), was) <
                    (way < 0 ? 1e-3F : 1e-5F));
          }
        }
        before = now;
        frame = volume->posed()->frame;
      }
    }
  }

  /// Even fills a large cube as far as balls that come one after the other can (0.3841 of space: Zhang and Torquato,
  /// "Precise algorithm to generate random sequential addition of hard hyperspheres at saturation", Physical Review E,
  /// 2013), keeps the spacing, and leaves no place for one more. Up to the skin of other bodies, too.
  void evenPacks_data() {
    QTest::addColumn<QString>("name");
    QTest::newRow("cube") << "cube";
    QTest::newRow("pebble") << "pebble";
    QTest::newRow("band") << "band";
  }
  void evenPacks() {
    QFETCH(QString, name);
    const bool isCube = name == QLatin1String("cube");
    const bool isBand = name == QLatin1String("band");
    const float spacing = isCube ? 0.5F : 0.16F;
    const VolumePtr volume = solidOf({isCube ? published(makeBox({14, 14, 14})) : pebble(32)});
    ParamMap params{{"way", std::string("even")}, {"spacing", static_cast<double>(spacing)}};
    if (isBand) params.insert({{"depths", std::string("between")}, {"depths_between", std::vector<double>{0.05, 0.3}}});
    const PointsPtr p = sownIn(volume, params);
    Array<PointGrid::Entry> entries;
    for (std::size_t i = 0; i < p->count; ++i) entries.push_back({p->position[i], 0, static_cast<std::uint32_t>(i)});
    const PointGrid grid(entries, spacing);
    const auto nearestOther = [&](const Vec3& at, std::uint32_t self) {
      float nearest = spacing;
      grid.near(at, spacing, [&](const PointGrid::Entry& o) {
        if (o.index != self) nearest = std::min(nearest, glm::distance(o.position, at));
        return false;
      });
      return nearest;
    };
    const auto depth = depthOf(volume, {});
    std::size_t inner = 0;
    for (const PointGrid::Entry& e : entries) {
      QVERIFY(nearestOther(e.position, e.index) >= spacing * 0.99999F);
      const float d = depth->at(e.position).meters;
      QVERIFY(d >= (isBand ? 0.05F : 0) && (!isBand || d <= 0.3F));
      inner += d > 1;
    }
    if (isCube) {
      const double share = static_cast<double>(inner) * std::numbers::pi / 6 *
                           std::pow(static_cast<double>(spacing), 3) / std::pow(12.0, 3);
      QVERIFY2(share > 0.375 && share < 0.3841 * 1.02, qPrintable(QString::number(share)));
    }
    const Draw draw(3, 4, 5, "holes");
    const Box3 box = volume->bounds();
    std::size_t holes = 0;
    std::size_t asked = 0;
    for (std::uint64_t i = 0; i < 200000; ++i) {
      const Vec3 at = box.min + box.extent() * Vec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2));
      const float d = depth->at(at).meters;
      if (d < (isBand ? 0.05F : 0) || (isBand && d > 0.3F)) continue;
      ++asked;
      holes += nearestOther(at, 0xffffffffU) >= spacing;
    }
    // Holes that are left are too small to matter: their share of the space.
    QVERIFY(asked > 20000);
    QVERIFY2(static_cast<double>(holes) < 3e-4 * static_cast<double>(asked), qPrintable(QString::number(holes)));
  }

  /// A total of evenly sown points nests, and one that cannot be reached says how many fit.
  void evenTotalsSayWhatFits() {
    const VolumePtr volume = solidOf({published(makeBox({2, 2, 2}))});
    const auto with = [&](double total, test::Bench& bench) {
      return bench.points(
          "sow-in-volume", inputs({{"volume", volume}}),
          {{"way", std::string("even")}, {"spacing", 0.3}, {"most", std::string("total")}, {"even_total", total}});
    };
    test::Bench bench;
    const auto few = placesOf(*with(40, bench));
    const auto more = placesOf(*with(90, bench));
    QCOMPARE(few.size(), std::size_t{40});
    QCOMPARE(more.size(), std::size_t{90});
    QVERIFY(isAmong(few, more) && bench.warnings.empty());
    const PointsPtr all = with(100000, bench);
    QVERIFY(all->count > 150 && all->count < 400);
    QCOMPARE(bench.warnings.size(), std::size_t{1});
    QCOMPARE(bench.warnings.front().message, "only " + std::to_string(all->count) + " of 100000 fit");
  }

  /// "Where", draft and threads, as on surfaces.
  void whereAndDraft() {
    const VolumePtr volume = solidOf({moved(published(makeBox({8, 2, 2})), {4, 0, 0})});
    const ParamMap some{{"density", 300.0}};
    const auto whole = placesOf(*sownIn(volume, some));
    const auto thinned = placesOf(*sownIn(volume, some, rampMask(4)));
    QVERIFY(isAmong(thinned, whole));
    for (const auto& [id, at] : whole) {
      if (at.x < 3.4F) QVERIFY(thinned.contains(id));
      if (at.x > 4.6F) QVERIFY(!thinned.contains(id));
    }
    test::Bench bench;
    bench.ctx.draftShare = 0.3F;
    const PointsPtr draft = bench.points("sow-in-volume", inputs({{"volume", volume}}), some);
    QVERIFY(isAmong(placesOf(*draft), whole));
    std::size_t expected = 0;
    for (const auto& [id, at] : whole) expected += Points::draftRank(id) < 0.3F;
    QCOMPARE(draft->count, expected);
  }

  /// Nothing of it pokes out: a fixed margin, or by the props' own reach.
  void marginsHold() {
    const VolumePtr volume = solidOf({pebble(32)});
    const auto depth = depthOf(volume, {});
    test::Bench bench;
    const auto least = [&](const ParamMap& params) {
      const PointsPtr p = bench.points("sow-in-volume", inputs({{"volume", volume}, {"kit", someKit()}}), params);
      float out = 10;
      for (std::size_t i = 0; i < p->count; ++i) out = std::min(out, depth->at(p->position[i]).meters);
      return p->count > 0 ? out : -1;
    };
    QVERIFY(test::within(static_cast<double>(least({{"density", 3000.0}, {"margin", 0.2}})), 0.2, 0.01));
    const double reach = std::sqrt(0.5 * 0.5 * 2 + 0.5 * 0.5);  // of the crate, the widest of the kit
    QVERIFY(test::within(
        static_cast<double>(least({{"density", 30000.0}, {"margin_by", std::string("prop")}, {"largest_size", 0.5}})),
        0.5 * reach, 0.02));
    // So deep there is nothing: said, not failed.
    const PointsPtr none = bench.points("sow-in-volume", inputs({{"volume", volume}}), {{"margin", 5.0}});
    QVERIFY(none->count == 0 && bench.warnings.size() == 1);
  }

  /// The skin of an open body is closed, straight across its holes, however wide; and it says so.
  void openBodiesGetAClosedSkin() {
    const SurfacePtr ball = published(makeBall(1, 24));
    const auto withoutFaces = [&](auto isGone) {
      Surface s = *ball;
      Array<UVec3> left;
      for (const UVec3& t : ball->triangles)
        if (const Vec3 middle = (ball->positions[t.x] + ball->positions[t.y] + ball->positions[t.z]) / 3.0F;
            !isGone(middle))
          left.push_back(t);
      s.triangles = std::move(left);
      return published(std::move(s));
    };
    const double whole = volumeOf(*ball);
    struct Case {
      SurfacePtr body;
      std::size_t holes;
      double volume;
    };
    const double kHigh = 1 - 0.8;  // of a cap
    const double cap = std::numbers::pi * kHigh * kHigh * (3 - kHigh) / 3;
    for (const Case& c : {Case{withoutFaces([](const Vec3& p) { return p.y > 0; }), 1, 0.5 * whole},
                          Case{withoutFaces([](const Vec3& p) { return p.y > 0.8F; }), 1, whole - cap},
                          Case{withoutFaces([](const Vec3& p) { return std::abs(p.x) > 0.8F; }), 2, whole - 2 * cap}}) {
      test::Bench bench;
      const auto out = bench.run("surface-of-volume", inputs({{"volume", solidOf({c.body}, {{"voxel_size", 0.05}})}}));
      QVERIFY(out);
      const Surface& skin = *std::get<SurfacePtr>(out->front());
      QCOMPARE(openEdgeCount(skin), std::size_t{0});
      QVERIFY(test::within(volumeOf(skin), c.volume, 0, 0.06));
      QCOMPARE(bench.warnings.size(), std::size_t{1});
      QCOMPARE(bench.warnings[0].message,
               std::to_string(c.holes) + " holes of what the volume was made of are closed straight across");
      const auto broken = bench.run("break-up", inputs({{"body", out->front()}}), {{"count", 8.0}});
      QVERIFY2(broken, broken ? "" : broken.error().message.c_str());
    }
  }
};

QTEST_GUILESS_MAIN(TestVolumes)
#include "tst_volumes.moc"
