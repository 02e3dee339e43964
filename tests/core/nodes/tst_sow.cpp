// Sow on surface: counts, spacing, coverage, totals, areas.
#include "core/nodes/scatter/candidate_counts.h"
#include "core/spatial/point_grid.h"
#include "core/spatial/surface_index.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;
using test::within;

namespace {

ParamMap even(double spacing) { return {{"way", std::string("even")}, {"spacing", spacing}}; }

float leastDistance(const Points& p, float reach) {
  Array<PointGrid::Entry> entries;
  for (std::size_t i = 0; i < p.count; ++i) entries.push_back({p.position[i], 0, static_cast<std::uint32_t>(i)});
  const PointGrid grid(entries, reach);
  float least = reach;
  for (const PointGrid::Entry& e : entries)
    grid.near(e.position, reach, [&](const PointGrid::Entry& o) {
      if (o.index != e.index) least = std::min(least, glm::distance(o.position, e.position));
      return false;
    });
  return least;
}

std::set<std::uint64_t> ids(const Points& p) {
  std::set<std::uint64_t> out;
  for (std::size_t i = 0; i < p.count; ++i) out.insert(p.id[i]);
  return out;
}

/// 1 on crooked ridges 0.4 m wide, 3 m apart, and `between` elsewhere.
class Ridges final : public Mask {
 public:
  explicit Ridges(float between) : m_between(between) {}
  static bool isOn(const Vec3& p) {
    const float along = p.x + 0.8F * std::sin(p.z);
    return std::abs(along - 3 * std::round(along / 3)) < 0.2F;
  }
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) out[i - begin] = isOn(at.position[i]) ? 1 : m_between;
  }
  bool isOfPlaceAlone() const override { return true; }
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }

 private:
  float m_between;
};

}  // namespace

