// Exact meanings of the nodes beside Sow and the contract: grounds, filters, adjustments, dressing, merging.
#include "tests/support/support.h"

#include <set>

using namespace arvesk;
using test::within;

namespace {

PointsPtr sown(const SurfacePtr& ground, double density = 4) {
  test::Bench bench;
  return bench.points("sow-on-surface", test::inputs({{"surface", ground}}), {{"density", density}});
}

}  // namespace

class TestNodes : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void terrainHasTheSizeAndHeightsAsked() {
    test::Bench bench;
    const auto out = bench.run(
        "terrain", {},
        {{"file", std::string("tern-cove-height.png")}, {"width", 160.0}, {"lowest", -4.0}, {"highest", 22.0}});
    QVERIFY2(out, out ? "" : toLine(out.error()).c_str());
    const Surface& s = *std::get<SurfacePtr>(out->front());
    QCOMPARE(s.positions.size(), std::size_t{1025 * 1025});
    QCOMPARE(s.faceCount(), std::size_t{2 * 1024 * 1024});
    QVERIFY(within(static_cast<double>(s.bounds().extent().x), 160, 1e-3));
    QVERIFY(s.bounds().min.y >= -4 && s.bounds().max.y <= 22 && s.bounds().extent().y > 10);
    QVERIFY(bench.warnings.empty());
    (void)bench.run("terrain", {}, {{"file", std::string("tern-cove-wet.png")}, {"highest", 20.0}});
    QCOMPARE(bench.warnings.size(), std::size_t{1});
    QCOMPARE(bench.warnings.front().message, std::string("tern-cove-wet.png is 8-bit; heights will step by 0.08 m"));
    QCOMPARE(bench.run("terrain", {}, {{"file", std::string("gone.png")}}).error().code, ProblemCode::FileMissing);
  }

  void groundIsMovedTurnedAndSized() {
    test::Bench bench;
    const auto out = bench.run("shape", {},
                               {{"form", std::string("box")},
                                {"extent", std::vector<double>{2, 4, 6}},
                                {"move", std::vector<double>{10, 0, 0}},
                                {"turn", std::vector<double>{0, 90, 0}},
                                {"size", 0.5}});
    const Box3 box = std::get<SurfacePtr>(out->front())->bounds();
    QVERIFY(glm::length(box.extent() - Vec3(3, 2, 1)) < 1e-4F);
    QVERIFY(glm::length(box.center() - Vec3(10, 1, 0)) < 1e-4F);
  }

  void keepBySlopeByLimitAndByChance() {
    test::Bench bench;
    const PointsPtr p = sown(test::hills(80, 40, 6), 10);
    const Band band{5, 10, 15, 25};
    const std::vector<double> numbers{5, 10, 15, 25};
    for (const std::string keep : {"limit", "chance"}) {
      const auto out = bench.run("keep-by-slope", test::inputs({{"points", p}}), {{"slope", numbers}, {"keep", keep}});
      double kept = 0;
      double expected = 0;
      double variance = 0;
      const Points& inside = *std::get<PointsPtr>(out->front());
      std::set<std::uint64_t> ids;
      for (std::size_t i = 0; i < inside.count; ++i) ids.insert(inside.id[i]);
      for (std::size_t i = 0; i < p->count; ++i) {
        const float slope = degrees(angleBetween(p->groundNormal[i], kUp));
        if (keep == "limit") QCOMPARE(ids.contains(p->id[i]), band.holds(slope));
        const double w = static_cast<double>(band.weight(slope));
        if (w == 0) QVERIFY(!ids.contains(p->id[i]));
        if (w == 1) QVERIFY(ids.contains(p->id[i]));
        expected += w;
        variance += w * (1 - w);
        kept += ids.contains(p->id[i]);
      }
      if (keep == "chance")
        QVERIFY(within(kept, expected, 5 * std::sqrt(variance)));  // five standard deviations of a sum of coins
      QVERIFY(bench.histogram && bench.histogram->keptCount == inside.count);
    }
  }

  void keepByMaskFollowsItsLimits() {
    test::Bench bench;
    const PointsPtr p = sown(test::plane(20, 8));
    const MaskPtr mask = test::rampMask(2);
    const auto out = bench.run("keep-by-mask", test::inputs({{"points", p}, {"mask", mask}}),
                               {{"limit", std::vector<double>{0.25, 0.75}}});
    const Array<float> kept = maskValues({}, *mask, *std::get<PointsPtr>((*out)[0]));
    const Array<float> left = maskValues({}, *mask, *std::get<PointsPtr>((*out)[1]));
    QVERIFY(!kept.empty() && !left.empty());
    for (const float v : kept) QVERIFY(v >= 0.25F && v <= 0.75F);
    for (const float v : left) QVERIFY(v < 0.25F || v > 0.75F);
  }

  void independentFiltersCommute() {
    test::Bench a;
    test::Bench b;
    b.ctx.nodeUid = hashText("other");
    const PointsPtr p = sown(test::hills(60, 40, 6));
    const MaskPtr mask = test::rampMask(3);
    const auto slope = [&](const PointsPtr& in) { return a.points("keep-by-slope", test::inputs({{"points", in}})); };
    const auto byMask = [&](const PointsPtr& in) {
      return b.points("keep-by-mask", test::inputs({{"points", in}, {"mask", mask}}),
                      {{"keep", std::string("chance")}});
    };
    const auto difference = findDifference(*slope(byMask(p)), *byMask(slope(p)));
    QVERIFY2(!difference, difference ? difference->c_str() : "");
  }

  void whoStaysInClearance_data() {
    QTest::addColumn<QString>("stays");
    QTest::addColumn<quint64>("expected");
    QTest::newRow("the larger") << "larger" << quint64{2};
    QTest::newRow("the smaller") << "smaller" << quint64{1};
    QTest::newRow("earlier in order") << "earlier" << quint64{1};
    QTest::newRow("by priority mask") << "mask" << quint64{1};  // the ramp is higher at smaller x
  }
  void whoStaysInClearance() {
    QFETCH(QString, stays);
    QFETCH(quint64, expected);
    Points p;
    p.count = 2;
    p.position = Array<Vec3>{{0, 0, 0}, {0.4F, 0, 0}};
    p.id = Array<std::uint64_t>{1, 2};
    p.footprint = Array<float>{0.2F, 0.3F};
    test::Bench bench;
    const PointsPtr out = bench.points(
        "clearance", test::inputs({{"points", std::make_shared<const Points>(p)}, {"priority", test::rampMask(0)}}),
        {{"stays", stays.toStdString()}});
    QCOMPARE(out->count, std::size_t{1});
    QCOMPARE(out->id[0], expected);
  }

  void clearanceUsesTheEffectiveFootprint() {
    Points p;
    p.count = 2;
    p.position = Array<Vec3>{{0, 0, 0}, {1.5F, 0, 0}};
    p.id = Array<std::uint64_t>{1, 2};
    p.footprint = Column<float>(0.5F);
    p.size = Array<Vec3>{{1, 9, 1}, {0.5F, 1, 2.1F}};  // 0.5 m and 1.05 m: the larger of x and z counts, y does not
    test::Bench bench;
    QCOMPARE(bench.points("clearance", test::inputs({{"points", std::make_shared<const Points>(p)}}))->count,
             std::size_t{1});
    QCOMPARE(
        bench.points("clearance", test::inputs({{"points", std::make_shared<const Points>(p)}}), {{"factor", 0.9}})
            ->count,
        std::size_t{2});
  }

  void setDownEndsOnTheGroundAndSinks() {
    const SurfacePtr ground = test::hills(60, 40, 6);
    Points p = test::randomPoints(3000, {36, 20, 36}, 0.1F, 0.3F, 4);
    Array<Vec3> position = p.position.copied(p.count);
    for (Vec3& v : position) v -= Vec3(18, 10, 18);
    p.position = std::move(position);
    const auto in = test::inputs({{"points", std::make_shared<const Points>(p)}, {"ground", ground}});
    test::Bench bench;
    for (const std::string way : {"nearest-along", "topmost-along", "nearest-place"}) {
      const PointsPtr out = bench.points("set-down", in, {{"way", way}, {"sink", 0.25}});
      QCOMPARE(out->count, p.count);
      for (std::size_t i = 0; i < out->count; ++i) {
        const UVec3 t = ground->triangles[out->groundFace[i]];
        const Vec3 flat = ground->faceNormal(out->groundFace[i]);
        const float above = glm::dot(out->position[i] - ground->positions[t.x], flat);
        if (way != "nearest-place") {
          QVERIFY(within(static_cast<double>(out->position[i].x), static_cast<double>(p.position[i].x), 1e-5));
          QVERIFY(within(static_cast<double>(above), -0.25 * static_cast<double>(flat.y), 2e-3));
        }
        QCOMPARE(out->orientation[i], p.orientation[i]);
      }
    }
    // Half the amount goes half the way; out of reach is left out, or kept where it was.
    const PointsPtr half = bench.points("set-down", in, {{"amount", 50.0}});
    const PointsPtr all = bench.points("set-down", in);
    for (std::size_t i = 0; i < half->count; ++i)
      QVERIFY(within(static_cast<double>(half->position[i].y),
                     0.5 * static_cast<double>(p.position[i].y + all->position[i].y), 1e-4));
    const auto near = bench.run("set-down", in, {{"reach", 0.5}});
    QVERIFY(std::get<PointsPtr>((*near)[1])->count > 0);
    QCOMPARE(std::get<PointsPtr>((*near)[0])->count + std::get<PointsPtr>((*near)[1])->count, p.count);
    QCOMPARE(bench.points("set-down", in, {{"reach", 0.5}, {"misses", std::string("kept")}})->count, p.count);
  }

  void orientLeansTurnsAndFaces() {
    test::Bench bench;
    const SurfacePtr slope = test::leaning(20, 30);  // falls toward −X
    const PointsPtr p = sown(slope);
    const auto in = test::inputs({{"points", p}, {"ground", slope}});
    const PointsPtr half = bench.points("orient", in, {{"lean", 50.0}, {"heading", std::string("downhill")}});
    for (std::size_t i = 0; i < half->count; ++i) {
      QVERIFY(within(static_cast<double>(degrees(angleBetween(half->orientation[i] * kUp, kUp))), 15, 0.05));
      const Vec3 ahead = half->orientation[i] * Vec3(0, 0, 1);
      QVERIFY(ahead.x < -0.9F && std::abs(ahead.z) < 1e-3F);
    }
    const PointsPtr quarter = bench.points("orient", in, {{"heading", std::string("random")}, {"step", 90.0}});
    std::set<int> headings;
    for (std::size_t i = 0; i < quarter->count; ++i) {
      const Vec3 ahead = quarter->orientation[i] * Vec3(0, 0, 1);
      const float deg = degrees(std::atan2(ahead.x, ahead.z));
      QVERIFY(std::abs(deg - std::round(deg / 90) * 90) < 0.05F);
      headings.insert(static_cast<int>(std::lround(deg / 90) & 3));
    }
    QCOMPARE(headings.size(), std::size_t{4});
    const PointsPtr flipped = bench.points("orient", in, {{"heading", std::string("fixed")}, {"flip_share", 30.0}});
    std::size_t down = 0;
    for (std::size_t i = 0; i < flipped->count; ++i) down += (flipped->orientation[i] * kUp).y < 0;
    QVERIFY(within(static_cast<double>(down) / static_cast<double>(p->count), 0.3,
                   5 * std::sqrt(0.21 / static_cast<double>(p->count))));
    // Any way round: the mean of all up vectors is near 0.
    const PointsPtr any = bench.points("orient", in, {{"mode", std::string("any-way")}});
    Vec3 sum(0);
    for (std::size_t i = 0; i < any->count; ++i) sum += any->orientation[i] * kUp;
    QVERIFY(glm::length(sum) / static_cast<float>(any->count) < 5 / std::sqrt(static_cast<float>(any->count)));
  }

  void amountsScaleDrawsAndNeverDrawAgain() {
    test::Bench bench;
    const auto in = test::inputs({{"points", sown(test::plane(10, 4))}});
    const ParamMap params{{"move_x", std::vector<double>{-2, 2}}, {"size", std::vector<double>{0.5, 1.5}}};
    ParamMap halfParams = params;
    halfParams["amount"] = 50.0;
    const PointsPtr none = std::get<PointsPtr>(in.links.at("points").front().value);
    const PointsPtr full = bench.points("vary", in, params);
    const PointsPtr half = bench.points("vary", in, halfParams);
    for (std::size_t i = 0; i < full->count; ++i) {
      QVERIFY(within(static_cast<double>(half->position[i].x - none->position[i].x),
                     0.5 * static_cast<double>(full->position[i].x - none->position[i].x), 1e-4));
      QVERIFY(within(static_cast<double>(half->size[i].x - 1), 0.5 * static_cast<double>(full->size[i].x - 1), 1e-5));
      QVERIFY(full->size[i].x >= 0.5F && full->size[i].x <= 1.5F);
    }
  }

  void dressFollowsWeightsAndDoesNotReshuffle() {
    test::Bench bench;
    const PointsPtr p = sown(test::plane(60, 20), 8);
    const auto dressed = [&](std::vector<float> weights) {
      auto kit = std::make_shared<Kit>();
      for (std::size_t k = 0; k < weights.size(); ++k)
        if (weights[k] >= 0) kit->entries.push_back({bench.props[k], weights[k]});
      return bench.points("dress", test::inputs({{"points", p}, {"kit", KitPtr(kit)}}));
    };
    const auto nameOf = [](const Points& q, std::size_t i) {
      return q.kit->entries[static_cast<std::size_t>(q.prop[i])].prop->uid;
    };
    const PointsPtr all = dressed({1, 2, 5});
    std::map<std::string, double> counts;
    for (std::size_t i = 0; i < p->count; ++i) ++counts[nameOf(*all, i)];
    const double n = static_cast<double>(p->count);
    QVERIFY(within(counts["crate"] / n, 1.0 / 8, 5 * std::sqrt(0.11 / n)));
    QVERIFY(within(counts["float"] / n, 2.0 / 8, 5 * std::sqrt(0.19 / n)));
    QVERIFY(within(counts["mat"] / n, 5.0 / 8, 5 * std::sqrt(0.24 / n)));
    const PointsPtr without = dressed({1, -1, 5});
    const PointsPtr heavier = dressed({1, 3, 5});
    for (std::size_t i = 0; i < p->count; ++i) {
      if (nameOf(*all, i) != "float")
        QCOMPARE(nameOf(*without, i), nameOf(*all, i));  // removing one moves only its own
      if (nameOf(*heavier, i) != nameOf(*all, i))
        QCOMPARE(nameOf(*heavier, i), std::string("float"));  // more weight only takes
    }
  }

  void dressGivesFootprintAndCommonHeight() {
    test::Bench bench;
    const auto in = test::inputs({{"points", sown(test::plane(10, 4))}, {"kit", test::someKit()}});
    const PointsPtr p = bench.points("dress", in, {{"common_height", std::string("meters")}, {"height", 2.0}});
    for (std::size_t i = 0; i < p->count; ++i) {
      const Prop& prop = *p->kit->entries[static_cast<std::size_t>(p->prop[i])].prop;
      QCOMPARE(p->footprint[i], prop.footprint);
      if (prop.uid != "mat")
        QVERIFY(within(static_cast<double>(prop.height * p->size[i].y), 2, 1e-5));
      else
        QCOMPARE(p->size[i].y, 1.0F);  // no height to scale, and it is said
    }
    QCOMPARE(bench.warnings.size(), std::size_t{1});
    QVERIFY(within(static_cast<double>(bench.props[0]->footprint), std::sqrt(0.5),
                   1e-6));  // half the diagonal of a 1 m square
    QVERIFY(within(static_cast<double>(bench.props[1]->footprint), 0.3, 1e-5));
  }

  void mergeKeysByPlaceAndUnitesKits() {
    test::Bench bench;
    const PointsPtr a = bench.points("dress",
                                     test::inputs({{"points", sown(test::plane(10, 4))}, {"kit", test::someKit()}}));
    auto own = std::make_shared<Kit>();
    own->entries.push_back({a->kit->entries[2].prop, 1});
    const PointsPtr b = bench.points("dress",
                                     test::inputs({{"points", sown(test::plane(10, 4))}, {"kit", KitPtr(own)}}));
    const PointsPtr all = bench.points("merge", test::inputs({{"points", a}, {"points", b}}));
    QCOMPARE(all->count, a->count + b->count);
    QVERIFY(!findFault(*all));
    // Each input by its own place: what stands at the other has no say.
    Inputs alone;
    alone.links["points"] = {{a, 100}};
    const PointsPtr first = bench.points("merge", alone);
    for (std::size_t i = 0; i < a->count; ++i) QCOMPARE(all->id[i], first->id[i]);
    QCOMPARE(all->kit->entries.size(), std::size_t{3});
    for (std::size_t i = 0; i < b->count; ++i)
      QCOMPARE(all->kit->entries[static_cast<std::size_t>(all->prop[a->count + i])].prop, own->entries[0].prop);
  }

  void skippedAndWrongNumbersSaySo() {
    test::Bench bench;
    const auto out = bench.run("choose", test::inputs({{"points", sown(test::plane(5, 2))}}), {{"number", 3.0}});
    QCOMPARE(out.error().message, std::string("number is 3, but there are 1 inputs"));
    QCOMPARE(bench.run("choose-props", {}).error().code, ProblemCode::MissingInput);
    QCOMPARE(
        bench.run("clearance", test::inputs({{"points", sown(test::plane(5, 2))}}), {{"stays", std::string("mask")}})
            .error()
            .code,
        ProblemCode::MissingInput);
  }
};

QTEST_GUILESS_MAIN(TestNodes)
#include "tst_nodes.moc"
