// An honest draft: whatever the plan, each layer of its draft is part of its final, the same point bit for bit. Whole
// plans, since single nodes kept the promise where plans did not.
#include "core/formats/plan_file.h"
#include "tests/support/plans.h"

#include <random>

using namespace arvesk;

namespace {

/// What is wrong with `draft` as a part of `final`, or nothing.
std::optional<std::string> faultOfDraft(const Points& draft, const Points& final) {
  std::map<std::uint64_t, std::uint32_t> places;
  for (std::size_t i = 0; i < final.count; ++i) places[final.id[i]] = static_cast<std::uint32_t>(i);
  Array<std::uint32_t> same;
  for (std::size_t i = 0; i < draft.count; ++i) {
    const auto it = places.find(draft.id[i]);
    if (it == places.end()) return "a point of the draft is not in final";
    if (!same.empty() && it->second <= same.back()) return "the draft is in another order";
    same.push_back(it->second);
  }
  return findDifference(draft, gathered(final, same));
}

}  // namespace

class TestDraft : public QObject {
  Q_OBJECT

  static void compare(const Plan& plan, const std::string& folder, const std::string& what) {
    const auto files = std::make_shared<DiskFileService>(folder);
    Evaluator evaluator(files);
    EvalRequest request;
    request.quality = Quality::Draft;
    const Evaluation draft = evaluator.evaluate(plan, request);
    request.quality = Quality::Final;
    const Evaluation final = evaluator.evaluate(plan, request);
    for (const Node& node : plan.nodes) {
      QCOMPARE(draft.reports.at(node.uid).state, final.reports.at(node.uid).state);
      const PointsPtr d = draft.firstOf<PointsPtr>(node.uid);
      const PointsPtr f = final.firstOf<PointsPtr>(node.uid);
      if (!d || !f) continue;
      const auto fault = faultOfDraft(*d, *f);
      QVERIFY2(!fault, fault ? (what + ", " + node.title + " (" + node.kind + "): " + *fault).c_str() : "");
      // And it is just the share that was asked for, wherever it is thinned at all.
      const PointsPtr share = draftOf(f, draft.draftShare);
      if (kindOf(node)->isLayer) QCOMPARE(d->count, share->count);
    }
  }

 private Q_SLOTS:
  void ofWholePlans_data() { test::committedPlans(); }
  void ofWholePlans() {
    QFETCH(QString, file);
    auto plan = loadPlan(test::sourcePath(qPrintable(file)).toStdString());
    QVERIFY(plan);
    compare(*plan, test::folderOf(file), file.toStdString());
  }

  /// Every way of working, on and off, in plans that people would build.
  void ofRandomPlans_data() {
    QTest::addColumn<int>("seed");
    for (int seed = 0; seed < 24; ++seed) QTest::addRow("plan %d", seed) << seed;
  }
  void ofRandomPlans() {
    QFETCH(int, seed);
    std::mt19937 random(static_cast<unsigned>(seed));
    Plan plan = test::randomPlan(random);
    for (int edit = 0; edit < 3; ++edit) {
      compare(plan, test::sourcePath("demo/tern-cove").toStdString(), "plan " + std::to_string(seed));
      if (QTest::currentTestFailed()) return;
      test::randomEdit(plan, random, "demo/tern-cove");
    }
  }

  /// What looks at others takes everything: its numbers are those of final.
  void whatDecidesIsWhole() {
    std::mt19937 random(1);
    const Plan plan = test::crowdedPlan();
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString()));
    EvalRequest request;
    request.quality = Quality::Draft;
    const Evaluation draft = evaluator.evaluate(plan, request);
    const Evaluation final = evaluator.evaluate(plan, {});
    QCOMPARE(draft.reports.at("apart").passed, final.reports.at("apart").passed);
    QVERIFY(draft.firstOf<PointsPtr>("out")->count * 3 < final.firstOf<PointsPtr>("out")->count);
    // Made once for both: in final nothing is worked out anew but what was thinned.
    QVERIFY(final.reports.at("sow").isFromCache);
    QVERIFY(!final.reports.at("out").isFromCache);
  }
};

QTEST_GUILESS_MAIN(TestDraft)
#include "tst_draft.moc"
