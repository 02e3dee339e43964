// Nothing is cut off: on every kind's Bench, in every panel and window, in both palettes and languages, at the size
// that pictures are taken at, words have the room that they need and nothing lies on top of its neighbor.
#include "app/model/words.h"
#include "app/window/key_window.h"
#include "tests/app/looks.h"
#include "tests/app/window_test.h"

#include <QScrollArea>
#include <QScrollBar>

using namespace arvesk;

class TestFit : public test::WindowTest {
  Q_OBJECT

  void reopenIn(const QString& language) {
    if (language == spoken()) return;
    m_window.reset();
    speak(language);
    openWindow();
  }
  void looksRight(QWidget* root, const QString& where) {
    for (int i = 0; i < 40 && (!test::cutOffIn(root).isEmpty() || !test::overlapIn(root).isEmpty()); ++i)
      QTest::qWait(25);  // what is being laid out
    QVERIFY2(test::cutOffIn(root).isEmpty(), qPrintable(where + QStringLiteral(": ") + test::cutOffIn(root)));
    QVERIFY2(test::overlapIn(root).isEmpty(), qPrintable(where + QStringLiteral(": ") + test::overlapIn(root)));
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() {
    m_window.reset();
    speak(QStringLiteral("en"));
    Theme::apply(*qApp, QStringLiteral("paper"));
  }

  void everyKindFitsOnTheBench_data() {
    QTest::addColumn<QString>("id");
    QTest::addColumn<QString>("language");
    for (const char* language : {"en", "de"})
      for (const NodeKind* kind : allNodeKinds())
        QTest::addRow("%s, %s", kind->id.c_str(), language) << text(kind->id) << QString::fromLatin1(language);
  }
  void everyKindFitsOnTheBench() {
    QFETCH(QString, id);
    QFETCH(QString, language);
    reopenIn(language);
    const NodeKind& kind = *findNodeKind(id.toStdString());
    const QString uid = w().model().addNode(kind, 40, 40);
    plan().reveal(uid);
    looksRight(&w().bench(), id);
    // Every choice may show other controls.
    for (const ParamSpec& spec : kind.params) {
      if (spec.type == ParamType::Toggle)
        w().model().setParam(uid, spec.id, !std::get<bool>(document().find(uid.toStdString())->value(spec)));
      if (spec.type != ParamType::Choice) continue;
      for (const Option& option : spec.options) {
        w().model().setParam(uid, spec.id, option.id);
        looksRight(
            &w().bench(),
            QStringLiteral("%1, %2 is %3").arg(id, QString::fromStdString(spec.id), QString::fromStdString(option.id)));
        if (QTest::currentTestFailed()) return;
      }
    }
    const QRect bench(w().bench().mapTo(&w(), QPoint()), w().bench().size());
    QVERIFY2(w().rect().contains(bench), "the Bench is inside the window");
  }

  /// However the panes stand, on small screens and large ones: every control of every kind can be reached and read.
  void everyKindFitsAnyArrangement_data() {
    QTest::addColumn<QString>("arrangement");
    QTest::addColumn<QSize>("size");
    for (const char* name : {"view_site_large", "view_plan_large", "view_side_by_side"})
      for (const QSize& size : {QSize(1024, 768), QSize(1440, 900), QSize(3840, 2160)})
        QTest::addRow("%s %d", name, size.width()) << QString::fromLatin1(name) << size;
  }
  void everyKindFitsAnyArrangement() {
    QFETCH(QString, arrangement);
    QFETCH(QSize, size);
    w().resize(size);
    trigger(qPrintable(arrangement));
    QTest::qWait(60);
    QCOMPARE(w().size(), size);
    const auto placeOf = [&](QWidget* pane) { return QRect(pane->mapTo(&w(), QPoint()), pane->size()); };
    const QRect planPlace = placeOf(&plan());
    const QRect site = placeOf(&w().site());
    const QRect bench = placeOf(&w().bench());
    for (const QRect& pane : {planPlace, site, bench})
      QVERIFY2(
          w().rect().contains(pane) && pane.width() >= 250 && pane.height() >= 180,
          qPrintable(
              QStringLiteral("%1 × %2 at %3, %4").arg(pane.width()).arg(pane.height()).arg(pane.x()).arg(pane.y())));
    QVERIFY(!planPlace.intersects(site) && !site.intersects(bench) && !bench.intersects(planPlace));
    QVERIFY((arrangement == QStringLiteral("view_plan_large")) == (planPlace.left() > site.left()));
    QVERIFY((arrangement == QStringLiteral("view_side_by_side")) ==
            (bench.left() > site.left() && bench.left() > planPlace.left() && bench.top() < site.center().y()));
    if (arrangement == QStringLiteral("view_plan_large"))
      QVERIFY(planPlace.width() * planPlace.height() > 3 * bench.width() * bench.height() / 4);
    for (const NodeKind* kind : allNodeKinds()) {
      const QString uid = w().model().addNode(*kind, 40, 40);
      plan().select({uid});
      looksRight(&w().bench(), QString::fromStdString(kind->id));
      for (const QScrollArea* area : w().bench().findChildren<QScrollArea*>())
        if (area->isVisible()) QVERIFY2(area->horizontalScrollBar()->maximum() == 0, kind->id.c_str());
      if (QTest::currentTestFailed()) return;
      w().model().undoStack().undo();
    }
  }

  /// However long a name is.
  void noNameWidensAPane() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    const int before = w().bench().width();
    plan().select({QStringLiteral("sow")});
    w().model().rename(QStringLiteral("sow"), QString(300, QLatin1Char('W')));
    waitForResults();
    QTest::qWait(50);
    QCOMPARE(w().bench().width(), before);
    QCOMPARE(w().width(), 1280);
    looksRight(&w(), QStringLiteral("a long name"));
  }

