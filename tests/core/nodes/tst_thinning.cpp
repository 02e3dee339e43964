// Properties of what thins and gathers: partitions, independence of order, shares within bounds, clumps apart and
// whole.
#include "core/geometry/prop.h"
#include "core/geometry/shapes.h"
#include "core/plan/dials.h"
#include "core/props/quantities.h"
#include "core/spatial/outline.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;
using test::within;

namespace {

PointsPtr shared(Points p) { return std::make_shared<const Points>(std::move(p)); }
PointsPtr second(const Outputs& out) { return std::get<PointsPtr>(out.at(1)); }
PointsPtr first(const Outputs& out) { return std::get<PointsPtr>(out.at(0)); }

std::set<std::uint64_t> ids(const Points& p) {
  std::set<std::uint64_t> out;
  for (std::size_t i = 0; i < p.count; ++i) out.insert(p.id[i]);
  return out;
}

PointsPtr reversed(const Points& p) {
  Array<std::uint32_t> order;
  for (std::uint32_t i = static_cast<std::uint32_t>(p.count); i-- > 0;) order.push_back(i);
  return shared(gathered(p, order));
}

PointsPtr cloud(std::size_t count, float extent, std::uint64_t seed) {
  return shared(test::randomPoints(count, {extent, 0, extent}, 0.1F, 0.2F, seed));
}

/// Overlapping patches of many sizes and turns, each with a name of its own.
PointsPtr somePatches(std::size_t count, float extent, std::uint64_t seed) {
  Points p = test::randomPoints(count, {extent, 0, extent}, 0.5F, 2.5F, seed);
  Array<std::uint64_t> id(count);
  Array<Quat> turn(count);
  Array<Vec3> size(count);
  std::vector<std::string> names;
  Array<std::uint32_t> name(count);
  for (std::size_t i = 0; i < count; ++i) {
    id[i] = hashOf(seed, i);
    turn[i] = glm::angleAxis(static_cast<float>(i), kUp);
    size[i] = {1, 1, 0.5F + 0.1F * static_cast<float>(i % 10)};
    names.push_back("patch " + std::to_string(seed) + "/" + std::to_string(i));
    name[i] = static_cast<std::uint32_t>(i);
  }
  p.id = std::move(id);
  p.orientation = std::move(turn);
  p.size = std::move(size);
  p.attributes.emplace("kind", TextColumn{std::make_shared<const std::vector<std::string>>(names),
                                          Column<std::uint32_t>(std::move(name))});
  p.attributes.emplace("weight", Column<float>(Array<float>(count, 2.5F)));
  return shared(std::move(p));
}

/// A trunk of 0.2 m under a crown of 1.8 m.
PropPtr tree() {
  Surface s = makeCylinder(0.2F, 3, 24);
  const Surface crown = makeBall(1.8F, 16);
  const auto first = static_cast<std::uint32_t>(s.positions.size());
  for (const Vec3& p : crown.positions) s.positions.edit().push_back(p + Vec3(0, 4, 0));
  for (const UVec3& t : crown.triangles) s.triangles.edit().push_back(t + UVec3(first));
  s.normals.clear();
  s.uvs.clear();
  return makeProp("tree", "Tree", std::make_shared<const Surface>(std::move(s)));
}

/// Trees and bushes at random places and sizes, as Dress makes them.
PointsPtr trees(std::size_t count, float extent, std::uint64_t seed) {
  const PropPtr bush = makeProp("bush", "Bush", std::make_shared<const Surface>(makeBox({0.8F, 0.8F, 0.8F})));
  auto kit = std::make_shared<Kit>();
  kit->entries = {{tree(), 1}, {bush, 1}};
  Points p = test::randomPoints(count, {extent, 0, extent}, 0.1F, 0.2F, seed);
  Array<std::int32_t> prop(count);
  Array<float> footprint(count);
  Array<Vec3> size(count);
  Array<std::uint64_t> id(count);
  for (std::size_t i = 0; i < count; ++i) {
    id[i] = hashOf(seed, i);
    prop[i] = static_cast<std::int32_t>(hashOf(seed, i, 1) % 2);
    footprint[i] = kit->entries[static_cast<std::size_t>(prop[i])].prop->footprint;
    size[i] = Vec3(0.7F + 0.6F * unitFloat(hashOf(seed, i, 2)));
  }
  p.kit = kit;
  p.id = std::move(id);
  p.prop = std::move(prop);
  p.footprint = std::move(footprint);
  p.size = std::move(size);
  return shared(std::move(p));
}

Inputs keepInputs(const PointsPtr& points, const std::vector<PointsPtr>& patches) {
  Inputs in;
  in.links["points"].push_back({points, 1});
  for (const PointsPtr& p : patches) in.links["patches"].push_back({p, 2});
  return in;
}

}  // namespace

