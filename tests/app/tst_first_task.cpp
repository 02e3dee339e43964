// The first task of whoever starts the program: ground, points at even distances, none on steep places, none that
// overlap, two props at random sizes and turns, saved and handed over. Every click, key and text is counted.
#include "app/bench/choice_box.h"
#include "app/kit/kit_view.h"
#include "app/window/export_window.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QFileDialog>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

using namespace arvesk;

class TestFirstTask : public test::WindowTest {
  Q_OBJECT

  int m_actions = 0;

  void key(Qt::Key key, Qt::KeyboardModifiers with = {}) {
    ++m_actions;
    QWidget* focus = QApplication::focusWidget() ? QApplication::focusWidget() : m_window.get();
    QTest::keyClick(focus, key, with);
  }
  void click(QWidget* widget) {
    ++m_actions;
    QVERIFY(widget && widget->isVisible());
    QTest::mouseClick(widget, Qt::LeftButton);
  }
  /// A text with the Enter that ends it.
  void enter(const QString& text) {
    ++m_actions;
    QWidget* focus = QApplication::focusWidget();
    QVERIFY(focus);
    QTest::keyClicks(focus, text);
    QTest::keyClick(focus, Qt::Key_Return);
  }
  void add(const QString& words, const char* kind) {
    key(Qt::Key_Return);
    QTRY_VERIFY(w().findChild<QLineEdit*>(QStringLiteral("find_line"))->hasFocus());
    enter(words);
    QCOMPARE(QString::fromStdString(document().nodes.back().kind == "choose-props"
                                        ? document().nodes[document().nodes.size() - 2].kind
                                        : document().nodes.back().kind),
             QLatin1String(kind));
  }
  /// Types into the file dialog that what comes next opens.
  void chooseInDialog(const QString& text) {
    QTimer::singleShot(50, this, [this, text] {
      auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
      if (!dialog) return chooseInDialog(text);
      ++m_actions;
      auto* line = dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
      line->setText(text);
      QTest::keyClick(line, Qt::Key_Return);
    });
  }