class TestSow : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// What the surface says of a place goes along with its point, exactly as it lies there; what it does not say is
  /// told.
  void pointsCarryWhatTheSurfaceSays() {
    Surface ground = *test::hills(30, 20, 6);
    Array<float> east(ground.positions.size());
    for (std::size_t i = 0; i < east.size(); ++i) {
      east[i] = 2 * ground.positions[i].x + 1;
      ground.colors.edit().push_back(Vec4(0.1F * ground.positions[i].z, 0, 0, 1));
    }
    ground.vertexAttributes.insert_or_assign("east", Column<float>(std::move(east)));
    ground.parts = {"low", "high"};
    for (std::size_t f = 0; f < ground.faceCount(); ++f) ground.faceParts.edit().push_back(f % 3 == 0 ? 1 : 0);
    const SurfacePtr surface = std::make_shared<const Surface>(ground);
    test::Bench bench;
    const PointsPtr plain = bench.points("sow-on-surface", test::inputs({{"surface", surface}}));
    QVERIFY(plain->attributes.empty());
    const PointsPtr p = bench.points("sow-on-surface", test::inputs({{"surface", surface}}),
                                     {{"carries", std::string("e*; color; part")}});
    QVERIFY(bench.warnings.empty() && p->count > 100);
    const auto* number = columnOf<Column<float>>(p->attributes, "east");
    const auto* color = columnOf<Column<Vec3>>(p->attributes, "color");
    const auto* part = columnOf<TextColumn>(p->attributes, "part");
    QVERIFY(number && color && part);
    for (std::size_t i = 0; i < p->count; ++i) {
      QVERIFY(test::within(static_cast<double>((*number)[i]), static_cast<double>(2 * p->position[i].x + 1), 1e-3));
      QVERIFY(test::within(static_cast<double>((*color)[i].x), static_cast<double>(0.1F * p->position[i].z), 1e-4));
      QCOMPARE(part->at(i), std::string(p->groundFace[i] % 3 == 0 ? "high" : "low"));
      QVERIFY(p->position[i] == plain->position[i]);
    }
    bench.points("sow-on-surface", test::inputs({{"surface", surface}}), {{"carries", std::string("wet")}});
    QCOMPARE(bench.warnings.size(), 1U);
    QVERIFY(bench.warnings.front().advice.find("east") != std::string::npos);
  }

  void freeGivesTheDensityAndIsUniform() {
    test::Bench bench;
    const PointsPtr p = bench.points("sow-on-surface", test::inputs({{"surface", test::plane(20, 37)}}),
                                     {{"density", 100.0}});
    // Counts per face are rounded by a fixed draw, so the total varies less than a Poisson count would.
    QVERIFY(within(static_cast<double>(p->count), 40000, 5 * std::sqrt(40000)));
    std::array<int, 64> cells{};
    for (std::size_t i = 0; i < p->count; ++i)
      ++cells[static_cast<std::size_t>((p->position[i].x + 10) / 2.5F) * 8 +
              static_cast<std::size_t>((p->position[i].z + 10) / 2.5F)];
    double chiSquare = 0;
    const double expected = static_cast<double>(p->count) / 64;
    for (const int n : cells) chiSquare += (n - expected) * (n - expected) / expected;
    QVERIFY2(chiSquare < 117,
             "chi-square with 63 degrees of freedom, 0.005 % point about 117 (Wilson and Hilferty 1931)");
  }

  /// The vectorized loop gives every face the count of the plain sum, whatever the length and with keys or without.
  void candidatesAreCountedAlikeInEveryWay() {
    const Draw draw(3, 1, 4, "place");
    for (const std::size_t n : {std::size_t{1}, std::size_t{7}, std::size_t{64}, std::size_t{4099}}) {
      std::vector<float> areas(n);
      std::vector<std::uint64_t> keys(n);
      for (std::size_t i = 0; i < n; ++i) {
        areas[i] = i % 5 == 0 ? 0.0F : unitFloat(mix64(i)) * (i % 11 == 0 ? 400.0F : 0.02F);
        keys[i] = mix64(i);
      }
      for (const bool hasKeys : {false, true}) {
        std::vector<std::uint32_t> counts(n);
        const std::size_t total = countCandidates(areas.data(), hasKeys ? keys.data() : nullptr, 1000, n, 37.5, draw,
                                                  counts.data());
        std::size_t sum = 0;
        for (std::size_t i = 0; i < n; ++i) {
          const std::uint64_t key = hasKeys ? keys[i] : 1000 + i;
          QCOMPARE(counts[i], static_cast<std::uint32_t>(
                                  std::floor(static_cast<double>(areas[i]) * 37.5 + unitDouble(draw.bits(key)))));
          sum += counts[i];
        }
        QCOMPARE(total, sum);
      }
    }
  }

  void pointsLieOnTheSurfaceAndKnowTheirGround() {
    test::Bench bench;
    const SurfacePtr ground = test::hills(30, 30, 9);
    for (const ParamMap& params : {ParamMap{{"density", 5.0}}, even(0.7)}) {
      const PointsPtr p = bench.points("sow-on-surface", test::inputs({{"surface", ground}}), params);
      QVERIFY(p->count > 500);
      for (std::size_t i = 0; i < p->count; ++i) {
        const std::uint32_t face = p->groundFace[i];
        const UVec3 t = ground->triangles[face];
        QVERIFY(std::abs(glm::dot(p->position[i] - ground->positions[t.x], ground->faceNormal(face))) < 1e-4F);
        QVERIFY(within(static_cast<double>(glm::length(p->groundNormal[i])), 1, 1e-4));
      }
    }
  }

  void areaFromAboveIgnoresSteepnessAndUndersides() {
    test::Bench bench;
    const SurfacePtr steep = test::leaning(20, 60);
    const PointsPtr skin = bench.points("sow-on-surface", test::inputs({{"surface", steep}}), {{"density", 50.0}});
    const PointsPtr above = bench.points("sow-on-surface", test::inputs({{"surface", steep}}),
                                         {{"density", 50.0}, {"area", std::string("above")}});
    QVERIFY(within(static_cast<double>(above->count) / static_cast<double>(skin->count), 0.5, 0.01));  // cos 60°
    const SurfacePtr ball = std::make_shared<const Surface>(makeBall(3, 40));
    const PointsPtr top = bench.points("sow-on-surface", test::inputs({{"surface", ball}}),
                                       {{"density", 2000.0}, {"area", std::string("above")}});
    for (std::size_t i = 0; i < top->count; ++i) QVERIFY(top->position[i].y > -1e-3F);
    QVERIFY(within(static_cast<double>(top->count), 2000 * M_PI * 9, 0, 0.03));
  }

  void totalIsExactAfterWhereAndNests() {
    test::Bench bench;
    std::set<std::uint64_t> before;
    for (const double total : {1.0, 500.0, 501.0, 4000.0}) {
      const PointsPtr p = bench.points(
          "sow-on-surface", test::inputs({{"surface", test::hills(30, 30, 9)}, {"where", test::rampMask(-5)}}),
          {{"amount", std::string("total")}, {"total", total}});
      QCOMPARE(static_cast<double>(p->count), total);
      const std::set<std::uint64_t> now = ids(*p);
      QVERIFY(std::includes(now.begin(), now.end(), before.begin(), before.end()));
      for (std::size_t i = 0; i < p->count; ++i) QVERIFY(p->position[i].x < -4.4F);  // where the mask is above 0
      before = now;
    }
  }

  void movingTheLimitOfWhereOnlyChangesPointsThatCrossIt() {
    test::Bench bench;
    for (const ParamMap& params : {ParamMap{{"density", 20.0}}, even(0.5)}) {
      const PointsPtr a = bench.points(
          "sow-on-surface", test::inputs({{"surface", test::plane(20, 10)}, {"where", test::rampMask(0)}}), params);
      const PointsPtr b = bench.points(
          "sow-on-surface", test::inputs({{"surface", test::plane(20, 10)}, {"where", test::rampMask(3)}}), params);
      const auto ia = ids(*a);
      const auto ib = ids(*b);
      QVERIFY(std::includes(ib.begin(), ib.end(), ia.begin(), ia.end()));
      for (std::size_t i = 0; i < b->count; ++i) QVERIFY(ia.contains(b->id[i]) || b->position[i].x > -0.6F);
    }
  }

  // Random sequential packing of equal disks ends at a covered share of 0.547 (Feder 1980; Torquato, "Random
  // Heterogeneous Materials", 2002, table 3.8). Disks have the spacing as diameter; the rim of half a spacing counts as
  // area of the square.
  void evenFillsAFlatSquare_data() {
    QTest::addColumn<int>("divisions");
    QTest::addColumn<double>("spacing");
    QTest::newRow("faces much larger than the spacing") << 2 << 0.1;
    QTest::newRow("faces about as large") << 100 << 0.1;
    QTest::newRow("faces much smaller") << 300 << 0.4;
  }
  void evenFillsAFlatSquare() {
    QFETCH(int, divisions);
    QFETCH(double, spacing);
    test::Bench bench;
    const double extent = spacing * 120;
    const PointsPtr p = bench.points("sow-on-surface",
                                     test::inputs({{"surface", test::plane(static_cast<float>(extent), divisions)}}),
                                     even(spacing));
    QVERIFY(static_cast<double>(leastDistance(*p, static_cast<float>(spacing) * 1.5F)) >= spacing * 0.99999);
    const double rimmed = (extent + spacing * 0.5) * (extent + spacing * 0.5);  // disks may stand on the rim
    const double covered = static_cast<double>(p->count) * M_PI * spacing * spacing / 4 / rimmed;
    qInfo("covered %.4f", covered);
    QVERIFY(covered >= 0.53);
    QVERIFY2(covered < 0.56, "more than random packing can hold means that points overlap");
  }

  /// Filled inside of "where": a row on every ridge without a gap, and nothing beside it. Thinned afterwards it has
  /// gaps, which is what it is for.
  void evenFillsWhatWhereLeaves() {
    constexpr float kSpacing = 0.5F;
    const SurfacePtr ground = test::hills(30, 40, 1);
    const auto sownWith = [&](const char* how, float between) {
      test::Bench bench;
      Inputs in = test::inputs({{"surface", ground}});
      in.links["where"].push_back({MaskPtr(std::make_shared<const Ridges>(between)), 7});
      ParamMap params = even(kSpacing);
      params["even_where"] = std::string(how);
      return bench.points("sow-on-surface", in, params);
    };
    test::Bench bench;
    const PointsPtr asked = bench.points("sow-on-surface", test::inputs({{"surface", ground}}), {{"density", 40.0}});
    const auto farthest = [&](const Points& p) {
      Array<PointGrid::Entry> entries;
      for (std::size_t i = 0; i < p.count; ++i) entries.push_back({p.position[i], 0, 0});
      const PointGrid grid(entries, 1);
      float most = 0;
      for (std::size_t i = 0; i < asked->count; ++i) {
        if (!Ridges::isOn(asked->position[i])) continue;
        float least = 3;
        grid.near(asked->position[i], 3, [&](const PointGrid::Entry& e) {
          least = std::min(least, glm::distance(e.position, asked->position[i]));
          return false;
        });
        most = std::max(most, least);
      }
      return most;
    };
    const PointsPtr filled = sownWith("fills", 0.3F);
    QVERIFY(filled->count > 300);
    for (std::size_t i = 0; i < filled->count; ++i) QVERIFY(Ridges::isOn(filled->position[i]));
    QVERIFY(leastDistance(*filled, 1) >= kSpacing * 0.999F);
    QVERIFY2(farthest(*filled) < 1.06F * kSpacing, qPrintable(QString::number(static_cast<double>(farthest(*filled)))));
    QVERIFY(farthest(*sownWith("thins", 0)) > 1.5F * kSpacing);
    // Wider apart: as many per area as it says, a quarter of those on the ridges; none below a sixteenth.
    const PointsPtr wider = sownWith("widens", 0.25F);
    const auto onRidges = [](const Points& p) {
      std::size_t n = 0;
      for (std::size_t i = 0; i < p.count; ++i) n += Ridges::isOn(p.position[i]);
      return static_cast<double>(n);
    };
    const double share = onRidges(*asked) / static_cast<double>(asked->count);  // of the area
    const auto all = static_cast<double>(wider->count);
    const double beside = (all - onRidges(*wider)) / (1 - share);
    const double plain = static_cast<double>(sownWith("fills", 1)->count);
    QVERIFY2(within(beside / plain, 0.25, 0.04), qPrintable(QString::number(beside / plain)));
    QCOMPARE(static_cast<double>(sownWith("widens", 0.05F)->count), onRidges(*sownWith("widens", 0.05F)));
    QVERIFY(sownWith("fills", 0)->count == filled->count && sownWith("fills", 1)->count > 4 * filled->count);
  }

  void evenKeepsItsSpacingOnHillsAndBetweenTwoValues() {
    test::Bench bench;
    const SurfacePtr ground = test::hills(60, 30, 1);
    const PointsPtr p = bench.points("sow-on-surface", test::inputs({{"surface", ground}}), even(0.35));
    QVERIFY(leastDistance(*p, 1) >= 0.34999F);
    const MaskPtr mask = test::rampMask(0);
    const PointsPtr v = bench.points("sow-on-surface", test::inputs({{"surface", ground}, {"spacing", mask}}),
                                     {{"way", std::string("even")},
                                      {"spacing_by", std::string("mask")},
                                      {"spacings", std::vector<double>{1.2, 0.4}}});
    const Array<float> m = maskValues({}, *mask, *v);
    std::size_t dense = 0;
    for (std::size_t i = 0; i < v->count; ++i) {
      dense += m[i] == 1;
      for (std::size_t k = i + 1; k < v->count; ++k) {
        const float least = 0.5F * ((1.2F - 0.8F * m[i]) + (1.2F - 0.8F * m[k]));
        QVERIFY(glm::distance(v->position[i], v->position[k]) >= least * 0.9999F);
      }
    }
    QVERIFY2(static_cast<double>(dense) > 5 * static_cast<double>(v->count - dense),
             "nine times as dense where the spacing is a third");
  }

  void tooManyIsSaidBeforeMemoryIsTaken() {
    test::Bench bench;
    bench.ctx.limits.points = 10'000;
    for (const ParamMap& params :
         {ParamMap{{"density", 1000.0}}, even(0.01), ParamMap{{"amount", std::string("total")}, {"total", 20000.0}}}) {
      const auto out = bench.run("sow-on-surface", test::inputs({{"surface", test::plane(20, 4)}}), params);
      QVERIFY(!out);
      QCOMPARE(out.error().code, ProblemCode::TooMany);
      QVERIFY(!out.error().advice.empty());
    }
    // A "where" that keeps nothing must end, with a word about it.
    const auto none = bench.run("sow-on-surface",
                                test::inputs({{"surface", test::plane(20, 4)}, {"where", test::rampMask(-100)}}),
                                {{"amount", std::string("total")}, {"total", 10.0}});
    QCOMPARE(none.error().code, ProblemCode::TooMany);
  }

  void anotherSeedGivesAnotherPictureOfTheSameDensity() {
    test::Bench bench;
    const auto in = test::inputs({{"surface", test::plane(20, 10)}});
    const PointsPtr a = bench.points("sow-on-surface", in, {{"density", 20.0}});
    bench.ctx.planSeed = 2;
    const PointsPtr b = bench.points("sow-on-surface", in, {{"density", 20.0}});
    QVERIFY(findDifference(*a, *b));
    QVERIFY(within(static_cast<double>(b->count), static_cast<double>(a->count), 0, 0.05));
  }
};

QTEST_GUILESS_MAIN(TestSow)
#include "tst_sow.moc"
