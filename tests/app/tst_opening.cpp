// Opening a plan: what is done is shown at once, grows, and ends as the whole; an edit shows nothing half done.
#include "tests/app/window_test.h"

#include <QComboBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QProgressBar>
#include <QRegularExpression>
#include <QSignalSpy>
#include <QTimer>

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
    connect(&w().service(), &EvaluationService::finished, this,
            [&] { qInfo("after %lld ms: whole", static_cast<long long>(clock.elapsed())); });
    clock.start();
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    qInfo("after %lld ms: whole, with its masks", static_cast<long long>(clock.elapsed()));
    const EvalViewPtr whole = w().service().latest();
    QVERIFY(stages.size() >= 2);
    QVERIFY(!whole->isGrowing);
    std::set<std::string> before;
    std::size_t reports = 0;
    bool hasGround = false;
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
      for (const auto& [uid, report] : stage->evaluation.reports)
        QCOMPARE(report.passed, whole->evaluation.reports.at(uid).passed);
    }
    QVERIFY(hasGround);
    QVERIFY(stages.front()->shown.size() < whole->shown.size());

    // An edit keeps the whole picture until the next one is whole.
    stages.clear();
    w().model().setParam(quid("Pebbles"), "density", 20.0);
    waitForResults();
    QVERIFY(w().service().latest() != whole);
    QVERIFY(stages.empty());
  }

  /// A first start, where nothing is in any cache: what is worked on is said where one looks, and nothing claims to be
  /// missing.
  void whatIsWorkedOnIsSaid() {
    QTemporaryDir cache;
    const QByteArray usual = qgetenv("ARVESK_CACHE_DIR");
    qputenv("ARVESK_CACHE_DIR", cache.path().toUtf8());
    openWindow();
    qputenv("ARVESK_CACHE_DIR", usual);
    int ofProps = 0;
    int shown = 0;
    int cardsAtWork = 0;
    QStringList wrong;
    const auto* message = w().findChild<QLabel*>(QStringLiteral("message"));
    const auto* bar = w().findChild<QProgressBar*>(QStringLiteral("progress"));
    const QRegularExpression aboutProps(QStringLiteral("^\\d+ of \\d+ props, reading .+\\."));
    connect(&w().service(), &EvaluationService::progressed, this, [&](const WorkNow& now) {
      cardsAtWork += now.nodes.empty() ? 0 : 1;
      ofProps += now.props.contains(aboutProps) ? 1 : 0;
      if (!bar->isVisible()) return;  // nothing is said of what is over before it can be read
      ++shown;
      const QString below = now.what.isEmpty() ? message->text() : QStringLiteral("working on ") + now.what;
      const QString inSite = !now.props.isEmpty() ? now.props : now.what.isEmpty() ? QString() : below;
      if (w().site().workLine() != inSite || message->text() != below) wrong << inSite + QStringLiteral(" / ") + below;
    });
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    QVERIFY2(wrong.isEmpty(), qPrintable(wrong.join(QLatin1Char('\n'))));
    QVERIFY(ofProps > 0);
    QVERIFY(shown > 0);
    QVERIFY(cardsAtWork > 0);
    QVERIFY(w().site().workLine().isEmpty());
  }

  /// An edit, a cancel or another plan while a plan opens: what was under way is left, and nothing of it comes later.
  void whatComesBetweenWins_data() {
    QTest::addColumn<QString>("what");
    for (const char* what : {"an edit", "a cancel", "another plan", "a new plan"}) QTest::newRow(what) << what;
  }
  void whatComesBetweenWins() {
    QFETCH(QString, what);
    PlanPtr meant;
    std::size_t late = 0;
    std::size_t stages = 0;
    const auto act = [&] {
      if (what == QStringLiteral("an edit")) w().model().setParam(quid("Boulders"), "density", 0.5);
      if (what == QStringLiteral("a cancel")) w().service().cancel();
      if (what == QStringLiteral("another plan"))
        QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
      if (what == QStringLiteral("a new plan")) trigger("file_new");
      meant = w().model().snapshot();
    };
    connect(&w().service(), &EvaluationService::grew, this, [&](const EvalViewPtr& v) {
      if (meant && v->plan != meant) ++late;
      if (++stages == 1) QTimer::singleShot(0, this, act);
    });
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    QTRY_VERIFY_WITH_TIMEOUT(meant, 60'000);
    if (what == QStringLiteral("a cancel")) {
      QTest::qWait(300);
      QVERIFY(!w().service().isBusy());
      w().model().setParam(quid("Boulders"), "density", 0.4);  // whoever goes on gets all of it
      meant = w().model().snapshot();
    }
    waitForResults();
    QCOMPARE(late, std::size_t{0});
    const EvalViewPtr last = w().service().latest();
    QVERIFY(!last->isGrowing);
    QCOMPARE(last->plan, meant);
    for (const Node& node : meant->nodes) QVERIFY2(last->evaluation.reports.contains(node.uid), node.uid.c_str());
    for (const auto& [uid, report] : last->evaluation.reports)
      QVERIFY2(report.state == NodeState::Done || report.state == NodeState::Skipped, uid.c_str());
  }

  /// The first picture of a new request is taken even when it has as many layers as the one that is shown: another mode
  /// was asked for, say.
  void eachRequestShowsItsFirstPicture() {
    std::vector<EvalViewPtr> stages;
    connect(&w().service(), &EvaluationService::grew, this, [&](const EvalViewPtr& v) { stages.push_back(v); });
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    QVERIFY(!stages.empty());
    trigger("site_points");
    waitForResults();
    const auto numbers = [&] {
      QStringList names;
      for (const QComboBox* box : w().site().findChildren<QComboBox*>())
        for (int i = 0; i < box->count(); ++i) names << box->itemText(i);
      return names;
    };
    const auto with = [&](const char* name, std::size_t request) {
      auto view = std::make_shared<EvalView>(*stages.back());
      view->colorNames.insert(name);
      view->request = request;
      return view;
    };
    const std::size_t next = w().service().latest()->request + 1;
    w().site().showResults(with("one", next));
    QVERIFY(numbers().contains(QStringLiteral("one")));
    w().site().showResults(with("two", next));  // no layer more
    QVERIFY(!numbers().contains(QStringLiteral("two")));
    w().site().showResults(with("three", next + 1));
    QVERIFY(numbers().contains(QStringLiteral("three")));
  }

  /// The next plan is seen by its own camera, from its first picture on, and nothing of the one before is left.
  /// A plan whose ground cannot be read: nobody is told to add ground, or an output, that is there.
  void whatFailedIsNotCalledMissing() {
    const QString moved = m_dir.filePath(QStringLiteral("deck.arvesk"));  // away from its files
    QFile::remove(moved);
    QVERIFY(QFile::copy(test::sourcePath("demo/examples/deck.arvesk"), moved));
    QVERIFY(w().openFile(moved));
    waitForResults();
    const QString site = w().site().emptyLine();
    QVERIFY2(site.contains(QLatin1String("Cove")) && site.contains(QLatin1String("tern-cove-height.png")) &&
                 !site.contains(QLatin1String("add ground")),
             qPrintable(site));
    const QString bench = w().findChild<QWidget*>(QStringLiteral("summary"))->accessibleDescription();
    QVERIFY2(bench.contains(QLatin1String("waiting for")) && !bench.contains(QLatin1String("No outputs")),
             qPrintable(bench));
  }

  void theNextPlanIsReadFromItsStart() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    QTest::keyClick(&plan(), Qt::Key_Home);
    plan().verticalScrollBar()->setValue(plan().verticalScrollBar()->maximum());
    plan().horizontalScrollBar()->setValue(plan().horizontalScrollBar()->maximum());
    QVERIFY(w().openFile(test::sourcePath("demo/sub-plans/place-settings.arvesk")));
    waitForResults();
    for (const char* node : {"jetty", "shown"})
      QVERIFY2(
          plan().viewport()->rect().contains(plan().viewport()->mapFrom(&plan(), plan().centerOf(QLatin1String(node)))),
          node);
  }

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
