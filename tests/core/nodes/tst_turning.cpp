// One turning rule: a prop's front is its own +Z, a heading is a compass, wherever it is said. Known answers for each
// node that turns, and statistics of what is random.
#include "core/picture/scene.h"
#include "tests/support/support.h"

using namespace arvesk;

namespace {

Vec3 frontOf(const Points& p, std::size_t i) { return p.orientation[i] * Vec3(0, 0, 1); }

PointsPtr standingOn(const Vec3& normal, std::size_t count) {
  Points p = test::randomPoints(count, {10, 10, 10}, 0.1F, 0.1F, 7);
  p.groundNormal = Column<Vec3>(normal);
  return std::make_shared<const Points>(std::move(p));
}

constexpr double kEast = 90;

}  // namespace

class TestTurning : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void eastIsEastEverywhere() {
    test::Bench bench;
    const PointsPtr points = standingOn(kUp, 20);
    const auto looksEast = [&](const PointsPtr& p) {
      for (std::size_t i = 0; i < p->count; ++i)
        if (glm::distance(frontOf(*p, i), Vec3(1, 0, 0)) > 1e-4F) return false;
      return p->count > 0;
    };
    QVERIFY(looksEast(bench.points("orient", test::inputs({{"points", points}}),
                                   {{"heading", std::string("fixed")}, {"heading_angle", kEast}})));
    QVERIFY(looksEast(bench.points("pattern", {}, {{"heading", std::string("fixed")}, {"heading_deg", kEast}})));
    QVERIFY(looksEast(bench.points("pattern", {}, {{"heading", std::string("along")}})));  // a row runs along +X
    QVERIFY(looksEast(bench.points("points-of-surface", test::inputs({{"surface", test::plane(4, 2)}}),
                                   {{"heading", std::string("compass")}, {"heading_angle", kEast}})));
    // From north, a quarter turn clockwise.
    const PointsPtr north = bench.points("orient", test::inputs({{"points", points}}),
                                         {{"heading", std::string("fixed")}});
    QVERIFY(glm::distance(frontOf(*north, 0), Vec3(0, 0, -1)) < 1e-4F);
    QVERIFY(
        looksEast(bench.points("vary", test::inputs({{"points", north}}), {{"turn_y", std::vector<double>{90, 90}}})));
    QVERIFY(looksEast(bench.points("orient", test::inputs({{"points", north}}),
                                   {{"mode", std::string("keep")}, {"spin", std::vector<double>{90, 90}}})));
    QVERIFY(looksEast(bench.points("move-as-one", test::inputs({{"points", north}}), {{"heading", kEast}})));
    // What faces east is in full where the ground looks east.
    const auto facing = bench.run("facing", {}, {{"heading", kEast}, {"band", std::vector<double>{0, 0, 10, 20}}});
    const auto valueOn = [&](const Vec3& normal) {
      return maskValues({}, *std::get<MaskPtr>(facing->front()), *standingOn(normal, 1))[0];
    };
    QCOMPARE(valueOn({1, 0, 0}), 1.0F);
    QCOMPARE(valueOn({-1, 0, 0}), 0.0F);
    // A long box that looks east and dips its front is deep where east is low.
    const auto region = bench.run("region", {},
                                  {{"shape", std::string("box")},
                                   {"extent", std::vector<double>{2, 2, 20}},
                                   {"softness", 0.0},
                                   {"heading", kEast},
                                   {"tilt", std::vector<double>{30, 0, 0}}});
    const auto isIn = [&](const Vec3& place) {
      Points at = *standingOn(kUp, 1);
      at.position = Column<Vec3>(place);
      return maskValues({}, *std::get<MaskPtr>(region->front()), at)[0] > 0.5F;
    };
    const float down = -8 * std::sin(radians(30.0F));
    const float out = 8 * std::cos(radians(30.0F));
    QVERIFY(isIn({out, down, 0}) && isIn({-out, -down, 0}));
    QVERIFY(!isIn({out, -down, 0}) && !isIn({0, down, out}) && !isIn({0, down, -out}));
    PictureLight light;
    light.sunHeadingDeg = static_cast<float>(kEast);
    light.sunHeightDeg = 0;
    QVERIFY(glm::distance(light.sunDirection(), Vec3(1, 0, 0)) < 1e-5F);
  }

  /// Uniform about the own up on level ground, slopes, walls and overhangs: Kolmogorov's distance of the angles, 5 %
  /// point 1.36 / √n, here twice that.
  void aRandomHeadingIsUniformOnEveryWall_data() {
    QTest::addColumn<float>("slope");
    for (const float slope : {0.0F, 30.0F, 90.0F, 120.0F, 180.0F})
      QTest::addRow("%.0f°", static_cast<double>(slope)) << slope;
  }
  void aRandomHeadingIsUniformOnEveryWall() {
    QFETCH(float, slope);
    const Vec3 normal(std::sin(radians(slope)), std::cos(radians(slope)), 0);
    test::Bench bench;
    const PointsPtr p = bench.points("orient", test::inputs({{"points", standingOn(normal, 2000)}}), {{"lean", 100.0}});
    const Vec3 side = std::abs(normal.z) < 0.9F ? glm::normalize(glm::cross(normal, Vec3(0, 0, 1))) : Vec3(1, 0, 0);
    const Vec3 other = glm::cross(normal, side);
    std::vector<double> angles;
    for (std::size_t i = 0; i < p->count; ++i) {
      QVERIFY(glm::distance(p->orientation[i] * kUp, normal) < 1e-3F);
      angles.push_back((std::atan2(static_cast<double>(glm::dot(frontOf(*p, i), other)),
                                   static_cast<double>(glm::dot(frontOf(*p, i), side))) +
                        std::numbers::pi) /
                       (2 * std::numbers::pi));
    }
    std::sort(angles.begin(), angles.end());
    double worst = 0;
    for (std::size_t i = 0; i < angles.size(); ++i)
      worst = std::max(worst,
                       std::abs(angles[i] - (static_cast<double>(i) + 0.5) / static_cast<double>(angles.size())));
    QVERIFY2(worst < 2 * 1.36 / std::sqrt(2000.0), qPrintable(QString::number(worst)));
  }

  /// Each step of a range as often as the others, the ends too; what comes round to the same counts once.
  void stepsAreEquallyLikely() {
    struct Case {
      float from, to, step, period;
      int count;
    };
    for (const Case& c : {Case{0, 360, 90, 360, 4}, Case{-180, 180, 60, 360, 6}, Case{0.5F, 1.5F, 0.25F, 0, 5},
                          Case{10, -10, 5, 0, 5}, Case{0, 100, 30, 360, 4}, Case{0, 720, 90, 360, 8}}) {
      std::map<int, int> seen;
      constexpr int kDraws = 8000;
      for (int i = 0; i < kDraws; ++i)
        ++seen[static_cast<int>(std::lround(
            steppedBetween((static_cast<float>(i) + 0.5F) / kDraws, c.from, c.to, c.step, c.period) * 1000))];
      QCOMPARE(static_cast<int>(seen.size()), c.count);
      for (const auto& [value, times] : seen) QVERIFY(std::abs(times - kDraws / c.count) <= 2);
      for (const float u : {0.0F, 0.99999994F}) {
        const float v = steppedBetween(u, c.from, c.to, c.step, c.period);
        QVERIFY(v >= std::min(c.from, c.to) - 1e-4F && v <= std::max(c.from, c.to) + 1e-4F);
      }
    }
  }

  void varyDoesNothingUntilAsked() {
    test::Bench bench;
    const PointsPtr points = standingOn(kUp, 50);
    QVERIFY(!findDifference(*bench.points("vary", test::inputs({{"points", points}})), *points));
  }

  /// On a mirrored placement the front of what grows there is where the mirrored mesh has it.
  void turnsAreRightOnMirroredSizes() {
    auto mesh = std::make_shared<Surface>(makeBox({1, 1, 1}));
    mesh->nodes.push_back(
        {"mount_a", -1, {0.2F, 1, 0.3F}, turnAbout(glm::normalize(Vec3(0.4F, 1, 0.2F)), 0.7F), Vec3(1)});
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({makeProp("crate", "crate", mesh), 1});
    for (const Vec3& size : {Vec3(-1, 1, 1), Vec3(1, 1, -2), Vec3(0.5F, 2, 1), Vec3(-1, -1, -1)}) {
      Points one = test::randomPoints(1, Vec3(0), 0.1F, 0.1F, 1);
      one.kit = kit;
      one.prop = Column<std::int32_t>(0);
      one.size = Column<Vec3>(size);
      one.orientation = Column<Quat>(turnAbout(glm::normalize(Vec3(0.2F, 1, -0.3F)), 1.1F));
      test::Bench bench;
      const PointsPtr p = bench.points("on-props", test::inputs({{"points", std::make_shared<const Points>(one)}}),
                                       {{"at", std::string("mounts")}});
      QCOMPARE(p->count, std::size_t{1});
      const SceneNode& mount = mesh->nodes.front();
      // The mesh's own directions under the placement's transform: the up of a plane goes by the inverse.
      const Vec3 front = one.orientation[0] * (size * (mount.turn * Vec3(0, 0, 1)));
      const Vec3 up = glm::normalize(one.orientation[0] * ((mount.turn * kUp) / size));
      QVERIFY(glm::distance(p->orientation[0] * kUp, up) < 1e-3F);
      const Vec3 flat = glm::normalize(front - up * glm::dot(front, up));
      QVERIFY(glm::distance(frontOf(*p, 0), flat) < 1e-3F);
      QVERIFY(glm::distance(p->position[0], one.position[0] + one.orientation[0] * (size * mount.position)) < 1e-4F);
    }
  }

  /// What is asked in world meters holds on props of any size, uneven ones too.
  void spacingHoldsOnUnevenSizes() {
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({makeProp("ball", "ball", std::make_shared<const Surface>(makeBall(1, 24))), 1});
    Points many = test::randomPoints(12, {100, 0, 100}, 0.1F, 0.1F, 3);
    many.kit = kit;
    many.prop = Column<std::int32_t>(0);
    Array<Vec3> size;
    for (std::size_t i = 0; i < many.count; ++i)
      size.push_back(Vec3(0.4F + 1.3F * unitFloat(mix64(i)), 0.4F + 1.3F * unitFloat(mix64(i + 50)),
                          0.4F + 1.3F * unitFloat(mix64(i + 90))));
    many.size = std::move(size);
    test::Bench bench;
    const PointsPtr p = bench.points("on-props", test::inputs({{"points", std::make_shared<const Points>(many)}}),
                                     {{"spacing", 0.12}});
    const auto& parent = *columnOf<Column<std::uint64_t>>(p->attributes, "parent");
    QVERIFY(p->count > 5000);
    float least = 1;
    for (std::size_t i = 0; i < p->count; ++i)
      for (std::size_t k = 0; k < i; ++k)
        if (parent[i] == parent[k]) least = std::min(least, glm::distance(p->position[i], p->position[k]));
    QVERIFY2(least >= 0.12F - 1e-5F, qPrintable(QString::number(static_cast<double>(least))));
  }
};

QTEST_GUILESS_MAIN(TestTurning)
#include "tst_turning.moc"