  /// What a desktop does when a dialog closes.
  void backInTheWindow() {
    m_window->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(m_window.get()));
  }

 private Q_SLOTS:
  void initTestCase() {
    startTests();
    QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
  }
  void init() { openWindow(); }
  void cleanup() {
    w().model().undoStack().setClean();
    m_window.reset();
  }

  void fromNothingToAnEngine() {
    QTemporaryDir dir;
    m_window->activateWindow();
    add(QStringLiteral("shape"), "shape");
    add(QStringLiteral("scatter evenly"), "sow-on-surface");
    click(w().bench().findChild<ChoiceBox*>(QStringLiteral("way"))->button(QStringLiteral("even")));
    plan().setFocus();  // the Plan takes Enter from wherever a choice was made
    add(QStringLiteral("steep"), "keep-by-slope");
    add(QStringLiteral("random size"), "vary");
    add(QStringLiteral("dress"), "dress");
    click(w().findChild<QToolButton*>(QStringLiteral("tab_kit")));
    const auto prop = [](const char* name) {
      return test::sourcePath(qPrintable(QStringLiteral("demo/tern-cove/kit/%1").arg(QLatin1String(name))));
    };
    chooseInDialog(QStringLiteral("\"%1\" \"%2\"").arg(prop("pebble-a.glb"), prop("boulder-c.glb")));
    click(w().findChild<QToolButton*>(QStringLiteral("add_props")));
    backInTheWindow();
    QCOMPARE(document().props.size(), std::size_t{2});
    click(w().findChild<QToolButton*>(QStringLiteral("tab_plan")));
    add(QStringLiteral("remove overlaps"), "clearance");
    add(QStringLiteral("output"), "output");
    waitForResults();
    const QString saved = dir.filePath(QStringLiteral("first.arvesk"));
    chooseInDialog(saved);
    key(Qt::Key_S, Qt::ControlModifier);
    backInTheWindow();
    QVERIFY(QFileInfo::exists(saved));
    key(Qt::Key_E, Qt::ControlModifier);
    auto* exporting = w().findChild<ExportWindow*>(QStringLiteral("export_window"));
    QVERIFY(exporting);
    click(exporting->findChild<QPushButton*>(QStringLiteral("export_start")));
    QTRY_VERIFY_WITH_TIMEOUT(!exporting->isBusy(), 60'000);
    QVERIFY2(QFileInfo(dir.filePath(QStringLiteral("first.glb"))).size() > 1000,
             qPrintable(exporting->findChild<QLineEdit*>(QStringLiteral("export_path"))->text()));
    qInfo("%d actions", m_actions);
    QVERIFY(m_actions <= 25);

    // What came out is what was asked for.
    const auto& reports = w().service().latest()->evaluation.reports;
    for (const Node& node : document().nodes) QCOMPARE(reports.at(node.uid).state, NodeState::Done);
    const PointsPtr points = w().service().latest()->evaluation.firstOf<PointsPtr>(uidOf("Output"));
    QVERIFY(points && points->count > 10);
    std::set<std::int32_t> props;
    std::set<float> sizes;
    std::set<float> turns;
    for (std::size_t i = 0; i < points->count; ++i) {
      props.insert(points->prop[i]);
      sizes.insert(points->size[i].x);
      turns.insert(points->orientation[i].y);
    }
    QCOMPARE(props.size(), std::size_t{2});
    QVERIFY(sizes.size() > points->count / 2 && turns.size() > points->count / 2);
    const Node* sow = document().find(uidOf("Sow on surface"));
    QCOMPARE(std::get<std::string>(sow->value(*findNodeKind("sow-on-surface")->findParam("way"))), std::string("even"));
  }

  /// Several words, of names, synonyms and help; and what comes near when nothing fits.
  void theFindFieldUnderstands_data() {
    QTest::addColumn<QString>("asked");
    QTest::addColumn<QString>("kind");
    const std::initializer_list<std::pair<const char*, const char*>> rows = {{"remove overlaps", "clearance"},
                                                                             {"scatter evenly", "sow-on-surface"},
                                                                             {"random size", "vary"},
                                                                             {"up", "orient"},
                                                                             {"break up", "break-up"},
                                                                             {"xyzzy", "nothing"},
                                                                             {"volume fill", "sow-in-volume"},
                                                                             {"overlap", "clearance"},
                                                                             {"terr", "terrain"},
                                                                             {"scale", "vary"}};
    for (const auto& [asked, kind] : rows) QTest::newRow(asked) << asked << kind;
  }
  void theFindFieldUnderstands() {
    QFETCH(QString, asked);
    QFETCH(QString, kind);
    plan().setFocus();
    QTest::keyClick(&plan(), Qt::Key_Return);
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("find_line"));
    QTest::keyClicks(line, asked);
    QTest::keyClick(line, Qt::Key_Return);
    QCOMPARE(QString::fromStdString(document().nodes.empty() ? "nothing" : document().nodes.front().kind), kind);
  }

  /// Without a plan there is something to begin with; it goes as soon as there is one.
  void theStartPage() {
    auto* page = w().findChild<QWidget*>(QStringLiteral("start_page"));
    QVERIFY(page && page->isVisible());
    auto* demo = page->findChild<QToolButton*>(QStringLiteral("start_example_0"));
    QVERIFY(demo && demo->isVisible() && !demo->icon().isNull());
    chooseInDialog(test::sourcePath("demo/tern-cove/tern-cove-height.png"));
    QTest::mouseClick(page->findChild<QPushButton*>(QStringLiteral("start_ground")), Qt::LeftButton);
    QCOMPARE(document().nodes.size(), std::size_t{1});
    QCOMPARE(document().nodes.front().kind, std::string("terrain"));
    QVERIFY(!page->isVisible());
    w().model().undoStack().setClean();
    trigger("file_new");
    QVERIFY(page->isVisible());
    // Saved plans are there the next time, with a picture.
    QTemporaryDir dir;
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    QVERIFY(!page->isVisible());
    waitForResults();
    QTRY_VERIFY(w().site().samplesShown() > 0);
    QVERIFY(w().saveTo(dir.filePath(QStringLiteral("mine.arvesk"))));
    trigger("file_new");
    QVERIFY(page->isVisible());
    auto* mine = page->findChild<QToolButton*>(QStringLiteral("start_recent_0"));
    QVERIFY(mine && mine->isVisible());
    QCOMPARE(mine->accessibleName(), QStringLiteral("mine"));
    QTest::mouseClick(mine, Qt::LeftButton);
    QVERIFY(!document().nodes.empty());
  }

  /// What has no Output yet is seen all the same, and said not to be exported.
  void pointsShowWithoutAnOutput() {
    add(QStringLiteral("shape"), "shape");
    add(QStringLiteral("scatter"), "sow-on-surface");
    waitForResults();
    const EvalViewPtr view = w().service().latest();
    QCOMPARE(view->shown.size(), std::size_t{1});
    QVERIFY(view->shown.front().points->count > 0);
    QCOMPARE(view->totals.placements, std::size_t{0});
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("message"))->text().startsWith(QStringLiteral("no Output yet: ")));
    plan().select({});
    QVERIFY(w().bench()
                .findChild<QWidget*>(QStringLiteral("summary"))
                ->accessibleDescription()
                .contains(QStringLiteral("No Output yet")));
  }
};

QTEST_MAIN(TestFirstTask)
#include "tst_first_task.moc"