  /// Whatever is selected, panes keep the sizes that they have.
  void panesKeepTheirSizes() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    const QSize site = w().site().size();
    for (const char* title : {"Marram", "Sit and lean", "Marram tufts", "Dry", "Cove", "Plants", "Not on steep sand"}) {
      plan().reveal(quid(title));
      waitForResults();
      QTest::qWait(30);
      QVERIFY2(w().site().size() == site, title);
    }
    plan().select({});
    QTest::qWait(30);
    QCOMPARE(w().site().size(), site);
  }

  void everyPanelFits_data() {
    QTest::addColumn<QString>("theme");
    QTest::addColumn<QSize>("size");
    QTest::addColumn<QString>("language");
    for (const char* theme : {"paper", "night"}) {
      QTest::addRow("%s, 1280 x 800", theme) << QString::fromLatin1(theme) << QSize(1280, 800) << QStringLiteral("en");
      QTest::addRow("%s, 1920 x 1080", theme)
          << QString::fromLatin1(theme) << QSize(1920, 1080) << QStringLiteral("en");
    }
    QTest::addRow("German, 1280 x 800") << QStringLiteral("paper") << QSize(1280, 800) << QStringLiteral("de");
    QTest::addRow("German, 1024 x 768") << QStringLiteral("night") << QSize(1024, 768) << QStringLiteral("de");
  }
  void everyPanelFits() {
    QFETCH(QString, theme);
    QFETCH(QSize, size);
    QFETCH(QString, language);
    reopenIn(language);
    Theme::apply(*qApp, theme);
    w().resize(size);
    const bool isLarge = size.width() < 1900 && theme == QStringLiteral("paper");
    QVERIFY(w().openFile(test::sourcePath(isLarge ? "demo/tern-cove/tern-cove.arvesk" : "demo/examples/deck.arvesk")));
    waitForResults();
    QCOMPARE(w().size(), size);
    looksRight(&w(), QStringLiteral("Bench of the plan"));
    if (const auto chooser = std::find_if(document().nodes.begin(), document().nodes.end(),
                                          [](const Node& n) { return n.kind == "choose-props"; });
        chooser != document().nodes.end()) {
      plan().select({QString::fromStdString(chooser->uid)});
      looksRight(&w().bench(), QStringLiteral("the whole Kit on the Bench"));
    }
    w().showBottom(MainWindow::Bottom::Schedule);
    QTRY_VERIFY_WITH_TIMEOUT(!w().schedule().isBusy(), 120'000);
    looksRight(&w(), QStringLiteral("Schedule"));
    w().showBottom(MainWindow::Bottom::Ledger);
    looksRight(&w(), QStringLiteral("Ledger"));
    w().showKit(true);
    looksRight(&w(), QStringLiteral("Kit"));
    trigger("help_keys");
    looksRight(w().findChild<KeyWindow*>(QStringLiteral("key_window")), QStringLiteral("keys"));
    w().openExport();
    QTRY_VERIFY(w().findChild<QDialog*>(QStringLiteral("export_window")));
    looksRight(w().findChild<QDialog*>(QStringLiteral("export_window")), QStringLiteral("Export"));
  }
};

QTEST_MAIN(TestFit)
#include "tst_fit.moc"
