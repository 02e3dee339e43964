// Nothing is cut off: on every kind's Bench, in every panel and window, in both palettes, at the size that pictures are
// taken at, words have the room that they need and nothing lies on top of its neighbor.
#include "app/window/key_window.h"
#include "tests/app/looks.h"
#include "tests/app/window_test.h"

using namespace arvesk;

class TestFit : public test::WindowTest {
  Q_OBJECT

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
    Theme::apply(*qApp, QStringLiteral("paper"));
  }

  void everyKindFitsOnTheBench_data() {
    QTest::addColumn<QString>("id");
    for (const NodeKind* kind : allNodeKinds()) QTest::newRow(kind->id.c_str()) << QString::fromStdString(kind->id);
  }
  void everyKindFitsOnTheBench() {
    QFETCH(QString, id);
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

  void everyPanelFits_data() {
    QTest::addColumn<QString>("theme");
    QTest::addColumn<QSize>("size");
    for (const char* theme : {"paper", "night"}) {
      QTest::addRow("%s, 1280 x 800", theme) << QString::fromLatin1(theme) << QSize(1280, 800);
      QTest::addRow("%s, 1920 x 1080", theme) << QString::fromLatin1(theme) << QSize(1920, 1080);
    }
  }
  void everyPanelFits() {
    QFETCH(QString, theme);
    QFETCH(QSize, size);
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