class TestThinning : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void keepInAndKeepOutPartition_data() {
    QTest::addColumn<QString>("shape");
    QTest::addColumn<double>("ragged");
    QTest::addColumn<double>("margin");
    QTest::addColumn<bool>("fromAbove");
    QTest::newRow("discs") << "disc" << 0.0 << 0.0 << true;
    QTest::newRow("ragged discs") << "disc" << 60.0 << 0.3 << true;
    QTest::newRow("ragged boxes in space, smaller") << "box" << 40.0 << -0.2 << false;
  }
  void keepInAndKeepOutPartition() {
    QFETCH(QString, shape);
    QFETCH(double, ragged);
    QFETCH(double, margin);
    QFETCH(bool, fromAbove);
    test::Bench bench;
    const PointsPtr points = cloud(8000, 30, 3);
    const PointsPtr a = somePatches(40, 30, 11);
    const PointsPtr b = somePatches(30, 30, 12);
    const ParamMap params{
        {"shape", shape.toStdString()}, {"raggedness", ragged}, {"margin", margin}, {"from_above", fromAbove}};
    ParamMap copying = params;
    copying["copies"] = std::string("kind; weight");
    const auto in = bench.run("keep-in", keepInputs(points, {a, b}), copying);
    const auto out = bench.run("keep-out", keepInputs(points, {a, b}), params);
    QVERIFY(ids(*first(*in)) == ids(*second(*out)));
    QVERIFY(ids(*second(*in)) == ids(*first(*out)));
    QVERIFY(first(*in)->count > 1000 && second(*in)->count > 1000);
    // Neither the order of the sets nor that of the patches in them changes anything.
    const auto turned = bench.run("keep-in", keepInputs(points, {reversed(*b), reversed(*a)}), copying);
    QVERIFY(!findDifference(*first(*in), *first(*turned)));
    for (std::size_t i = 0; i < first(*in)->count; ++i)
      QCOMPARE(readText(*first(*in), "kind", i), readText(*first(*turned), "kind", i));
    // Brute force without raggedness: the holder is the nearest in its own frame, and its attributes come whole.
    if (ragged > 0) return;
    const Points& kept = *first(*in);
    const auto& patchIds = *columnOf<Column<std::uint64_t>>(kept.attributes, "patch");
    const auto& rims = *columnOf<Column<float>>(kept.attributes, "patch-distance");
    for (std::size_t i = 0; i < kept.count; i += 3) {
      float best = 1;
      std::uint64_t holder = 0;
      std::string kind;
      for (const PointsPtr& set : {a, b})
        for (std::size_t k = 0; k < set->count; ++k) {
          const float share = glm::length(Vec2(kept.position[i].x - set->position[k].x,
                                               kept.position[i].z - set->position[k].z)) /
                              set->effectiveFootprint(k);
          if (share >= best) continue;
          best = share;
          holder = set->id[k];
          kind = *readText(*set, "kind", k);
        }
      QCOMPARE(patchIds[i], holder);
      QVERIFY(within(static_cast<double>(rims[i]), static_cast<double>(best), 1e-4));
      QCOMPARE(*readText(kept, "kind", i), kind);
    }
  }

  /// By base, what judges by footprints takes the room of trunks and not that of crowns; held against all pairs.
  void trunksAndCrowns() {
    const PropPtr made = tree();
    QVERIFY(within(static_cast<double>(baseOf(*made)), 0.2, 1e-5) &&
            within(static_cast<double>(made->footprint), 1.8, 1e-2));
    Prop other = *made;
    other.base = 0.5F;
    QCOMPARE(baseOf(other), 0.5F);
    other.base = 7;  // it is never more than all of it
    QCOMPARE(baseOf(other), other.footprint);

    test::Bench bench;
    const PointsPtr woods = trees(900, 50, 5);
    const PointsPtr plants = cloud(6000, 50, 6);
    const auto radius = [](const Points& p, std::size_t i, bool isBase) {
      const Prop& prop = *p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop;
      return (isBase ? baseOf(prop) : prop.footprint) * p.size[i].x;
    };
    const auto flat = [](const Vec3& a, const Vec3& b) { return glm::length(Vec2(a.x - b.x, a.z - b.z)); };
    std::size_t countBySpread = 0;
    for (const bool isBase : {false, true}) {
      const ParamMap params{{"footprint_is", std::string(isBase ? "base" : "spread")}};
      Inputs in;
      in.links["points"].push_back({woods, 1});
      const auto cleared = bench.run("clearance", in, params);
      const Points& stay = *first(*cleared);
      const Points& gone = *second(*cleared);
      for (std::size_t i = 0; i < stay.count; ++i) {
        QCOMPARE(stay.footprint[i], stay.kit->entries[static_cast<std::size_t>(stay.prop[i])].prop->footprint);
        for (std::size_t k = 0; k < i; ++k)
          QVERIFY(glm::distance(stay.position[i], stay.position[k]) >=
                  radius(stay, i, isBase) + radius(stay, k, isBase) - 1e-4F);
      }
      for (std::size_t i = 0; i < gone.count; ++i) {
        bool isCrowded = false;
        for (std::size_t k = 0; k < stay.count && !isCrowded; ++k)
          isCrowded = radius(stay, k, isBase) >= radius(gone, i, isBase) &&
                      glm::distance(stay.position[k], gone.position[i]) <
                          radius(stay, k, isBase) + radius(gone, i, isBase) + 1e-4F;
        QVERIFY(isCrowded);
      }
      if (!isBase)
        countBySpread = stay.count;
      else
        QVERIFY2(stay.count > 2 * countBySpread, qPrintable(QString::number(stay.count)));

      const auto kept = bench.run("keep-out", keepInputs(plants, {woods}), params);
      const std::set<std::uint64_t> clear = ids(*first(*kept));
      ParamMap near = params;
      near["band"] = std::vector<double>{0, 0, 0.25, 0.25};
      Inputs of;
      of.links["points"].push_back({woods, 1});
      const auto mask = std::get<MaskPtr>(bench.run("distance", of, near)->front());
      const Array<float> value = maskValues({}, *mask, *plants);
      for (std::size_t i = 0; i < plants->count; ++i) {
        float rim = std::numeric_limits<float>::infinity();  // of what is nearest by its rim, from above
        float inSpace = std::numeric_limits<float>::infinity();
        for (std::size_t k = 0; k < woods->count; ++k) {
          rim = std::min(rim, flat(plants->position[i], woods->position[k]) - radius(*woods, k, isBase));
          inSpace = std::min(inSpace,
                             glm::distance(plants->position[i], woods->position[k]) - radius(*woods, k, isBase));
        }
        if (std::abs(rim) > 1e-4F) QCOMPARE(clear.contains(plants->id[i]), rim > 0);
        if (std::abs(inSpace - 0.25F) > 1e-4F) QCOMPARE(value[i] > 0.5F, inSpace < 0.25F);
      }
      // What grows around them may stand under the crowns.
      ParamMap clumps = params;
      clumps["parents"] = std::string("kept-with-room");
      clumps["count"] = 12.0;
      clumps["radius"] = 1.5;
      Inputs parents;
      parents.links["parents"].push_back({woods, 1});
      const PointsPtr members = first(*bench.run("clumps", parents, clumps));
      QVERIFY(members->count > (isBase ? 3000U : 0U));
      for (std::size_t i = 0; i < members->count; ++i)
        for (std::size_t k = 0; k < woods->count; ++k)
          QVERIFY(glm::distance(members->position[i], woods->position[k]) >= radius(*woods, k, isBase) - 1e-4F);
    }
    // What has no props has one footprint.
    QVERIFY(withFootprints(plants, Footprint::Base) == plants);
  }

  void raggedOutlinesAreNeitherCirclesNorAlike() {
    const Outline outline{OutlineShape::Disc, 0.4F, 0.5F};
    for (const std::uint64_t id : {1ULL, 2ULL, 3ULL}) {
      float least = 9;
      float most = 0;
      for (int k = 0; k < 720; ++k) {
        const float a = static_cast<float>(k) * kPi / 360;
        const float f = outline.factor({std::cos(a), std::sin(a)}, id);
        least = std::min(least, f);
        most = std::max(most, f);
        QVERIFY(f >= 0.6F && f <= 1.4F);
        QVERIFY(std::abs(f - outline.factor({std::cos(a + 0.001F), std::sin(a + 0.001F)}, id)) < 0.02F);  // and closes
      }
      QVERIFY(most - least > 0.15F);
      QVERIFY(outline.factor({1, 0}, id) != outline.factor({1, 0}, id + 1));
    }
  }

  void keepInAClosedSurface() {
    test::Bench bench;
    Surface ball = makeBall(3, 40);
    const PointsPtr points = shared(test::randomPoints(3000, {8, 8, 8}, 0.1F, 0.1F, 5));
    for (Vec3& p : ball.positions.edit()) p += Vec3(4);
    Inputs in = keepInputs(points, {});
    in.links["surface"].push_back({std::make_shared<const Surface>(ball), 3});
    const auto out = bench.run("keep-in", in, {{"from_above", false}});
    for (std::size_t i = 0; i < first(*out)->count; ++i)
      QVERIFY(glm::distance(first(*out)->position[i], Vec3(4)) < 3.001F);
    for (std::size_t i = 0; i < second(*out)->count; ++i)
      QVERIFY(glm::distance(second(*out)->position[i], Vec3(4)) > 2.97F);
    QVERIFY(first(*out)->count > 400);
    QCOMPARE(bench.run("keep-in", keepInputs(points, {})).error().code, ProblemCode::MissingInput);
  }

  void shareOutIsAPartitionWithinBounds() {
    test::Bench bench;
    const PointsPtr points = cloud(20'000, 30, 4);
    const auto out = bench.run("share-out", test::inputs({{"points", points}}),
                               {{"count", 3.0}, {"weight_1", 1.0}, {"weight_2", 2.0}, {"weight_3", 5.0}});
    std::set<std::uint64_t> all;
    std::size_t sum = 0;
    for (std::size_t k = 0; k < 8; ++k) {
      const Points& share = *std::get<PointsPtr>((*out)[k]);
      sum += share.count;
      for (const std::uint64_t id : ids(share)) all.insert(id);
      const double p = k < 3 ? std::array{0.125, 0.25, 0.625}[k] : 0;
      // Five standard deviations of a binomial count.
      QVERIFY(within(static_cast<double>(share.count), 20'000 * p, 5 * std::sqrt(20'000 * p * (1 - p))));
    }
    QCOMPARE(sum, points->count);
    QVERIFY(all == ids(*points));
  }

  // A larger weight, or one share more, only draws points to its own output; a text's weight, to its own text.
  void aWeightOnlyDrawsPointsToItsOwn() {
    test::Bench bench;
    const PointsPtr points = cloud(20'000, 30, 11);
    const auto shareOf = [&](const ParamMap& params) {
      const auto out = bench.run("share-out", test::inputs({{"points", points}}), params);
      std::map<std::uint64_t, std::size_t> of;
      for (std::size_t k = 0; k < out->size(); ++k)
        for (const std::uint64_t id : ids(*std::get<PointsPtr>((*out)[k]))) of[id] = k;
      return of;
    };
    const auto before = shareOf({{"count", 4.0}});
    for (const auto& [params, wins] :
         std::vector<std::pair<ParamMap, std::size_t>>{{{{"count", 4.0}, {"weight_2", 1.3}}, 1},
                                                       {{{"count", 5.0}}, 4},
                                                       {{{"count", 4.0}, {"weight_1", 3.0}}, 0}}) {
      std::size_t moved = 0;
      for (const auto& [id, share] : shareOf(params)) {
        if (share == before.at(id)) continue;
        ++moved;
        QCOMPARE(share, wins);
      }
      QVERIFY(moved > 500);
    }
    const auto kindsOf = [&](const char* choices) {
      return bench.points(
          "write-attribute", test::inputs({{"points", points}}),
          {{"name", std::string("kind")}, {"write", std::string("choice")}, {"choices", std::string(choices)}});
    };
    const PointsPtr few = kindsOf("moss 3, bare, fern 2");
    const PointsPtr more = kindsOf("lichen, fern 2, moss 3, bare");  // their order does not count
    std::size_t moved = 0;
    for (std::size_t i = 0; i < few->count; ++i) {
      if (readText(*few, "kind", i) == readText(*more, "kind", i)) continue;
      ++moved;
      QCOMPARE(*readText(*more, "kind", i), std::string("lichen"));
    }
    QVERIFY(within(static_cast<double>(moved), 20'000.0 / 7, 5 * std::sqrt(20'000.0 * 6 / 49)));
  }

  void shareOutPerParentSplitsNoClump() {
    test::Bench bench;
    const PointsPtr clumps = bench.points("clumps", test::inputs({{"parents", cloud(300, 60, 6)}}), {{"count", 15.0}});
    const auto out = bench.run("share-out", test::inputs({{"points", clumps}}), {{"per", std::string("parent")}});
    std::map<std::uint64_t, std::size_t> shareOf;
    for (std::size_t k = 0; k < 2; ++k) {
      const Points& p = *std::get<PointsPtr>((*out)[k]);
      QVERIFY(p.count > 500);
      const auto& parent = *columnOf<Column<std::uint64_t>>(p.attributes, "parent");
      for (std::size_t i = 0; i < p.count; ++i) QCOMPARE(shareOf.emplace(parent[i], k).first->second, k);
    }
  }

  void shareOutByRangesAndText() {
    test::Bench bench;
    const PointsPtr points = cloud(500, 30, 7);
    const auto out = bench.run(
        "share-out", test::inputs({{"points", points}}),
        {{"count", 3.0}, {"by", std::string("ranges")}, {"number", std::string("x")}, {"cuts", std::string("10, 20")}});
    for (std::size_t k = 0; k < 3; ++k)
      for (std::size_t i = 0; i < std::get<PointsPtr>((*out)[k])->count; ++i) {
        const float x = std::get<PointsPtr>((*out)[k])->position[i].x;
        QVERIFY(k == 0 ? x < 10 : k == 1 ? x >= 10 && x < 20 : x >= 20);
      }
    QVERIFY(!bench.run("share-out", test::inputs({{"points", points}}),
                       {{"by", std::string("ranges")}, {"number", std::string("nothing")}}));
    QVERIFY(!faultOf(*findNodeKind("share-out")->findParam("cuts"), std::string("3, 1")).empty());
    const PointsPtr named = somePatches(50, 20, 2);
    const auto byText = bench.run("share-out", test::inputs({{"points", named}}),
                                  {{"by", std::string("text")},
                                   {"text_name", std::string("kind")},
                                   {"patterns", std::string("*/1; */2 | */1?")},
                                   {"count", 3.0}});
    QCOMPARE(std::get<PointsPtr>((*byText)[0])->count, std::size_t{2});
    QCOMPARE(std::get<PointsPtr>((*byText)[1])->count, std::size_t{10});
    QCOMPARE(std::get<PointsPtr>((*byText)[2])->count, std::size_t{38});
  }

  void atMostByRankByMaskAndEveryNth() {
    test::Bench bench;
    const PointsPtr points = cloud(1000, 30, 8);
    QCOMPARE(bench.points("at-most", test::inputs({{"points", points}}), {{"number", 120.0}})->count, std::size_t{120});
    QCOMPARE(bench.points("at-most", test::inputs({{"points", points}}), {{"number", 5000.0}})->count,
             std::size_t{1000});
    const PointsPtr nth = bench.points("at-most", test::inputs({{"points", points}}),
                                       {{"keep", std::string("every-nth")}, {"every", 4.0}});
    QCOMPARE(nth->count, std::size_t{250});
    QCOMPARE(nth->id[1], points->id[4]);
    const auto out = bench.run("at-most", test::inputs({{"points", points}, {"mask", test::rampMask(15)}}),
                               {{"number", 100.0}, {"first", std::string("mask")}});
    const Array<float> kept = maskValues({}, *test::rampMask(15), *first(*out));
    const Array<float> left = maskValues({}, *test::rampMask(15), *second(*out));
    QVERIFY(*std::min_element(kept.begin(), kept.end()) >= *std::max_element(left.begin(), left.end()) - 1e-6F);
  }

  /// What separation takes is in the third output, and refilled there are as many as there should be, still apart.
  void clumpsAreRefilledUpToTheirCount() {
    test::Bench bench;
    const PointsPtr parents = bench.points("sow-on-surface", test::inputs({{"surface", test::hills(50, 60, 4)}}),
                                           {{"way", std::string("even")}, {"spacing", 5.0}});
    for (const char* shape : {"disc", "ring", "ball"}) {
      const auto members = [&](double separation, bool isRefilled) {
        return *bench.run("clumps", test::inputs({{"parents", parents}}),
                          {{"shape", std::string(shape)},
                           {"count", 24.0},
                           {"radius", 1.6},
                           {"ring_thickness", 60.0},
                           {"separation", separation},
                           {"refilled", isRefilled}});
      };
      const Outputs free = members(0, false);
      const Outputs apart = members(0.3, false);
      const Outputs refilled = members(0.3, true);
      const std::size_t all = first(free)->count;
      const std::size_t left = std::get<PointsPtr>(apart[2])->count;
      QVERIFY(left > all / 100);
      QCOMPARE(first(apart)->count + left, all);
      QVERIFY2(first(refilled)->count > all * 97 / 100 && first(refilled)->count <= all, shape);
      const Points& p = *first(refilled);
      QVERIFY(!findFault(p));
      std::map<std::uint64_t, std::size_t> before, after;
      const auto count = [](const Points& of, std::map<std::uint64_t, std::size_t>& into) {
        const auto& parent = *columnOf<Column<std::uint64_t>>(of.attributes, "parent");
        for (std::size_t i = 0; i < of.count; ++i) ++into[parent[i]];
      };
      count(*first(free), before);
      count(p, after);
      for (const auto& [parent, n] : after) QVERIFY(n <= before[parent]);
      for (std::size_t i = 0; i < p.count; ++i)
        for (std::size_t k = i + 1; k < p.count; ++k) QVERIFY(glm::distance(p.position[i], p.position[k]) >= 0.3F);
      // Those that stood before stand still; with nothing in their way no reserve comes in.
      std::set<std::uint64_t> ids;
      for (std::size_t i = 0; i < p.count; ++i) ids.insert(p.id[i]);
      for (std::size_t i = 0; i < first(apart)->count; ++i) QVERIFY(ids.contains(first(apart)->id[i]));
      QCOMPARE(findDifference(*first(free), *first(members(0, true))), std::nullopt);
    }
  }

  void clumpsKeepTheirSeparationAcrossClumps() {
    test::Bench bench;
    const SurfacePtr ground = test::hills(50, 30, 4);
    const PointsPtr parents = bench.points("sow-on-surface", test::inputs({{"surface", ground}}),
                                           {{"density", 0.4}, {"footprint", 0.4}});
    for (const char* shape : {"disc", "ring", "spiral", "ball"}) {
      const auto out = bench.run("clumps", test::inputs({{"parents", parents}, {"ground", ground}}),
                                 {{"shape", std::string(shape)},
                                  {"count", 25.0},
                                  {"separation", 0.2},
                                  {"parents", std::string("kept-with-room")}});
      const Points& p = *first(*out);
      QVERIFY(p.count > 2000);
      QCOMPARE(second(*out)->count, parents->count);
      QVERIFY(!findFault(p));
      const auto& parent = *columnOf<Column<std::uint64_t>>(p.attributes, "parent");
      std::size_t neighborsOfOthers = 0;
      for (std::size_t i = 0; i < p.count; ++i)
        for (std::size_t k = i + 1; k < p.count; ++k) {
          const float distance = glm::distance(p.position[i], p.position[k]);
          QVERIFY2(distance >= 0.2F, shape);
          neighborsOfOthers += distance < 0.4F && parent[i] != parent[k];
        }
      QVERIFY(neighborsOfOthers > 0);  // clumps do meet
      for (std::size_t i = 0; i < p.count; i += 5)
        for (std::size_t k = 0; k < parents->count; ++k)
          QVERIFY(glm::distance(p.position[i], parents->position[k]) >= parents->effectiveFootprint(k));
    }
  }

  void membersAreTheirParentsOwn() {
    test::Bench bench;
    const PointsPtr parents = somePatches(100, 60, 9);
    const ParamMap params{
        {"count", 10.0}, {"count_variation", 0.0}, {"radius", 2.0}, {"radius_variation", 0.0}, {"raggedness", 30.0}};
    const PointsPtr all = bench.points("clumps", test::inputs({{"parents", parents}}), params);
    const auto& distance = *columnOf<Column<float>>(all->attributes, "parent-distance");
    for (std::size_t i = 0; i < all->count; ++i) QVERIFY(distance[i] <= 2 * 1.3F + 1e-4F);
    QVERIFY(columnOf<TextColumn>(all->attributes, "parent-kind"));
    // Without a separation, fewer parents change nothing about the members of those that stay, and more members only
    // add.
    Array<std::uint32_t> half;
    for (std::uint32_t i = 0; i < parents->count; i += 2) half.push_back(i);
    const PointsPtr some = bench.points("clumps", test::inputs({{"parents", shared(gathered(*parents, half))}}),
                                        params);
    ParamMap more = params;
    more["count"] = 14.0;
    const PointsPtr larger = bench.points("clumps", test::inputs({{"parents", parents}}), more);
    std::map<std::uint64_t, Vec3> places;
    for (std::size_t i = 0; i < all->count; ++i) places[all->id[i]] = all->position[i];
    for (std::size_t i = 0; i < some->count; ++i) QCOMPARE(places.at(some->id[i]), some->position[i]);
    const auto largerIds = ids(*larger);
    for (const auto& [id, place] : places) QVERIFY(largerIds.contains(id));
    QCOMPARE(larger->count, std::size_t{1400});
  }

  void partAndMergeOfSurfaces() {
    test::Bench bench;
    const auto named = [](const char* name) {
      Material m;
      m.name = name;
      return m;
    };
    Surface a = makePlane(10, 10, 4);
    a.materials = {named("sand"), named("rock")};
    a.faceMaterials.edit().assign(a.faceCount(), 0);
    for (std::size_t f = 0; f < 8; ++f) a.faceMaterials.edit()[f] = 1;
    const auto surface = std::make_shared<const Surface>(a);
    const auto part = [&](const ParamMap& params) {
      return std::get<SurfacePtr>(
          bench.run("part-of-surface", test::inputs({{"surface", surface}, {"mask", test::rampMask(0)}}), params)
              ->front());
    };
    QCOMPARE(part({{"by", std::string("name")}, {"patterns", std::string("roc?")}})->faceCount(), std::size_t{8});
    QCOMPARE(part({{"by", std::string("name")}, {"patterns", std::string("rock")}, {"invert", true}})->faceCount(),
             std::size_t{24});
    QCOMPARE(part({{"by", std::string("picked")}, {"faces", std::vector<double>{0, 3, 0, 9, 0, 3}}})->faceCount(),
             std::size_t{2});
    QCOMPARE(part({})->faceCount(), std::size_t{16});
    Surface b = makeBox({1, 1, 1});
    b.materials = {named("wood")};
    Inputs in;
    in.links["surfaces"] = {{surface, 1}, {std::make_shared<const Surface>(b), 2}};
    const SurfacePtr merged = std::get<SurfacePtr>(bench.run("merge-surfaces", in)->front());
    QVERIFY(checkSurface(*merged).has_value());
    QCOMPARE(merged->faceCount(), a.faceCount() + b.faceCount());
    QCOMPARE(merged->materialOf(3).name, std::string("rock"));
    QCOMPARE(merged->materialOf(a.faceCount() + 1).name, std::string("wood"));
  }

  void writtenAttributesAndOrder() {
    test::Bench bench;
    const PointsPtr points = cloud(4000, 30, 10);
    const PointsPtr written = bench.points("write-attribute", test::inputs({{"points", points}}),
                                           {{"name", std::string("kind")},
                                            {"write", std::string("choice")},
                                            {"choices", std::string("moss 3, bare rock, fern 0")}});
    std::map<std::string, double> counts;
    for (std::size_t i = 0; i < written->count; ++i) ++counts[*readText(*written, "kind", i)];
    QVERIFY(within(counts["moss"], 3000, 5 * std::sqrt(4000 * 0.75 * 0.25)));
    QVERIFY(counts["bare rock"] + counts["moss"] == 4000);
    const PointsPtr numbers = bench.points("write-attribute",
                                           test::inputs({{"points", points}, {"mask", test::rampMask(15)}}),
                                           {{"name", std::string("damp")}, {"range", std::vector<double>{10, 20}}});
    const PointsPtr ordered = bench.points(
        "order", test::inputs({{"points", numbers}}),
        {{"by", std::string("number")}, {"number", std::string("damp")}, {"reversed", true}});
    Array<float> damp(ordered->count);
    QVERIFY(readNumbers(*ordered, "damp", 0, ordered->count, damp.data()));
    QVERIFY(std::is_sorted(damp.rbegin(), damp.rend()) && damp.front() == 20 && damp.back() == 10);
    QVERIFY(!faultOf(*findNodeKind("write-attribute")->findParam("name"), std::string("slope")).empty());
  }

  void dialsSetWhatFollowsThem() {
    Plan plan;
    plan.dials = {{"d1", "spacing", 2, 0.5, ""}, {"d2", "amount", 3, 7.4, ""}};
    plan.nodes.emplace_back();
    plan.nodes[0].uid = "a";
    plan.nodes[0].kind = "sow-on-surface";
    plan.nodes[0].follows = {{"density", "spacing * 2 + 1"}, {"total", "amount"}};
    Plan draft = plan;
    QVERIFY(followDials(draft, Quality::Draft).empty());
    QCOMPARE(std::get<double>(draft.nodes[0].params.at("density")), 5.0);
    Plan final = plan;
    QVERIFY(followDials(final, Quality::Final).empty());
    QCOMPARE(std::get<double>(final.nodes[0].params.at("density")), 2.0);
    QCOMPARE(std::get<double>(final.nodes[0].params.at("total")), 7.0);
    plan.nodes[0].follows["spacing"] = "gone + 1";
    const auto problems = followDials(plan, Quality::Final);
    QVERIFY(problems.contains("a") && problems.at("a").message.find("no dial \"gone\"") != std::string::npos);
    QVERIFY(!faultOfDialName(plan, "amount", "d1").empty() && !faultOfDialName(plan, "2x", "d1").empty() &&
            !faultOfDialName(plan, "pi", "d1").empty());
    QVERIFY(faultOfDialName(plan, "gap_2", "d1").empty());
  }
};

QTEST_GUILESS_MAIN(TestThinning)
#include "tst_thinning.moc"
