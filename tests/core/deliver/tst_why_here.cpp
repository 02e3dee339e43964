// Why here against a replay by hand: for 200 spots, the node that each point near it was left out by, worked out here
// from first principles.
#include "core/deliver/why_here.h"
#include "core/formats/file_service.h"
#include "core/formats/plan_file.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;
using test::within;

namespace {

constexpr float kSlopeLimit = 60;  // degrees
constexpr float kLowest = -0.6F;   // m
constexpr float kSpacing = 0.9F;   // m

struct Fixture {
  Plan plan;
  Evaluation evaluation;

  Node& add(const char* uid, const char* kind,
            std::initializer_list<std::tuple<const char*, const char*, const char*>> inputs, ParamMap params = {}) {
    Node n;
    n.uid = uid;
    n.kind = kind;
    n.title = uid;
    n.params = std::move(params);
    for (const auto& [id, from, output] : inputs) n.inputs[id].push_back({from, output, std::string(uid) + from});
    plan.nodes.push_back(std::move(n));
    return plan.nodes.back();
  }

  Fixture() {
    add("ground", "shape", {}, {{"form", std::string("ball")}, {"radius", 12.0}, {"divisions", 64.0}});
    add("low", "height", {}, {{"band", std::vector<double>{-20, -20, 1e6, 1e6}}});
    add("sow", "sow-on-surface", {{"surface", "ground", "surface"}}, {{"density", 2.2}, {"footprint", 0.2}});
    add("slope", "keep-by-slope", {{"points", "sow", "points"}},
        {{"slope", std::vector<double>{0, 0, static_cast<double>(kSlopeLimit), static_cast<double>(kSlopeLimit)}},
         {"keep", std::string("limit")}});
    add("height", "height", {},
        {{"band", std::vector<double>{static_cast<double>(kLowest), static_cast<double>(kLowest), 1000, 1000}}});
    add("drift", "noise", {}, {{"feature_size", 6.0}});
    add("mask", "keep-by-mask", {{"points", "slope", "points"}, {"mask", "drift", "mask"}},
        {{"limit", std::vector<double>{0.45, 1.0}}});
    add("apart", "clearance", {{"points", "mask", "points"}},
        {{"by", std::string("spacing")}, {"spacing", static_cast<double>(kSpacing)}, {"stays", std::string("chance")}});
    add("turned", "orient", {{"points", "apart", "points"}});
    add("sized", "vary", {{"points", "turned", "points"}}, {{"size", std::vector<double>{2, 2}}});
    add("out", "output", {{"points", "sized", "points"}});
    Evaluator evaluator(std::make_shared<DiskFileService>(""));
    evaluation = evaluator.evaluate(plan, {});
  }
  const Points& points(const char* uid, std::size_t output = 0) const {
    return *std::get<PointsPtr>(evaluation.values.at(uid).at(output));
  }
};

}  // namespace

