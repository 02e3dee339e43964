// The application as an artist uses it: from an empty plan to an export, by mouse and keys alone.
#include "app/window/application.h"
#include "app/window/export_window.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"
#include "tests/support/plans.h"

#include <QCheckBox>
#include <QDockWidget>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QToolButton>

#include <set>

using namespace arvesk;
using test::answerNextBox;

class TestWindow : public test::WindowTest {
  Q_OBJECT

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void sixNodesFromAnEmptyPlanToAnExport() {
    plan().setFocus();
    addByKeys(QStringLiteral("shape"));
    addByKeys(QStringLiteral("sow"));
    QCOMPARE(document().nodes.size(), std::size_t{2});
    QCOMPARE(document().nodes[1].inputs.at("surface").front().node,
             uidOf("Shape"));  // joined to the card it was added after
    addByKeys(QStringLiteral("keep by slope"));
    addByKeys(QStringLiteral("dress"));
    addByKeys(QStringLiteral("output"));
    // Dress brought its list of props along, which takes the first ones that come.
    QCOMPARE(document().nodes.size(), std::size_t{6});
    w().findChild<KitView*>(QStringLiteral("kit"))
        ->addFiles({test::sourcePath("demo/tern-cove/kit/pebble-a.glb"),
                    test::sourcePath("demo/tern-cove/kit/boulder-c.glb")});
    plan().select({quid("Choose props")});
    for (const PropEntry& p : document().props)
      QVERIFY(w().bench().findChild<QCheckBox*>(QStringLiteral("props.") + QString::fromStdString(p.uid))->isChecked());
    // A ball gives slopes to cut.
    plan().select({quid("Shape")});
    w().model().setParam(quid("Shape"), "form", std::string("ball"));
    clickCard("Sow on surface");
    type(w().bench().findChild<QLineEdit*>(QStringLiteral("density")), QStringLiteral("8*5"));
    QCOMPARE(std::get<double>(document().find(uidOf("Sow on surface"))->params.at("density")), 40.0);
    waitForResults();
    QCOMPARE(report("Output").state, NodeState::Done);
    const std::size_t before = report("Keep by slope").passed.front();
    QVERIFY(before > 50 && report("Keep by slope").given > before);
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("counts"))->text().contains(QStringLiteral("placed (draft)")));

    // Cut where the data is: drag the band's third handle to the left and see the count fall.
    clickCard("Keep by slope");
    auto* chart = w().bench().findChild<DistributionView*>(QStringLiteral("distribution"));
    QTRY_VERIFY(chart->histogram());
    const QPoint handle = chart->handlePosition(2).toPoint();
    test::dragMouse(chart, handle, handle - QPoint(50, 0));
    waitForResults();
    const std::size_t after = report("Keep by slope").passed.front();
    QVERIFY(after < before);
    QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);  // one step for the whole drag
    waitForResults();
    QCOMPARE(report("Keep by slope").passed.front(), before);
    trigger("edit_redo");
    waitForResults();
    QCOMPARE(report("Keep by slope").passed.front(), after);

    const QString file = m_dir.filePath(QStringLiteral("six.arvesk"));
    QVERIFY(w().isWindowModified());
    QVERIFY(w().saveTo(file));
    QVERIFY(!w().isWindowModified());
    const auto nodes = document().nodes;
    trigger("file_new");
    QCOMPARE(document().nodes.size(), std::size_t{0});
    QVERIFY(w().openFile(file));
    QVERIFY(document().nodes == nodes);
    waitForResults();
    QCOMPARE(report("Keep by slope").passed.front(), after);

    trigger("file_export");
    auto* dialog = w().findChild<ExportWindow*>(QStringLiteral("export_window"));
    QVERIFY(dialog);
    const QString out = m_dir.filePath(QStringLiteral("six.csv"));
    auto* path = dialog->findChild<QLineEdit*>(QStringLiteral("export_path"));
    path->selectAll();
    QTest::keyClicks(path, out);
    QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!dialog->isBusy(), 60'000);
    QFile csv(out);
    QVERIFY(csv.open(QIODevice::ReadOnly));
    const QString words = dialog->findChild<QLabel*>(QStringLiteral("export_message"))->text();
    QVERIFY2(words.startsWith(QLocale().toString(csv.readAll().count('\n') - 1) + QStringLiteral(" placements, ")),
             qPrintable(words));
    dialog->close();
  }

  void cardsAreConnectedInsertedLiftedSkippedAndDeleted() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    // Insert by a double click on the ribbon.
    QTest::mouseDClick(paper(), Qt::LeftButton, {}, plan().ribbonPlace(QStringLiteral("sow"), QStringLiteral("slope")));
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("find_line"));
    QTRY_VERIFY(line->isVisible());
    QTest::keyClicks(line, QStringLiteral("vary"));
    QTest::keyClick(line, Qt::Key_Return);
    const std::string vary = uidOf("Vary");
    QCOMPARE(document().find("slope")->inputs.at("points").front().node, vary);
    QCOMPARE(document().find(vary)->inputs.at("points").front().node, std::string("sow"));
    // Skip it; the card says so and the count does not change.
    waitForResults();
    clickCard("Vary");
    QTest::keyClick(&plan(), Qt::Key_K);
    QVERIFY(document().find(vary)->isSkipped);
    // Lift it out: the ribbon heals.
    QTest::keyClick(&plan(), Qt::Key_L);
    QCOMPARE(document().find("slope")->inputs.at("points").front().node, std::string("sow"));
    QVERIFY(document().find(vary));
    // Connect it again by dragging from its foot to the card of Dress.
    plan().select({QString::fromStdString(vary)});
    drag(plan().slotPlace(QString::fromStdString(vary), "out:points"), plan().centerOf(QStringLiteral("dress")));
    QCOMPARE(document().find("dress")->inputs.at("points").front().node, vary);
    w().model().undoStack().undo();
    // What would close a loop is refused.
    QVERIFY(!w().model().whyNot(QStringLiteral("dress"), "points", QStringLiteral("slope"), "points").isEmpty());
    // Delete heals too.
    clickCard("Level places");
    QTest::keyClick(&plan(), Qt::Key_Delete);
    QVERIFY(!document().find("slope"));
    QCOMPARE(document().find("dress")->inputs.at("points").front().node, std::string("sow"));
    // A selected ribbon is disconnected.
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().ribbonPlace(QStringLiteral("sow"), QStringLiteral("dress")));
    QTest::keyClick(&plan(), Qt::Key_Delete);
    QVERIFY(!document().find("dress")->inputs.contains("points"));
    while (w().model().undoStack().canUndo()) w().model().undoStack().undo();
    const auto saved = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
    QVERIFY(document().nodes == saved->nodes);
  }

  void masksDockAndAreRenamedAndGivenByDragging() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/from-your-mesh.arvesk")));
    waitForResults();
    QVERIFY(isDocked(document(), *document().find("up")));
    QVERIFY(!w().masks().latest()->at("up").picture.isNull());
    // Select the mask's tag; F2 renames it; the card's line follows.
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().centerOf(QStringLiteral("up")));
    QCOMPARE(plan().selection(), QStringList{QStringLiteral("up")});
    waitForResults();
    const auto shown = w().masks().latest()->at("up").histogram;
    QVERIFY(shown);
    QCOMPARE(shown->keptCount + shown->leftCount, w().service().latest()->evaluation.firstOf<PointsPtr>("sow")->count);
    QTest::keyClick(&plan(), Qt::Key_F2);
    auto* rename = w().findChild<QLineEdit*>(QStringLiteral("rename_line"));
    QTest::keyClicks(rename, QStringLiteral("Faces the sky"));
    QTest::keyClick(rename, Qt::Key_Return);
    QCOMPARE(document().find("up")->title, std::string("Faces the sky"));
    QVERIFY(QString::fromStdString(sentenceOf(document(), *document().find("sow"), Quality::Draft))
                .endsWith(QStringLiteral("where Faces the sky")));
    // Dragged onto another card, the same mask is used there too.
    drag(plan().centerOf(QStringLiteral("up")), plan().centerOf(QStringLiteral("vary")));
    QCOMPARE(document().find("vary")->inputs.at("where").front().node, std::string("up"));
    // Its distribution is that of the points that its first user makes.
    waitForResults();
    plan().select({QStringLiteral("up")});
    QTRY_VERIFY(w().bench().findChild<DistributionView*>(QStringLiteral("distribution"))->histogram());
    // The Mask view asks for it on the ground.
    QTest::mouseClick(w().site().findChild<QToolButton*>(QStringLiteral("mode_mask")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->scene && w().service().latest()->scene->input().groundMask,
                             120'000);
  }

  /// Beside a text that names things there is a list of what there is, from the file or from what the points carry; a
  /// click puts a name in or takes it out. A distance fits itself to the props that it is measured from.
  void namesAndDistancesComeFromWhatThereIs() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/deck.arvesk")));
    waitForResults();
    const auto uidOfKind = [&](const char* kind) {
      for (const Node& n : document().nodes)
        if (n.kind == kind) return QString::fromStdString(n.uid);
      return QString();
    };
    const auto valueOf = [&](const char* param) {
      const auto& params = document().find(w().bench().node().toStdString())->params;
      const auto it = params.find(param);
      return it == params.end() ? std::string() : std::get<std::string>(it->second);
    };
    // The button of a parameter, once it has something to offer, with its menu filled as a click would.
    const auto offered = [&](const char* param) {
      const QString name = QLatin1String(param) + QStringLiteral(".names");
      (void)QTest::qWaitFor(
          [&] {
            auto* b = w().bench().findChild<QToolButton*>(name);
            return b && b->isVisible();
          },
          20'000);
      QMenu* menu = w().bench().findChild<QToolButton*>(name)->menu();
      Q_EMIT menu->aboutToShow();
      return menu;
    };
    plan().select({uidOfKind("markers")});
    const auto actionOf = [](QMenu* menu, const QString& name) {
      for (QAction* a : menu->actions())
        if (a->text().section(QLatin1Char('\t'), 0, 0) == name) return a;
      return static_cast<QAction*>(nullptr);
    };
    QVERIFY(actionOf(offered("under"), QStringLiteral("layout"))->isChecked());
    const std::string markers = w().bench().node().toStdString();
    const auto found = [&] { return w().service().latest()->evaluation.firstOf<PointsPtr>(markers)->count; };
    const std::size_t before = found();
    QMenu* names = offered("names");
    QVERIFY(names->actions().size() > 2);
    QAction* one = nullptr;
    for (QAction* a : names->actions())
      if (a->text().contains(QLatin1Char('\t'))) one = a;
    QVERIFY(one && one->isChecked());  // * means all
    const QString chosen = one->text().section(QLatin1Char('\t'), 0, 0);
    const auto count = static_cast<std::size_t>(one->text().section(QLatin1Char('\t'), 1, 1).toInt());
    QVERIFY(count > 0 && count < before);
    w().model().setParam(w().bench().node(), "names", std::string("no such"));
    waitForResults();
    QMenu* menu = offered("names");
    QVERIFY(menu->actions().back()->text().contains(QStringLiteral("no such")) && !menu->actions().back()->isEnabled());
    actionOf(menu, chosen)->trigger();
    QCOMPARE(valueOf("names"), "no such; " + chosen.toStdString());
    waitForResults();
    QCOMPARE(found(), count);
    actionOf(offered("names"), chosen)->trigger();
    QCOMPARE(valueOf("names"), std::string("no such"));

    w().model().setParam(w().bench().node(), "names", std::string("*"));
    waitForResults();

    // A band from the props.
    w().model().edit(QStringLiteral("distance"), [&](Plan& p) {
      Node n;
      n.uid = "away";
      n.title = "Away";
      n.kind = "distance";
      for (const Node& other : p.nodes)
        if (other.kind == "dress" && w().service().latest()->evaluation.firstOf<PointsPtr>(other.uid)->count > 0)
          n.inputs["points"] = {{other.uid, "points", "slot"}};
      p.nodes.push_back(n);
    });
    plan().select({QStringLiteral("away")});
    w().model().setParam(QStringLiteral("away"), "to", std::string("centers"));
    waitForResults();
    const auto fit = [&] { return w().bench().findChild<QToolButton*>(QStringLiteral("fit_to_props")); };
    QTRY_VERIFY_WITH_TIMEOUT(fit() && fit()->isVisible() && fit()->isEnabled(), 20'000);
    QTest::mouseClick(fit(), Qt::LeftButton);
    const auto band = std::get<std::vector<double>>(document().find("away")->params.at("band"));
    double sum = 0;
    const std::string dress = document().find("away")->inputs.at("points").front().node;
    const auto dressed = w().service().latest()->evaluation.firstOf<PointsPtr>(dress);
    for (std::size_t i = 0; i < dressed->count; ++i) sum += static_cast<double>(dressed->effectiveFootprint(i));
    QVERIFY(test::within(band[2], sum / static_cast<double>(dressed->count), 0.02));
    QVERIFY(band[0] == 0 && band[1] == 0 && band[3] > band[2]);
  }

  void oneNodeInSiteShowsItsBanner() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    clickCard("Level places");
    QTest::keyClick(&plan(), Qt::Key_I);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->inSite == "slope", 120'000);
    auto* banner = w().site().findChild<QWidget*>(QStringLiteral("banner"));
    QVERIFY(banner->isVisible());
    QCOMPARE(w().service().latest()->bare.size(), std::size_t{1});  // undressed points are shown as points
    QVERIFY(w().service().latest()->scene->input().layers.back().isGhost);
    QTest::mouseClick(w().site().findChild<QToolButton*>(QStringLiteral("show_all")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->inSite.empty(), 120'000);
    QVERIFY(!banner->isVisible());
  }

  void siteOrbitsZoomsPansAndPicks() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(w().site().samplesShown() >= 1, 120'000);
    SiteView& site = w().site();
    const QPoint middle = site.rect().center();
    const Camera start = site.camera();
    test::dragMouse(&site, middle, middle + QPoint(60, 20), Qt::MiddleButton);
    QVERIFY(glm::distance(start.eye, site.camera().eye) > 1);
    const Camera orbited = site.camera();
    QVERIFY(test::within(static_cast<double>(glm::distance(orbited.eye, orbited.target)),
                         static_cast<double>(glm::distance(start.eye, start.target)), 1e-3));
    test::dragMouse(&site, middle, middle + QPoint(50, 0), Qt::RightButton);
    QVERIFY(glm::distance(orbited.target, site.camera().target) > 0.1F);
    QWheelEvent wheel(middle, site.mapToGlobal(middle), {}, {0, 240}, {}, {}, Qt::NoScrollPhase, false);
    const float before = glm::length(site.camera().eye);
    QApplication::sendEvent(&site, &wheel);
    QVERIFY(glm::length(site.camera().eye) < before);
    QTest::keyClick(&site, Qt::Key_1);
    QVERIFY(site.camera() == start);
    QSignalSpy picked(&site, &SiteView::picked);
    QTest::mouseClick(&site, Qt::LeftButton, {}, middle);
    QCOMPARE(picked.count(), 1);
    QVERIFY(!picked[0][0].toString().isEmpty());
  }

  void copiedNodesArriveWithTheirProps() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    plan().select({QStringLiteral("kale"), QStringLiteral("kale-flat"), QStringLiteral("kale-props")});
    plan().setFocus();
    trigger("edit_copy");
    trigger("file_new");
    trigger("edit_paste");
    QCOMPARE(document().nodes.size(), std::size_t{3});
    QCOMPARE(document().props.size(), std::size_t{1});
    const std::string sow = uidOf("Sea kale");
    QCOMPARE(sow, std::string("kale"));  // in another plan they are who they were, and scatter the same
    QCOMPARE(document().find(uidOf("Level sand"))->inputs.at("points").front().node, sow);
    QVERIFY(!document().find(sow)->inputs.contains("surface"));  // the ground was not copied along
    trigger("edit_duplicate");
    QCOMPARE(document().nodes.size(), std::size_t{6});
    std::set<std::string> uids;
    for (const Node& n : document().nodes) uids.insert(n.uid);
    QCOMPARE(uids.size(), std::size_t{6});
  }

  void filesDroppedBecomeGround() {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(test::sourcePath("demo/tern-cove/tern-cove-height.png")),
                  QUrl::fromLocalFile(test::sourcePath("demo/tern-cove/kit/boulder-a.glb"))});
    QDragEnterEvent enter(QPoint(100, 200), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(&w(), &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent drop(QPointF(100, 200), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(&w(), &drop);
    QCOMPARE(document().nodes.size(), std::size_t{2});
    QCOMPARE(document().nodes[0].kind, std::string("terrain"));
    QCOMPARE(document().nodes[1].kind, std::string("mesh-file"));
    waitForResults();
    QCOMPARE(report("boulder-a").state, NodeState::Done);
  }

  void whatWasOpenAndHowIsRemembered() {
    const QString file = m_dir.filePath(QStringLiteral("remembered.arvesk"));
    QVERIFY(QFile::copy(test::sourcePath("demo/examples/one-slope.arvesk"), file));
    QVERIFY(w().openFile(file));
    waitForResults();
    w().resize(1211, 777);
    auto* bottom = w().findChild<QDockWidget*>(QStringLiteral("bottom_dock"));
    auto* site = w().findChild<QDockWidget*>(QStringLiteral("site_dock"));
    w().resizeDocks({site, bottom}, {site->height() + bottom->height() - 310, 310}, Qt::Vertical);
    QTRY_VERIFY(std::abs(bottom->height() - 310) < 30);
    const int height = bottom->height();
    QVERIFY(w().close());  // nothing is unsaved, so nothing is asked
    m_window = std::make_unique<MainWindow>();
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    QCOMPARE(w().size(), QSize(1211, 777));
    QTRY_VERIFY(std::abs(w().findChild<QDockWidget*>(QStringLiteral("bottom_dock"))->height() - height) < 4);
    QMenu* recent = nullptr;
    for (QMenu* menu : w().findChildren<QMenu*>())
      if (menu->title() == QStringLiteral("Open recent")) recent = menu;
    QVERIFY(recent);
    Q_EMIT recent->aboutToShow();
    QVERIFY(!recent->actions().isEmpty());
    QVERIFY2(recent->actions().first()->text().contains(QStringLiteral("remembered")),
             qPrintable(recent->actions().first()->text()));
    recent->actions().first()->trigger();
    QCOMPARE(w().file(), file);
    QCOMPARE(document().nodes.size(), std::size_t{6});
    // A file that is gone is told, and what is open stays.
    QVERIFY(QFile::remove(file));
    answerNextBox(QStringLiteral("OK"));
    QVERIFY(!w().openFile(file));
    QCOMPARE(document().nodes.size(), std::size_t{6});
  }

  void brokenPlansAreRefusedAndTheOldOneStays() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    const auto nodes = document().nodes;
    QFile bad(m_dir.filePath(QStringLiteral("bad.arvesk")));
    QVERIFY(bad.open(QIODevice::WriteOnly));
    bad.write("no plan");
    bad.close();
    answerNextBox(QStringLiteral("OK"));
    QVERIFY(!w().openFile(bad.fileName()));
    QVERIFY(document().nodes == nodes);
  }

  void whatASlotThrowsIsToldAndTheProgramGoesOn() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    QPushButton thrower(QStringLiteral("throw"), &w());
    thrower.show();
    connect(&thrower, &QPushButton::clicked, &w(), [] { throw std::bad_alloc(); });
    QTest::mouseClick(&thrower, Qt::LeftButton);
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("message"))->text().contains(QStringLiteral("memory")));
    clickCard("Stones");
    QCOMPARE(plan().selection(), QStringList{quid("Stones")});
  }

  // The warning of points that were moved aside comes with the click that mends it, for the inputs that need it only.
  void setDownLastAtAClick() {
    Plan made = test::planOf(
        {test::node("Ball", "shape", {{"form", std::string("ball")}, {"radius", 4.0}}),
         test::node("Sow", "sow-on-surface", {{"density", 2.0}}, {{"surface", "Ball.surface"}}),
         test::node("Down", "set-down", {{"way", std::string("nearest-place")}},
                    {{"points", "Sow.points"}, {"ground", "Ball.surface"}}),
         test::node("Rock", "shape", {{"form", std::string("box")}, {"extent", std::vector<double>{1, 1, 1}}}),
         test::node("Off", "keep-out", {}, {{"points", "Down.points"}, {"surface", "Rock.surface"}}),
         test::node("Shift", "shift-by-noise", {{"strength", std::vector<double>{1, 0, 1}}},
                    {{"points", "Off.points"}}),
         test::node("All", "output", {}, {{"points", "Down.points|Shift.points"}})});
    for (std::size_t i = 0; i < made.nodes.size(); ++i) made.nodes[i].y = 100 * static_cast<double>(i);
    const QString file = m_dir.filePath(QStringLiteral("moved.arvesk"));
    QVERIFY(savePlan(made, file.toStdString()));
    QVERIFY(w().openFile(file));
    waitForResults();
    clickCard("Sow");
    auto* button = w().findChild<QPushButton*>(QStringLiteral("remedy"));
    QVERIFY(!button->isVisible());
    clickCard("All");
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("problems"))->text().contains(QStringLiteral("moved aside")));
    QTest::mouseClick(button, Qt::LeftButton);
    QCOMPARE(document().nodes.size(), made.nodes.size() + 1);
    const Node& added = document().nodes.back();
    QCOMPARE(added.kind, std::string("set-down"));
    QVERIFY(added.params == made.find("Down")->params);
    QCOMPARE(added.inputs.at("ground").front().node, std::string("Ball"));
    const auto& links = document().find("All")->inputs.at("points");
    QCOMPARE(links[0].node, std::string("Down"));
    QCOMPARE(links[1].node, added.uid);
    waitForResults();
    QVERIFY(!w().findChild<QLabel*>(QStringLiteral("problems"))->text().contains(QStringLiteral("moved aside")));
    QVERIFY(!button->isVisible());
    trigger("edit_undo");
    QCOMPARE(document().nodes.size(), made.nodes.size());
  }

  // Clearance before its props are known says so, and goes behind them at a click.
  void moveBelowThePropsAtAClick() {
    Plan made = test::crowdedPlan();
    made.find("sow")->params.erase("footprint");
    for (std::size_t i = 0; i < made.nodes.size(); ++i) made.nodes[i].y = 100 * static_cast<double>(i);
    for (PropEntry& p : made.props) p.file = test::sourcePath("demo/tern-cove/").toStdString() + p.file;
    const QString file = m_dir.filePath(QStringLiteral("crowded.arvesk"));
    QVERIFY(savePlan(made, file.toStdString()));
    QVERIFY(w().openFile(file));
    waitForResults();
    plan().select({QStringLiteral("apart")});
    auto* button = w().findChild<QPushButton*>(QStringLiteral("remedy"));
    QVERIFY(button->isVisible());
    QTest::mouseClick(button, Qt::LeftButton);
    const auto from = [&](const char* uid) { return document().find(uid)->inputs.at("points").front().node; };
    QCOMPARE(from("dress"), std::string("sow"));
    QCOMPARE(from("apart"), std::string("dress"));
    QCOMPARE(from("out"), std::string("apart"));
    waitForResults();
    QVERIFY(!button->isVisible());
    QVERIFY(w().service().latest()->totals.placements > 0);
    QVERIFY(report("apart").problems.empty());
    trigger("edit_undo");
    QCOMPARE(document(), *w().model().snapshot());
    QCOMPARE(from("apart"), std::string("sow"));
  }

  void draftAndFinal() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    const std::size_t draft = report("Stones").passed.front();
    for (QPushButton* b : w().findChildren<QPushButton*>(QStringLiteral("quality")))
      if (b->text() == QStringLiteral("Final")) QTest::mouseClick(b, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->quality == Quality::Final, 120'000);
    QVERIFY(report("Stones").passed.front() > draft * 3 / 2);
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("counts"))->text().contains(QStringLiteral("(final)")));
  }

  void planZoomsInThreeLevels() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    for (const double zoom : {1.0, 0.5, 0.2}) {
      plan().zoomTo(zoom, {300, 300});
      plan().grab();
    }
    plan().fitAll();
    for (const Node& n : document().nodes)
      if (!isDocked(document(), n))
        QVERIFY2(paper()->rect().contains(plan().centerOf(QString::fromStdString(n.uid))), n.title.c_str());
  }
};

int main(int argc, char** argv) {
  Application app(argc, argv);  // the product's own, with its border
  TestWindow test;
  QTEST_SET_MAIN_SOURCE_PATH
  return QTest::qExec(&test, argc, argv);
}
#include "tst_window.moc"
