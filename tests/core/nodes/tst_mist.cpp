// Densities: mist of points, what is sown by it, held in by bodies, looked at through, and shown as lit haze.
#include "core/base/hash.h"
#include "core/picture/haze.h"
#include "core/picture/render.h"
#include "core/spatial/meshing.h"
#include "tests/support/bodies.h"

#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

/// Numbers of 0…1, always the same for a seed.
class Random {
 public:
  explicit Random(std::uint64_t seed) : m_state(seed) {}
  float unit() {
    m_state = mix64(m_state + 1);
    return unitFloat(m_state);
  }

 private:
  std::uint64_t m_state;
};

/// A density by a function of place, filled over a box of bricks.
DensityPtr densityOf(const Density::Lattice& lattice, const IVec3& from, const IVec3& to,
                     const std::function<float(const Vec3&)>& at, float edge = 0) {
  std::vector<IVec3> places;
  for (int z = from.z; z < to.z; ++z)
    for (int y = from.y; y < to.y; ++y)
      for (int x = from.x; x < to.x; ++x) places.push_back({x, y, z});
  const auto fill = [&](const IVec3& first, float* values) {
    for (int i = 0; i < static_cast<int>(Density::kPerBrick); ++i)
      values[i] = at(Vec3(lattice.origin + lattice.axes * DVec3(first + IVec3(i % 9, i / 9 % 9, i / 81))));
    return true;
  };
  auto made = Density::filled(lattice, places, fill, {edge, Vec3(1)}, {});
  if (!made) qFatal("%s", made.error().message.c_str());
  return *made;
}

PointsPtr pointsAt(const std::vector<Vec3>& places, float footprint = 1) {
  Points p;
  p.count = places.size();
  Array<Vec3> position;
  Array<std::uint64_t> id;
  for (const Vec3& at : places) {
    position.push_back(at);
    id.push_back(hashOf(id.size() + 1, 77));
  }
  p.position = std::move(position);
  p.id = std::move(id);
  p.footprint = Column<float>(footprint);
  return std::make_shared<const Points>(std::move(p));
}

VolumePtr mistOf(const PointsPtr& points, const ParamMap& params, test::Bench& bench) {
  const auto out = bench.run("mist", inputs({{"points", points}}), params);
  return out ? std::get<VolumePtr>(out->front()) : nullptr;
}
VolumePtr mistOf(const PointsPtr& points, const ParamMap& params) {
  test::Bench bench;
  return mistOf(points, params, bench);
}

ParamMap ranged(double from, double to, double voxel) {
  return {{"radius_by", std::string("range")},
          {"radii", std::vector<double>{from, to}},
          {"density", 0.5},
          {"voxel_size", voxel}};
}

Vec3 placeIn(const Box3& box, Random& random) {
  const float x = random.unit();
  const float y = random.unit();
  return box.min + box.extent() * Vec3(x, y, random.unit());
}

}  // namespace

