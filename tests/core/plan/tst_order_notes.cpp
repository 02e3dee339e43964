// What is told about the order of nodes: only where nobody meant it, and with the node that would be moved behind.
#include "core/formats/file_service.h"
#include "core/formats/plan_file.h"
#include "core/plan/order_notes.h"
#include "tests/support/plans.h"

using namespace arvesk;
using test::node;

class TestOrderNotes : public QObject {
  Q_OBJECT

  static std::map<std::string, Problem> notesOf(const Plan& plan) {
    const auto files = std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString());
    const Evaluation e = Evaluator(files).evaluate(plan, {});
    std::map<std::string, Problem> told;  // as it reaches cards and reports
    for (const auto& [uid, report] : e.reports)
      for (const Problem& p : report.problems)
        if (p.remedy == Remedy::MoveAfterDress) told[uid] = p;
    return told;
  }

 private Q_SLOTS:
  void clearanceBeforeProps() {
    const Plan meant = test::crowdedPlan();  // its footprint was set
    QVERIFY(notesOf(meant).empty());

    Plan plan = meant;
    plan.find("sow")->params.erase("footprint");
    const auto notes = notesOf(plan);
    QCOMPARE(notes.size(), std::size_t{1});
    const Problem& note = notes.at("apart");
    QCOMPARE(note.severity, Severity::Warning);
    for (const std::string& word : {std::string("0.25 m"), plan.find("sow")->title, plan.find("dress")->title})
      QVERIFY2(note.message.find(word) != std::string::npos, note.message.c_str());
    {
      const auto files = std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString());
      QCOMPARE(dressedBy(plan, Evaluator(files).evaluate(plan, {}), "apart"), std::string("dress"));
    }

    Plan bySpacing = plan;
    bySpacing.find("apart")->params["by"] = std::string("spacing");
    QVERIFY(notesOf(bySpacing).empty());

    Plan skipped = plan;
    skipped.find("apart")->isSkipped = true;
    QVERIFY(notesOf(skipped).empty());

    Plan bare = plan;  // no props at all: footprints are all there is
    bare.find("dress")->isSkipped = true;
    QVERIFY(notesOf(bare).empty());

    Plan later = plan;
    later.find("dress")->inputs["points"] = {{"sow", "points", "a"}};
    later.find("apart")->inputs["points"] = {{"dress", "points", "b"}};
    later.find("out")->inputs["points"] = {{"apart", "points", "c"}};
    QVERIFY(notesOf(later).empty());
  }

  /// The plans that we ship mean what they do.
  void shippedPlans_data() { test::committedPlans(); }
  void shippedPlans() {
    QFETCH(QString, file);
    const auto plan = loadPlan(test::sourcePath(qPrintable(file)).toStdString());
    QVERIFY(plan.has_value());
    const auto files = std::make_shared<DiskFileService>(test::folderOf(file));
    for (const auto& [uid, report] : Evaluator(files).evaluate(*plan, {}).reports)
      for (const Problem& p : report.problems) QVERIFY2(p.remedy == Remedy::None, toLine(p).c_str());
  }
};

QTEST_GUILESS_MAIN(TestOrderNotes)
#include "tst_order_notes.moc"
