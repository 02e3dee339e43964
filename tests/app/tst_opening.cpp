// Opening a plan: what is done is shown at once, grows, and ends as the whole; an edit shows nothing half done.
#include "tests/app/window_test.h"

#include <QElapsedTimer>
#include <QSignalSpy>

using namespace arvesk;

class TestOpening : public test::WindowTest {
  Q_OBJECT

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void layersComeAsTheyAreReady() {
    std::vector<EvalViewPtr> stages;
    QElapsedTimer clock;
    connect(&w().service(), &EvaluationService::grew, this, [&](const EvalViewPtr& v) {
      stages.push_back(v);
      qInfo("after %lld ms: %zu nodes done, %zu grounds, %zu layers", static_cast<long long>(clock.elapsed()),
            v->evaluation.reports.size(), v->scene ? v->scene->input().grounds.size() : 0, v->shown.size());
    });
    clock.start();
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    qInfo("after %lld ms: whole", static_cast<long long>(clock.elapsed()));
    const EvalViewPtr whole = w().service().latest();
    QVERIFY(stages.size() >= 2);
    QVERIFY(!whole->isGrowing);
    std::set<std::string> before;
    std::size_t reports = 0;
    bool hasGround = false;
    bool isGroundFirst = true;
    for (const EvalViewPtr& stage : stages) {
      QVERIFY(stage->isGrowing);
      QCOMPARE(stage->plan, whole->plan);
      QVERIFY(stage->evaluation.reports.size() > reports);
      reports = stage->evaluation.reports.size();
      std::set<std::string> layers;
      for (const PictureLayer& layer : stage->shown) {
        layers.insert(layer.source);
        // What is shown early is what is shown in the end.
        const auto last = std::find_if(whole->shown.begin(), whole->shown.end(),
                                       [&](const PictureLayer& l) { return l.source == layer.source; });
        QVERIFY(last != whole->shown.end());
        QCOMPARE(layer.points->count, last->points->count);
        QVERIFY(std::equal(&layer.points->id[0], &layer.points->id[0] + layer.points->count, &last->points->id[0]));
      }
      QVERIFY2(std::includes(layers.begin(), layers.end(), before.begin(), before.end()), "what came stays");
      before = layers;
      if (stage->scene && !stage->scene->input().grounds.empty()) hasGround = true;
      if (!hasGround && !layers.empty()) isGroundFirst = false;
      for (const auto& [uid, report] : stage->evaluation.reports)
        QCOMPARE(report.passed, whole->evaluation.reports.at(uid).passed);
    }
    QVERIFY(hasGround);
    QVERIFY(isGroundFirst);
    QVERIFY(stages.front()->shown.size() < whole->shown.size());

    // An edit keeps the whole picture until the next one is whole.
    stages.clear();
    w().model().setParam(quid("Pebbles"), "density", 20.0);
    waitForResults();
    QVERIFY(w().service().latest() != whole);
    QVERIFY(stages.empty());
  }

  /// The next plan is seen by its own camera, from its first picture on, and nothing of the one before is left.
  void theNextPlanIsSeenByItsOwnCamera() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    const Camera cove = w().site().camera();
    w().site().toggleCompare();
    std::vector<Camera> cameras;
    connect(&w().service(), &EvaluationService::grew, this, [&](const EvalViewPtr& v) {
      if (v->scene) cameras.push_back(w().site().camera());
    });
    QSignalSpy compared(&w().site(), &SiteView::compareChanged);
    QVERIFY(w().openFile(test::sourcePath("demo/examples/deck.arvesk")));
    QCOMPARE(compared.count(), 1);
    waitForResults();
    const Camera deck = w().site().camera();
    QVERIFY(deck.eye != cove.eye);
    for (const Camera& c : cameras) QVERIFY(c.eye != cove.eye);
  }
};

QTEST_MAIN(TestOpening)
#include "tst_opening.moc"