class TestMist : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Numbers that are linear along each axis are given back exactly everywhere, and so are their integrals along rays;
  /// on straight, turned, mirrored, sheared and far-off lattices.
  void whatIsLinearIsExact_data() {
    QTest::addColumn<int>("which");
    for (int i = 0; i < 5; ++i) QTest::addRow("lattice %d", i) << i;
  }
  void whatIsLinearIsExact() {
    QFETCH(int, which);
    Density::Lattice lattice = Density::Lattice::ofSize(0.25F);
    const glm::dmat3 turn(glm::mat3_cast(turnOf(Vec3(20, 50, -35))));
    if (which == 1) lattice = {DVec3(3, -2, 5), turn * 0.25};
    if (which == 2) lattice.axes = turn * glm::dmat3(-0.25, 0, 0, 0, 0.25, 0, 0, 0, 0.25);
    if (which == 3) lattice.axes = glm::dmat3(0.3, 0.1, 0, 0, 0.2, 0.05, 0.02, 0, 0.4);
    if (which == 4) lattice.origin = DVec3(4000, 10, -3000);
    const Vec3 middle(lattice.origin);
    const auto at = [&](const Vec3& p) { return 20 + glm::dot(p - middle, Vec3(0.7F, -0.4F, 0.5F)); };
    const DensityPtr d = densityOf(lattice, IVec3(-3, -2, -2), IVec3(2, 3, 2), at);
    Random random(static_cast<std::uint64_t>(which) + 1);
    const auto isHeld = [&](const Vec3& p) {
      const DVec3 own = glm::inverse(lattice.axes) * (DVec3(p) - lattice.origin);
      return glm::all(glm::greaterThan(own, DVec3(-23.9, -15.9, -15.9))) &&
             glm::all(glm::lessThan(own, DVec3(15.9, 23.9, 15.9)));
    };
    int held = 0;
    for (int i = 0; i < 12000; ++i) {
      const Vec3 p = placeIn(d->bounds(), random);
      if (!isHeld(p)) continue;
      ++held;
      QVERIFY2(within(d->at(p), at(p), which == 4 ? 2e-2 : 2e-4), qPrintable(QString::number(d->at(p) - at(p))));
      const Vec3 q = placeIn(d->bounds(), random);
      if (!isHeld(q)) continue;
      // Between two places of a box that is not bent, the mean is that of the ends.
      const float way = glm::distance(p, q);
      const float sum = d->along(p, (q - p) / way, 0, way, 1e9F);
      QVERIFY2(within(sum, 0.5F * (at(p) + at(q)) * way, 1e-3, which == 4 ? 4e-3 : 1e-3),
               qPrintable(QStringLiteral("%1 of %2").arg(sum).arg(0.5F * (at(p) + at(q)) * way)));
    }
    QVERIFY(held > 1000);
    QCOMPARE(d->at(middle + Vec3(500)), 0.0F);
    QCOMPARE(d->along(middle + Vec3(0, 500, 0), Vec3(1, 0, 0), 0, 1e5F, 9), 0.0F);
  }

  /// Where a whole box lies, and what is inside, never contradict each other.
  void sidesAreNeverWrong() {
    const VolumePtr mist = mistOf(pointsAt({{0, 0, 0}, {1.5F, 0.4F, 0}, {-6, 1, 3}}), ranged(0.8, 2, 0.11));
    Random random(5);
    int decided = 0;
    const Box3 bounds = mist->bounds();
    const Box3 around{bounds.min - 1.0F, bounds.max + 1.0F};
    for (int i = 0; i < 3000; ++i) {
      const Vec3 from = placeIn(around, random);
      const Box3 box{from, from + Vec3(random.unit(), random.unit(), random.unit()) * (i % 2 ? 0.2F : 1.5F)};
      const Side side = mist->sideOf(box);
      if (side == Side::Mixed) continue;
      ++decided;
      for (int k = 0; k < 20; ++k) QCOMPARE(mist->isInside(placeIn(box, random)), side == Side::Inside);
    }
    QVERIFY(decided > 500);
  }

  /// A ball of mist: full in the middle, nothing outside, falling all the way; never more than asked where balls
  /// overlap; the same on finer voxels but for what lies between them.
  void ballsAreSoftAndNeverTooDense() {
    const VolumePtr one = mistOf(pointsAt({{0.3F, 1, -2}}), ranged(2, 2, 0.1));
    const DensityPtr d = one->density({});
    QVERIFY(d);
    QVERIFY(within(d->at({0.3F, 1, -2}), 0.5, 0.004));
    float last = 1;
    for (float r = 0; r < 2.3F; r += 0.05F) {
      const float v = d->at(Vec3(0.3F, 1, -2) + r * glm::normalize(Vec3(1, 2, -1)));
      const float t = std::max(0.0F, 1 - r / 2);  // 3t² − 2t³ over the whole radius
      QVERIFY2(within(v, 0.5 * static_cast<double>(t * t * (3 - 2 * t)), 0.006), qPrintable(QString::number(r)));
      QVERIFY(v <= last);
      last = v;
    }
    QCOMPARE(last, 0.0F);
    const PointsPtr many = std::make_shared<const Points>(randomPoints(300, Vec3(6, 2, 6), 0.3F, 1, 9));
    const DensityPtr coarse = mistOf(many, {{"voxel_size", 0.2}, {"density", 0.7}})->density({});
    const DensityPtr fine = mistOf(many, {{"voxel_size", 0.07}, {"density", 0.7}})->density({});
    QVERIFY(coarse->most() <= 0.7F + 1e-5F && coarse->most() > 0.6F);
    Random random(2);
    double off = 0;
    for (int i = 0; i < 5000; ++i) {
      const Vec3 p = placeIn(fine->bounds(), random);
      off += static_cast<double>(std::abs(coarse->at(p) - fine->at(p)));
    }
    QVERIFY2(off / 5000 < 0.01, qPrintable(QString::number(off / 5000)));
  }

  /// What happens far away changes no bit here; another order of the points nothing but rounding.
  void mistIsLocal() {
    std::vector<Vec3> places;
    Random random(8);
    for (int i = 0; i < 200; ++i) places.push_back(placeIn({Vec3(-10), Vec3(10)}, random));
    const ParamMap params{{"radius_by", std::string("footprint")}, {"times", 1.5}, {"broken", 50.0}};
    const DensityPtr all = mistOf(pointsAt(places), params)->density({});
    std::vector<Vec3> fewer(places.begin(), places.end() - 40);
    const DensityPtr some = mistOf(pointsAt(fewer), params)->density({});
    int same = 0;
    for (int i = 0; i < 20000; ++i) {
      const Vec3 p = placeIn(all->bounds(), random);
      const bool isFar = std::all_of(places.end() - 40, places.end(),
                                     [&](const Vec3& q) { return glm::distance(p, q) > 1.5F + 0.44F; });
      if (!isFar) continue;
      ++same;
      QCOMPARE(some->at(p), all->at(p));
    }
    QVERIFY(same > 2000);
  }

  void radiiComeFromWhatIsAsked() {
    Points p = *pointsAt({{0, 0, 0}, {10, 0, 0}, {20, 0, 0}}, 0.5F);
    p.attributes.insert_or_assign("reach", Column<float>(Array<float>{1.0F, 2.0F, 3.0F}));
    const PointsPtr points = std::make_shared<const Points>(std::move(p));
    const auto reachAt = [](const DensityPtr& d, float x) {
      float r = 0;
      while (d->at({x, r, 0}) > 0) r += 0.02F;
      return r;
    };
    const DensityPtr byNumber =
        mistOf(points, {{"radius_by", std::string("number")}, {"number", std::string("reach")}, {"times", 1.0}})
            ->density({});
    const DensityPtr byFootprint = mistOf(points, {{"times", 4.0}})->density({});
    for (int i = 0; i < 3; ++i) {
      QVERIFY(within(reachAt(byNumber, 10.0F * static_cast<float>(i)), 1.0 + i, 0.3));
      QVERIFY(within(reachAt(byFootprint, 10.0F * static_cast<float>(i)), 2, 0.3));
    }
    test::Bench bench;
    Inputs in = inputs({{"points", points}, {"radius", rampMask(10)}});
    const auto byMask = bench.run("mist", in,
                                  {{"radius_by", std::string("mask")}, {"radii", std::vector<double>{1.0, 3.0}}});
    QVERIFY(byMask);
    const DensityPtr masked = std::get<VolumePtr>(byMask->front())->density({});
    QVERIFY(within(reachAt(masked, 0), 3, 0.3) && within(reachAt(masked, 20), 1, 0.3));
    // What is missing is said, and nothing else takes its place.
    QVERIFY(!mistOf(points, {{"radius_by", std::string("number")}, {"number", std::string("none")}}, bench));
    QVERIFY(!bench.run("mist", inputs({{"points", points}}), {{"radius_by", std::string("mask")}}));
    bench.warnings.clear();
    QVERIFY(mistOf(points, ranged(0.1, 0.2, 0.25), bench));
    QVERIFY(bench.warnings.size() == 1 && bench.warnings.front().message.find("1.5 voxels") != std::string::npos);
    // Too many voxels are counted before they are made.
    const auto huge = bench.run("mist", inputs({{"points", points}}), ranged(2000, 2000, 0.001));
    QVERIFY(!huge && huge.error().code == ProblemCode::TooMany);
    bench.warnings.clear();
    const VolumePtr none = mistOf(std::make_shared<const Points>(), {}, bench);
    QVERIFY(none && none->bounds().isEmpty() && !none->isInside(Vec3(0)) && bench.warnings.size() == 1);
  }

  /// Half as dense holds half as many; a higher density only adds; alike everywhere does not ask.
  void sowingFollowsTheDensity() {
    const DensityPtr d = densityOf(Density::Lattice::ofSize(0.5F), IVec3(-2, -1, -1), IVec3(2, 1, 1),
                                   [](const Vec3& p) { return p.x < 0 ? 0.1F : 0.2F; });
    const VolumePtr volume = makeDense(d, {});
    test::Bench bench;
    const auto sown = [&](double density, const char* weight) {
      return bench.points("sow-in-volume", inputs({{"volume", volume}}),
                          {{"density", density}, {"weight", std::string(weight)}, {"full_density", 0.2}});
    };
    const PointsPtr few = sown(20, "density");
    const PointsPtr many = sown(30, "density");
    const auto left = static_cast<double>(std::count_if(many->position.values().begin(), many->position.values().end(),
                                                        [](const Vec3& p) { return p.x < -0.5F; }));
    const auto right = static_cast<double>(std::count_if(many->position.values().begin(), many->position.values().end(),
                                                         [](const Vec3& p) { return p.x > 0; }));
    const double box = 8 * 8;  // m² across
    QVERIFY(std::abs(left - 7.5 * box * 15) < 4 * std::sqrt(left));
    QVERIFY(std::abs(right - 8 * box * 30) < 4 * std::sqrt(right));
    std::set<std::uint64_t> ids;
    for (std::size_t i = 0; i < many->count; ++i) ids.insert(many->id[i]);
    for (std::size_t i = 0; i < few->count; ++i) QVERIFY(ids.contains(few->id[i]));
    const PointsPtr alike = sown(30, "alike");
    QVERIFY(std::abs(static_cast<double>(alike->count) - 16 * box * 30) < 4 * std::sqrt(16 * box * 30));
  }

  /// The skin of mist is where it passes its edge, outward is away from it; the mask of density is the density.
  void mistHasASkinAndADepth() {
    ParamMap params = ranged(3, 3, 0.15);
    params["edge"] = 50.0;
    const VolumePtr ball = mistOf(pointsAt({{1, 2, 3}}), params);
    const auto depth = depthOf(ball, {});
    // Half of the density is at half of the radius: 3t² − 2t³ = ½ at t = ½.
    Random random(4);
    for (int i = 0; i < 500; ++i) {
      const Vec3 way = glm::normalize(placeIn({Vec3(-1), Vec3(1)}, random) + 1e-4F);
      const float r = 0.3F + 2 * random.unit();
      const Vec3 p = Vec3(1, 2, 3) + r * way;
      const Depth at = depth->at(p);
      QVERIFY2(within(at.meters, 1.5 - static_cast<double>(r), 0.03), qPrintable(QString::number(at.meters)));
      QVERIFY(glm::dot(at.outward, way) > 0.95F);
      if (std::abs(r - 1.5F) > 0.02F) QCOMPARE(ball->isInside(p), r < 1.5F);
    }
    const auto mesh = meshOf(ball, {0.2F, 0}, {});
    QVERIFY(mesh && within(volumeOf(**mesh), 4.18879 * 3.375, 0, 0.03));
    test::Bench bench;
    const auto mask = bench.run(
        "depth", inputs({{"volume", ball}}),
        {{"of", std::string("density")}, {"density_band", std::vector<double>{0.0, 0.5, 100.0, 100.0}}});
    QVERIFY(mask);
    const PointsPtr asked = pointsAt({{1, 2, 3}, {1, 2, 4.5F}, {9, 9, 9}});
    Array<float> values(3);
    std::get<MaskPtr>(mask->front())->values(*asked, 0, 3, values.data());
    QVERIFY(values[0] > 0.99F && within(values[1], 0.5, 0.02) && values[2] == 0);
    const auto body = makeSolid({published(makeBall(1, 24))}, {}, {});
    QVERIFY(!bench.run("depth", inputs({{"volume", *body}}), {{"of", std::string("density")}}));
  }

  /// Bodies hold mist in or keep it out, exactly for points, to a voxel for the haze.
  void bodiesHoldMistInAndOut() {
    const VolumePtr mist = mistOf(pointsAt({{0, 0, 0}}), ranged(3, 3, 0.1));
    const VolumePtr rock = *makeSolid({moved(published(makeBall(1, 48)), Vec3(0.5F, 0, 0))}, {}, {});
    const VolumePtr other = mistOf(pointsAt({{2, 0, 0}}), ranged(2, 2, 0.17));
    const DensityPtr d = mist->density({});
    const DensityPtr o = other->density({});
    struct Case {
      CombineWay way;
      VolumePtr with;
      std::function<float(const Vec3&)> wanted;
    };
    const auto isIn = [&](const Vec3& p) { return rock->isInside(p); };
    for (const Case& c :
         {Case{CombineWay::Without, rock, [&](const Vec3& p) { return isIn(p) ? 0 : d->at(p); }},
          Case{CombineWay::Common, rock, [&](const Vec3& p) { return isIn(p) ? d->at(p) : 0; }},
          Case{CombineWay::Together, other, [&](const Vec3& p) { return std::max(d->at(p), o->at(p)); }},
          Case{CombineWay::Common, other, [&](const Vec3& p) { return std::min(d->at(p), o->at(p)); }},
          Case{CombineWay::Without, other, [&](const Vec3& p) { return std::max(0.0F, d->at(p) - o->at(p)); }}}) {
      const VolumePtr both = makeCombined({mist, c.with}, c.way, 0.1F);
      QVERIFY(both->hasDensity());
      const DensityPtr mixed = both->density({});
      Random random(6);
      for (int i = 0; i < 3000; ++i) {
        const Vec3 p = placeIn({Vec3(-3), Vec3(4)}, random);
        if (c.with == rock && std::abs(glm::distance(p, Vec3(0.5F, 0, 0)) - 1) < 0.2F) continue;
        QVERIFY2(within(mixed->at(p), c.wanted(p), 0.012),
                 qPrintable(QStringLiteral("%1 of %2").arg(mixed->at(p)).arg(c.wanted(p))));
        if (c.with == rock && both->isInside(p)) QCOMPARE(isIn(p), c.way == CombineWay::Common);
      }
    }
    QVERIFY(!makeCombined({rock, mist}, CombineWay::Without, 0.1F)->hasDensity());
  }

  /// Beer and Lambert: a slab lets exp(−density · way) through, whichever way one looks; two of them the product; what
  /// a cut hides takes nothing; places where light is met are spread as the light is lost.
  void hazeTakesWhatItShould() {
    const auto slab = [](float density) {
      return densityOf(Density::Lattice::ofSize(0.5F), IVec3(-4, 0, -4), IVec3(4, 1, 4),
                       [=](const Vec3&) { return density; });
    };
    const std::vector<DensityPtr> one{slab(0.3F)};
    const std::vector<DensityPtr> two{slab(0.3F), slab(0.2F)};
    const Vec3 eye(0.1F, 10, 0.2F);
    for (const float lean : {0.0F, 0.3F, 0.7F}) {
      const Vec3 way = glm::normalize(Vec3(lean, -1, 0.5F * lean));
      const double thick = 4 / static_cast<double>(-way.y);
      QVERIFY(within(Haze(one).passed(eye, way, 1e4F, nullptr), std::exp(-0.3 * thick), 1e-4));
      QVERIFY(within(Haze(two).passed(eye, way, 1e4F, nullptr), std::exp(-0.5 * thick), 1e-4));
      const Cut cut{{0, 2, 0}, {0, 1, 0}};
      QVERIFY(within(Haze(one).passed(eye, way, 1e4F, &cut), std::exp(-0.15 * thick), 1e-4));
      QCOMPARE(Haze(one).met(eye, way, 5, nullptr, 0.4F).share, 0.0F);  // ends before it
      for (const auto& some : {one, two}) {
        const double sigma = some.size() == 1 ? 0.3 : 0.5;
        std::vector<double> u;
        for (int i = 0; i < 4000; ++i) {
          const Haze::Met met = Haze(some).met(eye, way, 1e4F, nullptr, (static_cast<float>(i) + 0.5F) / 4000);
          QVERIFY(within(met.share, 1 - std::exp(-sigma * thick), 1e-3));
          const double into = static_cast<double>(met.distance) - 6 / static_cast<double>(-way.y);
          u.push_back((1 - std::exp(-sigma * into)) / (1 - std::exp(-sigma * thick)));
        }
        std::sort(u.begin(), u.end());
        for (std::size_t i = 0; i < u.size(); ++i)
          QVERIFY2(std::abs(u[i] - (static_cast<double>(i) + 0.5) / 4000) < 0.06, qPrintable(QString::number(u[i])));
      }
    }
  }

  /// From far away the way through fine mist has an end, and loses what it should, as far as numbers reach there.
  void farEyesSeeAnEnd() {
    const DensityPtr d = densityOf(Density::Lattice::ofSize(0.02F), IVec3(-8), IVec3(8),
                                   [](const Vec3&) { return 0.5F; });
    for (const float far : {300.0F, 3000.0F, 30000.0F})
      for (int i = 0; i < 200; ++i) {
        const Vec3 eye = far * glm::normalize(Vec3(unitFloat(hashOf(static_cast<std::uint64_t>(i), 1)) - 0.5F,
                                                   unitFloat(hashOf(static_cast<std::uint64_t>(i), 2)) - 0.5F,
                                                   unitFloat(hashOf(static_cast<std::uint64_t>(i), 3)) - 0.5F));
        const float sum = d->along(eye, glm::normalize(-eye), 0, 1e6F, 1e9F);  // through the middle
        QVERIFY2(sum > 0.6F && sum < 2.7F, qPrintable(QString::number(sum)));  // a cube of 2.56 m: 1.28 to 2.22
      }
  }

  /// In the picture: mist is bright, throws a shadow, hides what is behind it and not what is before it, and is not
  /// there where it is cut away.
  void hazeIsLitAndThrowsAShadow() {
    PictureInput input;
    Material gray;
    gray.baseColor = {0.2F, 0.2F, 0.2F, 1};
    Surface ground = makePlane(60, 60, 4);
    ground.materials = {gray};
    input.grounds = {std::make_shared<const Surface>(std::move(ground))};
    input.light.sunHeightDeg = 60;
    input.light.sunHeadingDeg = 90;
    const auto bare = PictureScene::build(input, {});
    input.hazes = {mistOf(pointsAt({{0, 6, 0}}), ranged(3, 3, 0.2))->density({})};
    const auto misty = PictureScene::build(input, {}, *bare);
    QVERIFY(bare && misty);
    Camera camera;
    camera.eye = {0, 9, 30};
    camera.target = {0, 3, 0};
    constexpr int kWide = 120;
    constexpr int kHigh = 80;
    const auto picture = [&](const PictureScenePtr& scene, const std::optional<Cut>& cut = {}) {
      return renderPicture(*scene, camera, kWide, kHigh, 16, {}, cut);
    };
    const auto brightness = [&](const Array<std::uint32_t>& pixels, const Vec3& place) {
      const Vec3 at = camera.projected(place, kWide, kHigh);
      int sum = 0;
      for (int y = -1; y <= 1; ++y)
        for (int x = -1; x <= 1; ++x) {
          const std::uint32_t p =
              pixels[static_cast<std::size_t>((static_cast<int>(at.y) + y) * kWide + static_cast<int>(at.x) + x)];
          sum += static_cast<int>((p >> 16 & 255) + (p >> 8 & 255) + (p & 255));
        }
      return sum / 27;
    };
    const auto without = picture(*bare);
    const auto with = picture(*misty);
    const Vec3 middle(0, 6, 0);
    const Vec3 shadow = middle -
                        (*misty)->input().light.sunDirection() * (6 / (*misty)->input().light.sunDirection().y);
    QVERIFY2(brightness(with, middle) > 150, qPrintable(QString::number(brightness(with, middle))));
    QVERIFY(brightness(with, shadow) < brightness(without, shadow) - 15);
    QVERIFY(std::abs(brightness(with, {12, 0, 8}) - brightness(without, {12, 0, 8})) < 6);
    QVERIFY(picture(*misty, Cut{{0, 0, 20}, {0, 1, 0}}) == picture(*bare, Cut{{0, 0, 20}, {0, 1, 0}}));
    // Water mirrors it, where the way back from the water meets it and the way to it does not.
    input.waterLevel = 1;
    const auto wetMist = PictureScene::build(input, {}, *bare);
    input.hazes.clear();
    const auto wet = PictureScene::build(input, {}, *bare);
    camera.eye = {0, 3, 30};
    camera.target = {0, 3, 0};
    const float toImage = 30 * 2.0F /
                          (2.0F + 5.0F);  // where what stands 5 m over the water is mirrored, 2 m under the eye
    const Vec3 mirrored(0, 1, 30 - toImage);
    const auto clear = picture(*wet);
    const auto mistInIt = picture(*wetMist);
    QVERIFY(brightness(mistInIt, mirrored) > brightness(clear, mirrored) + 10);
    QVERIFY(std::abs(brightness(mistInIt, {40, 1, 0}) - brightness(clear, {40, 1, 0})) < 6);  // beside it
    camera.eye = {0, 9, 30};
    input = (*misty)->input();
    // A wall before it hides it.
    Surface wall = transformed(makeBox({8, 8, 0.2F}), Vec3(0, 4, 8), Quat(1, 0, 0, 0), 1);
    wall.materials = {gray};
    input.grounds.push_back(std::make_shared<const Surface>(std::move(wall)));
    const auto walled = PictureScene::build(input, {});
    QVERIFY(brightness(picture(*walled), {0, 5, 8}) < 120);
  }
};

QTEST_GUILESS_MAIN(TestMist)
#include "tst_mist.moc"