class TestWhyHere : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void namesTheNodeThatAReplayNames() {
    const Fixture f;
    const Points& all = f.points("sow");
    QVERIFY(all.count > 1500);
    // The replay: slope from the ball's own geometry, the mask by its values, spacing by comparing every pair of those
    // that stay.
    Array<float> drift(all.count);
    std::get<MaskPtr>(f.evaluation.values.at("drift").front())->values(all, 0, all.count, drift.data());
    std::map<std::uint64_t, std::string> leftBy;
    std::set<std::uint64_t> staying;
    const Points& kept = f.points("apart");
    for (std::size_t i = 0; i < kept.count; ++i) staying.insert(kept.id[i]);
    for (std::size_t i = 0; i < all.count; ++i) {
      if (degrees(angleBetween(all.groundNormal[i], kUp)) > kSlopeLimit)
        leftBy[all.id[i]] = "slope";
      else if (drift[i] < 0.45F)
        leftBy[all.id[i]] = "mask";
      else {
        bool isCrowded = false;
        for (std::size_t k = 0; k < kept.count; ++k)
          isCrowded = isCrowded ||
                      (kept.id[k] != all.id[i] && glm::distance(kept.position[k], all.position[i]) < kSpacing);
        if (isCrowded) leftBy[all.id[i]] = "apart";
        QCOMPARE(isCrowded, !staying.contains(all.id[i]));
      }
    }
    std::map<std::string, int> named;
    for (int spot = 0; spot < 200; ++spot) {
      const auto at = static_cast<std::size_t>(spot) * all.count / 200;
      const Vec3 place = all.position[at] + Vec3(0.13F, 0.02F, -0.2F);
      constexpr float kRadius = 0.8F;
      const WhyHere here = whyHere(f.plan, f.evaluation, Quality::Final, place, kRadius, 1000, {});
      std::set<std::tuple<float, float, float>> told;  // what is delivered has an id of its own
      float before = 0;
      for (const WhyPoint& p : here.points) {
        QVERIFY(p.distance <= kRadius && p.distance >= before);
        before = p.distance;
        told.insert({p.place.x, p.place.y, p.place.z});
        QVERIFY2(!p.what.empty(), "every line says by what value");
        if (p.isPlaced) {
          QCOMPARE(p.node, std::string("out"));
          QVERIFY(!leftBy.contains(p.id));
        } else {
          QCOMPARE(p.node, leftBy.at(p.id));
          ++named[p.node];
        }
      }
      for (std::size_t i = 0; i < all.count; ++i)
        QCOMPARE(told.contains({all.position[i].x, all.position[i].y, all.position[i].z}),
                 glm::distance(all.position[i], place) <= kRadius);
    }
    for (const char* node : {"slope", "mask", "apart"}) QVERIFY2(named[node] > 20, node);
  }

  void tellsTheValueAndTheLimit() {
    const Fixture f;
    const Points& left = f.points("slope", 1);
    const WhyHere here = whyHere(f.plan, f.evaluation, Quality::Final, left.position[0], 0.01F, 10, {});
    QVERIFY(!here.points.empty());
    const QString what = QString::fromStdString(here.points.front().what);
    const QString value = QString::number(static_cast<double>(degrees(angleBetween(left.groundNormal[0], kUp))), 'f',
                                          1);
    QVERIFY2(
        what.startsWith(QStringLiteral("slope ") + value + QStringLiteral("°")) && what.contains(QStringLiteral("60°")),
        qPrintable(what));
    QCOMPARE(here.sources.size(), std::size_t{1});
    QCOMPARE(here.sources.front().node, std::string("sow"));
  }

  void aPlacementsStoryIsItsWay() {
    const Fixture f;
    const Points& out = f.points("out");
    for (const std::size_t i : {std::size_t{0}, out.count / 2, out.count - 1}) {
      const std::vector<WhyStep> story = storyOf(f.plan, f.evaluation, Quality::Final, "out", out.id[i], {});
      std::vector<std::string> nodes;
      for (const WhyStep& s : story) nodes.push_back(s.node);
      QCOMPARE(nodes, (std::vector<std::string>{"sow", "slope", "mask", "apart", "turned", "sized", "out"}));
      QVERIFY(story[1].what.starts_with("kept it: slope "));
      QVERIFY2(story[5].what.find("size × 2") != std::string::npos, story[5].what.c_str());
    }
    QVERIFY(storyOf(f.plan, f.evaluation, Quality::Final, "out", 12345, {}).empty());
  }

  void goesThroughMergeAndClumps() {
    Fixture f;
    f.add("clumps", "clumps", {{"parents", "apart", "points"}}, {{"count", 3.0}, {"radius", 0.3}});
    f.add("both", "merge", {{"points", "turned", "points"}, {"points", "clumps", "points"}});
    f.add("layer", "output", {{"points", "both", "points"}});
    Evaluator evaluator(std::make_shared<DiskFileService>(""));
    f.evaluation = evaluator.evaluate(f.plan, {});
    const Points& out = f.points("layer");
    QVERIFY(out.count > f.points("turned").count);
    const std::vector<WhyStep> story = storyOf(f.plan, f.evaluation, Quality::Final, "layer", out.id[out.count - 1],
                                               {});
    std::vector<std::string> nodes;
    for (const WhyStep& s : story) nodes.push_back(s.node);
    QCOMPARE(nodes, (std::vector<std::string>{"sow", "slope", "mask", "apart", "clumps", "both", "layer"}));
    QVERIFY2(story[4].what.find("from this parent") != std::string::npos, story[4].what.c_str());
  }

  void growthLeadsToThePlacementThatItIsOn() {
    const auto plan = loadPlan(test::sourcePath("demo/examples/growth.arvesk").toStdString());
    QVERIFY(plan);
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/examples").toStdString()));
    const Evaluation e = evaluator.evaluate(*plan, {});
    const Points& leaves = *std::get<PointsPtr>(e.values.at("l-dress").front());
    QVERIFY(leaves.count > 0);
    std::vector<std::string> nodes;
    for (const WhyStep& s : storyOf(*plan, e, Quality::Final, "l-dress", leaves.id[0], {})) nodes.push_back(s.node);
    // Two levels up: leaf, barnacle, rock.
    QCOMPARE(nodes, (std::vector<std::string>{"rocks", "sizes", "turned", "dressed", "down", "on", "keep", "b-size",
                                              "b-dress", "b-clear", "few", "on2", "one", "l-up", "l-size", "l-dress"}));
  }

  void aSpotWithNothingSaysWhatWouldScatterThere() {
    Fixture f;
    f.plan.find("sow")->inputs["where"].push_back({"height", "mask", "w"});
    Evaluator evaluator(std::make_shared<DiskFileService>(""));
    f.evaluation = evaluator.evaluate(f.plan, {});
    const WhyHere low = whyHere(f.plan, f.evaluation, Quality::Final, {0, -12, 0}, 0.5F, 10, {});
    QVERIFY(low.points.empty());
    QCOMPARE(low.sources.front().what, std::string("\"where\" is 0 here: no candidate stays"));
    const WhyHere far = whyHere(f.plan, f.evaluation, Quality::Final, {500, 0, 0}, 0.5F, 10, {});
    QVERIFY(far.points.empty() && far.sources.empty());
  }

  /// In a volume: outside, too near the skin, too deep, thinner than full, or by "where", each with its value.
  void inAVolumeItSaysWhatLeavesOut_data() {
    QTest::addColumn<float>("x");
    QTest::addColumn<QString>("says");
    QTest::newRow("outside") << 5.2F << QStringLiteral("outside of the volume here, by 0.2");
    QTest::newRow("near the skin") << 4.8F << QStringLiteral("too near the skin: points lie from 0.5 m on");
    QTest::newRow("by where") << 4.0F << QStringLiteral("1 m deep here, \"where\" 0: 0.0 of 100 candidates stay");
    QTest::newRow("all") << -4.0F << QStringLiteral("1 m deep here, \"where\" 1: all candidates stay");
    QTest::newRow("too deep") << 0.5F << QStringLiteral("points lie down to 3 m");
    QTest::newRow("far") << 9.0F << QString();
  }
  void inAVolumeItSaysWhatLeavesOut() {
    QFETCH(float, x);
    QFETCH(QString, says);
    Fixture f;
    f.plan = {};
    f.add("ball", "shape", {}, {{"form", std::string("ball")}, {"radius", 5.0}, {"divisions", 96.0}});
    f.add("solid", "solid", {{"surfaces", "ball", "surface"}});
    f.add("half", "region", {},
          {{"shape", std::string("box")},
           {"center", std::vector<double>{-10, 0, 0}},
           {"extent", std::vector<double>{20, 20, 20}},
           {"softness", 0.0}});
    f.add("sow", "sow-in-volume", {{"volume", "solid", "volume"}, {"where", "half", "mask"}},
          {{"depths", std::string("between")}, {"depths_between", std::vector<double>{0.5, 3}}});
    f.evaluation = Evaluator(std::make_shared<DiskFileService>("")).evaluate(f.plan, {});
    const WhyHere here = whyHere(f.plan, f.evaluation, Quality::Final, {x, 0, 0}, 0.5F, 10, {});
    QCOMPARE(here.sources.size(), says.isEmpty() ? std::size_t{0} : std::size_t{1});
    if (!says.isEmpty())
      QVERIFY2(QString::fromStdString(here.sources.front().what).contains(says), here.sources.front().what.c_str());
  }
};

QTEST_GUILESS_MAIN(TestWhyHere)
#include "tst_why_here.moc"
