// Kit, Schedule, Contact sheet and selection in Site, by mouse and keys as people use them.
#include "app/bench/choice_box.h"
#include "app/bench/number_field.h"
#include "app/kit/prop_mime.h"
#include "app/kit/prop_window.h"
#include "app/schedule/budget_bar.h"
#include "app/window/contact_sheet.h"
#include "core/formats/exporter.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QComboBox>
#include <QDropEvent>
#include <QFileDialog>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QScrollBar>
#include <QTabBar>
#include <QTabWidget>
#include <QTableView>
#include <QTableWidget>
#include <QTimer>
#include <QToolButton>
#include <QUrl>

using namespace arvesk;

class TestDressingUi : public test::WindowTest {
  Q_OBJECT

  KitView& kit() { return w().kit(); }
  SiteView& site() { return w().site(); }
  QListWidget* list() { return kit().findChild<QListWidget*>(QStringLiteral("kit_list")); }
  QString folder() { return m_dir.filePath(QStringLiteral("work")); }

  /// A plan of its own in a folder of its own, with copies of some props: what tests change on disk is theirs.
  void openCopy() {
    QDir().mkpath(folder() + QStringLiteral("/kit"));
    auto plan = loadPlan(test::sourcePath("demo/examples/growth.arvesk").toStdString());
    QVERIFY(plan);
    for (PropEntry& p : plan->props) {
      const QString name = QFileInfo(QString::fromStdString(p.file)).fileName();
      QFile::copy(test::sourcePath("demo/tern-cove/kit/") + name, folder() + QStringLiteral("/kit/") + name);
      p.file = "kit/" + name.toStdString();
    }
    for (Node& n : plan->nodes)
      for (const char* id : {"file", "color_file"})
        if (const auto it = n.params.find(id); it != n.params.end())
          it->second = test::sourcePath("demo/tern-cove/").toStdString() +
                       QFileInfo(QString::fromStdString(std::get<std::string>(it->second))).fileName().toStdString();
    QVERIFY(savePlan(*plan, (folder() + QStringLiteral("/growth.arvesk")).toStdString()));
    QVERIFY(w().openFile(folder() + QStringLiteral("/growth.arvesk")));
    waitForResults();
  }
  void clickProp(const char* name, Qt::KeyboardModifiers with = {}) {
    for (int i = 0; i < list()->count(); ++i)
      if (list()->item(i)->text().endsWith(QLatin1String(name))) {
        list()->scrollToItem(list()->item(i));
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, with, list()->visualItemRect(list()->item(i)).center());
        return;
      }
    QFAIL(name);
  }
  const PropEntry& prop(const char* name) {
    for (const PropEntry& p : document().props)
      if (p.name == name) return p;
    qFatal("no prop %s", name);
  }
  template <typename T>
  T* control(const char* name) {
    return kit().findChild<T*>(QLatin1String(name));
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    openWindow();
    openCopy();
  }
  void cleanup() {
    w().model().undoStack().setClean();
    m_window.reset();
    QDir(folder()).removeRecursively();
  }

  void kitIsSearchedTaggedAndEditedForMany() {
    w().showKit(true);
    QTest::keyClicks(control<QLineEdit>("kit_search"), QStringLiteral("boulder"));
    QCOMPARE(list()->count(), 3);
    clickProp("Boulder A");
    clickProp("Boulder C", Qt::ControlModifier);
    auto* tags = control<QLineEdit>("tags");
    type(tags, QStringLiteral("rock  large"));
    QCOMPARE(prop("Boulder A").tags, std::string("rock large"));
    QCOMPARE(prop("Boulder C").tags, std::string("rock large"));
    QVERIFY(prop("Boulder B").tags.empty());
    type(control<QLineEdit>("kit_search"), QStringLiteral("lar"));
    QCOMPARE(list()->count(), 2);  // found by tag now
    control<QLineEdit>("kit_search")->clear();
    QCOMPARE(list()->count(), static_cast<int>(document().props.size()));
    trigger("edit_undo");
    QVERIFY(prop("Boulder A").tags.empty());
  }

  void settingsChangeThePropAndItsPlacements() {
    w().showKit(true);
    clickProp("Boulder B");
    const auto bounds = [&] {
      for (const PropPtr& p : w().service().latest()->props)
        if (p->name == "Boulder B") return p->surface->bounds();
      return Box3();
    };
    type(control<NumberField>("common_height"), QStringLiteral("250 cm"));
    waitForResults();
    QVERIFY(test::within(static_cast<double>(bounds().extent().y), 2.5, 1e-3));
    auto* pivot = control<QComboBox>("pivot");
    pivot->setFocus();
    while (pivot->currentIndex() != 2) QTest::keyClick(pivot, Qt::Key_Down);
    Q_EMIT pivot->activated(2);
    waitForResults();
    QVERIFY(glm::length(bounds().center()) < 1e-3F);
    type(control<NumberField>("footprint"), QStringLiteral("0.33"));
    type(control<NumberField>("base"), QStringLiteral("12 cm"));
    waitForResults();
    for (const PropPtr& p : w().service().latest()->props)
      if (p->name == "Boulder B") {
        QCOMPARE(p->footprint, 0.33F);
        QCOMPARE(baseOf(*p), 0.12F);
      }
  }

  void oneClickMendsWhatIsWrong() {
    // A prop a hundred times too large, with its pivot in the middle.
    Surface box = transformed(makeBox({90, 60, 90}), {0, -30, 0}, Quat(1, 0, 0, 0), 1);
    QVERIFY(exporters::glbOf({{"crate", std::make_shared<const Surface>(box)}},
                             (folder() + QStringLiteral("/kit/crate.glb")).toStdString()));
    w().showKit(true);
    kit().addFiles({folder() + QStringLiteral("/kit/crate.glb")});
    waitForResults();
    clickProp("crate");
    QPushButton* unit = control<QPushButton>("fix_4");
    QVERIFY(unit);
    QTest::mouseClick(unit, Qt::LeftButton);
    QCOMPARE(prop("crate").unitScale, 0.01);
    waitForResults();
    QPushButton* pivot = control<QPushButton>("fix_3");
    QVERIFY(pivot);
    QTest::mouseClick(pivot, Qt::LeftButton);
    QVERIFY(prop("crate").pivot == PivotAt::BaseCenter);
    waitForResults();
    QTRY_VERIFY(!control<QPushButton>("fix_3") && !control<QPushButton>("fix_4"));
    trigger("edit_undo");
    QVERIFY(prop("crate").pivot == PivotAt::AsMade);
    // Or it is meant so: until that is said it is left out, in words.
    trigger("edit_undo");
    QCOMPARE(prop("crate").unitScale, 1.0);
    waitForResults();
    const auto crate = [&] {
      for (const PropPtr& p : w().service().latest()->props)
        if (p->name == "crate") return p;
      return PropPtr();
    };
    QVERIFY(crate() && crate()->isMissing);
    QTRY_VERIFY(control<QPushButton>("fix_6"));
    QTest::mouseClick(control<QPushButton>("fix_6"), Qt::LeftButton);
    QVERIFY(prop("crate").isLargeMeant);
    waitForResults();
    QVERIFY(!crate()->isMissing);
    QTRY_VERIFY(!control<QPushButton>("fix_6") && !control<QPushButton>("fix_4"));
  }

  /// A file of several parts becomes as many props by two clicks; what joins the file later is offered, and what stands
  /// in a list stays in it.
  void aFileIsSplitIntoItsParts() {
    const std::string file = (folder() + QStringLiteral("/kit/set.glb")).toStdString();
    const auto write = [&](int parts) {
      std::vector<exporters::SceneItem> items;
      for (int k = 0; k < parts; ++k)
        items.push_back({"stone_" + std::to_string(k + 1),
                         std::make_shared<const Surface>(makeBox({0.4F + 0.1F * static_cast<float>(k), 0.5F, 0.4F})),
                         Vec3(2.0F * static_cast<float>(k), 0.3F, 0)});
      QVERIFY(exporters::glbOf(items, file));
    };
    write(3);
    w().showKit(true);
    kit().addFiles({QString::fromStdString(file)});
    const std::string whole = prop("set").uid;
    w().model().edit(QStringLiteral("list"), [&](Plan& plan) {
      for (Node& n : plan.nodes)
        if (auto* list = std::get_if<PropChoices>(&n.params["props"])) list->push_back({whole, 2, true});
    });
    waitForResults();
    const int before = list()->count();
    clickProp("set");
    auto* button = control<QToolButton>("split_prop");
    QTRY_VERIFY(button->isEnabled());
    const auto choose = [&](const char* name, bool isThere = true) {
      bool wasThere = false;
      QTimer::singleShot(0, button, [&] {
        auto* action = button->menu()->findChild<QAction*>(QLatin1String(name));
        wasThere = action && action->isEnabled();
        if (wasThere)
          QTest::mouseClick(button->menu(), Qt::LeftButton, {}, button->menu()->actionGeometry(action).center());
        button->menu()->close();
      });
      QTest::mouseClick(button, Qt::LeftButton);
      QCOMPARE(wasThere, isThere);
    };
    choose("by_parts");
    QCOMPARE(list()->count(), before + 2);
    QCOMPARE(list()->selectedItems().size(), 3);  // to be given a pivot, tags or a unit together
    QCOMPARE(prop("stone_2").part, std::string("stone_2"));
    std::size_t listed = 0;
    for (const Node& n : document().nodes)
      if (const auto it = n.params.find("props"); it != n.params.end())
        if (const auto* list = std::get_if<PropChoices>(&it->second))
          for (const PropChoice& c : *list) listed += c.prop == prop("stone_2").uid && c.weight == 2;
    QVERIFY(listed > 0);
    waitForResults();
    for (const PropPtr& p : w().service().latest()->props)
      if (p->name == "stone_3") {
        QVERIFY(!p->isMissing && test::within(static_cast<double>(p->surface->bounds().extent().x), 0.6, 1e-4));
        QVERIFY(glm::distance(p->surface->bounds().center(), Vec3(0, 0.25F, 0)) < 1e-4F);
      }
    clickProp("stone_1");
    QVERIFY(!button->isEnabled());  // it is a part already
    QVERIFY(!control<QPushButton>("add_parts"));
    const std::string kept = prop("stone_1").uid;
    QTest::qWait(1100);  // files are told apart by their times
    write(4);
    QTRY_VERIFY_WITH_TIMEOUT(control<QPushButton>("add_parts"), 20'000);
    QTest::mouseClick(control<QPushButton>("add_parts"), Qt::LeftButton);
    QCOMPARE(prop("stone_4").partBy, PartBy::Part);
    QCOMPARE(prop("stone_1").uid, kept);
    waitForResults();
    trigger("edit_undo");
    trigger("edit_undo");
    QCOMPARE(list()->count(), before);
    QCOMPARE(prop("set").partBy, PartBy::Whole);
  }

  /// However far the Schedule is scrolled sideways, the names stand at its left, each beside its row; keys bring rows
  /// and cells into sight, not under the names.
  void theNamesOfTheScheduleStay() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    w().showBottom(MainWindow::Bottom::Schedule);
    auto* view = w().schedule().findChild<QTableView*>(QStringLiteral("schedule_table"));
    QTRY_VERIFY(view->model()->rowCount() > 12);
    auto* names = view->findChild<QTableView*>(QStringLiteral("pinned"));
    QVERIFY(!names->isVisible());
    QScrollBar* bar = view->horizontalScrollBar();
    QVERIFY(bar->maximum() > 0);
    bar->setValue(bar->maximum());
    QVERIFY(names->isVisible());
    view->verticalScrollBar()->setValue(view->verticalScrollBar()->maximum());
    for (int row = 0; row < view->model()->rowCount(); ++row)
      QCOMPARE(names->visualRect(names->model()->index(row, 0)).top(),
               view->visualRect(view->model()->index(row, 1)).top());
    QCOMPARE(names->geometry().left(), view->viewport()->geometry().left());
    // Down along the names: each row comes into sight, sideways nothing moves.
    view->setCurrentIndex(view->model()->index(0, 0));
    bar->setValue(bar->maximum());
    for (int row = 1; row < view->model()->rowCount(); ++row) {
      QTest::keyClick(view, Qt::Key_Down);
      QCOMPARE(view->currentIndex().row(), row);
      QVERIFY(
          view->viewport()->rect().contains(QPoint(1, view->visualRect(view->model()->index(row, 1)).center().y())));
      QCOMPARE(bar->value(), bar->maximum());
    }
    // Back along a row.
    for (int column = view->model()->columnCount() - 1; column > 0; --column) {
      const QModelIndex cell = view->model()->index(3, column);
      view->setCurrentIndex(cell);
      QVERIFY(view->visualRect(cell).left() >= (names->isVisible() ? names->width() : 0));
    }
  }

  /// Props dragged from the Kit: over the Plan's tab to the Plan, onto a kit's tag, a card that takes one, where there
  /// is room; and onto a thing in Site.
  void propsAreDraggedToWhereTheyArePlaced() {
    openCopy();
    w().showKit(true);
    const QString starfish = QString::fromStdString(prop("Starfish").uid);
    const auto dropOn = [&](QWidget* on, const QPoint& at) {
      const std::unique_ptr<QMimeData> data(mimeOfProps({starfish}));
      QDragEnterEvent enter(at, Qt::CopyAction, data.get(), Qt::LeftButton, {});
      QApplication::sendEvent(on, &enter);
      QVERIFY(enter.isAccepted());
      QDragMoveEvent move(at, Qt::CopyAction, data.get(), Qt::LeftButton, {});
      QApplication::sendEvent(on, &move);
      QDropEvent drop(at, Qt::CopyAction, data.get(), Qt::LeftButton, {});
      QApplication::sendEvent(on, &drop);
    };
    const auto isChosen = [&](const std::string& chooser) {
      const PropChoices& list = std::get<PropChoices>(document().find(chooser)->params.at("props"));
      return std::count_if(list.begin(), list.end(),
                           [&](const PropChoice& c) { return c.prop == starfish.toStdString(); });
    };
    {
      const std::unique_ptr<QMimeData> data(mimeOfProps({starfish}));
      auto* tab = w().findChild<QWidget*>(QStringLiteral("tab_plan"));
      QDragEnterEvent enter(tab->rect().center(), Qt::CopyAction, data.get(), Qt::LeftButton, {});
      QApplication::sendEvent(tab, &enter);
      QVERIFY(enter.isAccepted() && plan().isVisible());
    }
    // A file goes on to the window, as before.
    for (QWidget* on : {paper(), static_cast<QWidget*>(&site())}) {
      QMimeData file;
      file.setUrls({QUrl::fromLocalFile(QStringLiteral("hills.png"))});
      QDragEnterEvent enter(on->rect().center(), Qt::CopyAction, &file, Qt::LeftButton, {});
      QApplication::sendEvent(on, &enter);
      QVERIFY(enter.isAccepted());
    }
    // On a card that takes its props from a list, and again: once is enough.
    plan().reveal(QStringLiteral("b-dress"));
    for (int i = 0; i < 2; ++i) {
      dropOn(paper(), plan().centerOf(QStringLiteral("b-dress")));
      QCOMPARE(isChosen("b-kit"), 1);
    }
    trigger("edit_undo");
    QCOMPARE(isChosen("b-kit"), 0);
    // On what thins new points of placements before they have props, and on an output of several lists: neither has one
    // list of its own.
    std::string maker;
    std::string output;
    for (const Node& n : document().nodes) {
      if (const auto it = n.inputs.find("points"); it != n.inputs.end() && it->second.front().node == "on")
        maker = n.uid;
      if (n.kind == "output" && w().model().choosersFor(QString::fromStdString(n.uid)).size() > 1) output = n.uid;
    }
    QVERIFY(!maker.empty() && !output.empty());
    const PlanPtr untouched = w().model().snapshot();
    for (const std::string& uid : {maker, output}) {
      plan().reveal(QString::fromStdString(uid));
      dropOn(paper(), plan().centerOf(QString::fromStdString(uid)));
      QCOMPARE(*w().model().snapshot(), *untouched);
    }
    // On a thing in Site: it joins the list that this thing is from, though its output has several.
    waitForResults();
    const EvalViewPtr view = w().service().latest();
    QPoint on(-1, -1);
    std::string from;
    for (std::size_t k = 0; k < view->scene->placementCount() && on.x() < 0; ++k) {
      const auto i = static_cast<std::uint32_t>(view->scene->input().grounds.size() + k);
      const PictureInstance& in = view->scene->instance(i);
      const PictureLayer& layer = view->scene->input().layers[in.layer];
      const std::string& name =
          layer.points->kit->entries[static_cast<std::size_t>(layer.points->prop[in.point])].prop->uid;
      if (layer.source != output || name == "boulder-a") continue;
      const Box3 box = view->scene->instanceBounds(i);
      Camera near = site().camera();
      near.target = box.center();
      near.eye = box.center() + (0.3F + 2 * glm::length(box.extent())) * glm::normalize(Vec3(0.2F, 1, 0.3F));
      const PictureRayHit hit = view->scene->first(near.eye, glm::normalize(near.target - near.eye));
      if (!hit.isHit() || hit.instance != i) continue;
      site().setCamera(near);
      on = site().rect().center();
      from = name;
    }
    QVERIFY(on.x() >= 0);
    const QStringList lists = w().model().choosersFor(QString::fromStdString(output), from);
    QCOMPARE(lists.size(), 1);
    dropOn(&site(), on);
    QCOMPARE(isChosen(lists.first().toStdString()), 1);
    trigger("edit_undo");
    // Where there is room: a list of its own.
    const std::size_t nodes = document().nodes.size();
    plan().fitAll();
    dropOn(paper(), QPoint(3, paper()->height() - 3));
    QCOMPARE(document().nodes.size(), nodes + 1);
    QCOMPARE(document().nodes.back().kind, std::string("choose-props"));
    QCOMPARE(isChosen(document().nodes.back().uid), 1);
    trigger("edit_undo");
    QCOMPARE(document().nodes.size(), nodes);
  }

  void filesAndFoldersAreDroppedReplacedAndFoundAgain() {
    w().showKit(true);
    const std::size_t before = document().props.size();
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(folder() + QStringLiteral("/kit")),
                  QUrl::fromLocalFile(test::sourcePath("demo/tern-cove/kit/lamp.glb"))});
    QDragEnterEvent enter(QPoint(50, 50), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(&kit(), &enter);
    QDropEvent drop(QPointF(50, 50), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(&kit(), &drop);
    QCOMPARE(document().props.size(), before * 2 + 1);  // the folder holds what was there already
    trigger("edit_undo");
    kit().replaceFile(prop("Barnacles").uid, test::sourcePath("demo/tern-cove/kit/buoy.glb"));
    waitForResults();
    for (const PropPtr& p : w().service().latest()->props)
      if (p->name == "Barnacles") QVERIFY(p->height > 0.3F);  // every barnacle is a buoy now
    trigger("edit_undo");

    // The kit moves away: all is missing; one is shown where it is, the others beside it are found by themselves.
    QVERIFY(QDir().rename(folder() + QStringLiteral("/kit"), folder() + QStringLiteral("/moved")));
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->evaluation.propProblems.size() == before, 120'000);
    clickProp("Boulder A");
    QVERIFY(control<QPushButton>("fix_missing"));
    kit().replaceFile(prop("Boulder A").uid, folder() + QStringLiteral("/moved/boulder-a.glb"));
    waitForResults();
    QVERIFY(w().service().latest()->evaluation.propProblems.empty());
    QCOMPARE(prop("Limpet").file, std::string("moved/limpet.glb"));
  }

  void aFileThatIsSavedAgainIsReadAgain() {
    const auto heightNow = [&] {
      for (const PropPtr& p : w().service().latest()->props)
        if (p->name == "Barnacles") return p->height;
      return 0.0F;
    };
    const float before = heightNow();
    const std::string path = (folder() + QStringLiteral("/kit/barnacles.glb")).toStdString();
    QTest::qWait(1100);  // files' times have whole seconds on some disks
    QVERIFY(exporters::glbOf({{"tall", std::make_shared<const Surface>(makeBox({0.1F, 2, 0.1F}))}}, path));
    QTRY_VERIFY_WITH_TIMEOUT(std::abs(heightNow() - 2) < 1e-3F, 20'000);
    QVERIFY(before < 1);
  }

  void mountPointsAreSetOnThePicture() {
    w().showKit(true);
    clickProp("Boulder A");
    QTest::mouseClick(control<QToolButton>("mounts"), Qt::LeftButton);
    auto* window = w().findChild<PropWindow*>(QStringLiteral("prop_window"));
    QVERIFY(window);
    PropPicture& picture = window->picture();
    QTRY_VERIFY(picture.isReady());
    QTest::mouseClick(&picture, Qt::LeftButton, {}, picture.rect().center());
    QCOMPARE(prop("Boulder A").mounts.size(), std::size_t{1});
    waitForResults();
    auto* table = window->findChild<QTableWidget*>(QStringLiteral("mount_table"));
    QTRY_COMPARE(table->rowCount(), 1);
    QCOMPARE(table->currentRow(), 0);  // the new one is the one to name or move
    const Vec3 at = prop("Boulder A").mounts[0].position;
    QVERIFY(QLineF(picture.project(at), QPointF(picture.rect().center())).length() <
            3);  // it lies where it was clicked
    // Its handles: it goes along the mesh, leans, turns about its axis and is sized; the plan follows at the end of
    // each drag, which one undo takes back.
    using Handle = MountHandles::Handle;
    const auto mount = [&] { return prop("Boulder A").mounts[0]; };
    const auto dragHandle = [&](Handle which, const QPointF& by) {
      QVERIFY(picture.handles().isTaken());
      const QPoint from = picture.project(picture.handles().placeOf(which)).toPoint();
      test::dragMouse(&picture, from, from + by.toPoint());
      waitForResults();
    };
    const MountEntry made = mount();
    dragHandle(Handle::Move, {-30, 12});
    QVERIFY(glm::distance(mount().position, made.position) > 0.02F);
    QVERIFY(QLineF(picture.project(mount().position), picture.project(made.position) + QPointF(-30, 12)).length() < 4);
    QCOMPARE(mount().turnDeg, made.turnDeg);
    trigger("edit_undo");
    QCOMPARE(mount(), made);
    waitForResults();
    dragHandle(Handle::Lean, {40, 0});
    const Vec3 leaned = turnOf(mount().turnDeg) * kUp;
    QVERIFY(glm::dot(leaned, turnOf(made.turnDeg) * kUp) < 0.98F);
    QCOMPARE(mount().position, made.position);
    const MountEntry before = mount();
    dragHandle(Handle::Turn, {18, 10});
    QVERIFY(glm::distance(turnOf(mount().turnDeg) * kUp, leaned) < 0.01F);  // about the axis, which stays
    QVERIFY(mount().turnDeg != before.turnDeg);
    const QPointF side = picture.project(picture.handles().placeOf(Handle::Size)) - picture.project(mount().position);
    dragHandle(Handle::Size, side);
    QVERIFY2(test::within(mount().size, 2, 0.2), qPrintable(QString::number(mount().size)));
    QTRY_COMPARE(table->item(0, 7)->text(), QString::number(mount().size, 'f', 2));
    table->item(0, 7)->setText(QStringLiteral("1.5"));
    QCOMPARE(mount().size, 1.5);
    while (mount() != made) trigger("edit_undo");
    waitForResults();
    table->selectRow(0);
    table->item(0, 0)->setText(QStringLiteral("mount_top"));
    QCOMPARE(prop("Boulder A").mounts[0].name, std::string("mount_top"));
    table->selectRow(0);
    QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("mount_remove")), Qt::LeftButton);
    QVERIFY(prop("Boulder A").mounts.empty());
    window->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(window));
    QTest::keySequence(window, QKeySequence(QKeySequence::Undo));
    QCOMPARE(prop("Boulder A").mounts.size(), std::size_t{1});
    QTest::keyClick(window, Qt::Key_Escape);
    QTRY_VERIFY(!w().findChild<PropWindow*>());
  }

  void scheduleCountsBudgetsAndFindsWhatHovers() {
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("tab_schedule")), Qt::LeftButton);
    ScheduleModel& table = w().schedule().table();
    QTRY_VERIFY_WITH_TIMEOUT(table.rowCount() > 3 && !w().schedule().isBusy(), 20'000);
    QCOMPARE(table.schedule().count, w().service().latest()->totals.placements);
    // A budget below what final places: over it, in words and with a mark.
    auto* view = w().schedule().findChild<QTableView*>(QStringLiteral("schedule_table"));
    const QModelIndex cell = table.index(0, ScheduleModel::MostPlaced);
    view->setCurrentIndex(cell);
    view->edit(cell);
    auto* editor = view->findChild<QLineEdit*>();
    QVERIFY(editor);
    editor->selectAll();
    QTest::keyClicks(editor, QStringLiteral("0.2 k"));
    QTest::keyClick(editor, Qt::Key_Return);
    QTRY_VERIFY(document().settings.budgets.contains("all"));
    QCOMPARE(document().settings.budgets.at("all").placements, 200.0);
    QTRY_VERIFY_WITH_TIMEOUT(table.isFinalKnown() && table.rowCount() > 3, 20'000);
    QVERIFY(table.use(0) > 1);
    QVERIFY(
        table.data(table.index(0, ScheduleModel::Use), Qt::DisplayRole).toString().startsWith(QStringLiteral("! ")));
    // The status line tells it too, also while the Schedule is not to be seen, and a click on it opens the Schedule.
    auto* budget = w().findChild<BudgetBar*>(QStringLiteral("budget"));
    QTRY_VERIFY(budget->isVisible() && budget->share() > 1);
    QVERIFY2(budget->text().startsWith(QStringLiteral("! over: ")) &&
                 budget->text().endsWith(QStringLiteral("of 200 allowed at final")),
             qPrintable(budget->text()));
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("tab_bench")), Qt::LeftButton);
    w().model().edit(QStringLiteral("budget"), [](Plan& p) { p.settings.budgets["all"] = {1e6, 0}; });
    QTRY_VERIFY_WITH_TIMEOUT(budget->share() > 0 && budget->share() < 1, 20'000);
    const double before = budget->share();
    w().model().edit(QStringLiteral("seed"), [](Plan& p) { ++p.settings.seed; });
    QTRY_COMPARE(budget->text(), QStringLiteral("counting final…"));
    QTRY_VERIFY_WITH_TIMEOUT(budget->share() > 0 && budget->share() != before, 20'000);
    QTest::mouseClick(budget, Qt::LeftButton);
    QVERIFY(w().schedule().isVisible());
    w().model().edit(QStringLiteral("no budget"), [](Plan& p) { p.settings.budgets.clear(); });
    QTRY_VERIFY(!budget->isVisible());
    // Rocks lifted into the air are found, worst first; a click leads there.
    w().model().setParam(QStringLiteral("down"), "sink_by", std::string("meters"));
    w().model().setParam(QStringLiteral("down"), "sink", -3.0);
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(!w().schedule().isBusy() && w().schedule().standing().hovering > 0, 20'000);
    auto* faults = w().schedule().findChild<QTableWidget*>(QStringLiteral("standing_faults"));
    QTRY_VERIFY(faults->rowCount() > 0);
    QTest::mouseClick(faults->viewport(), Qt::LeftButton, {}, faults->visualItemRect(faults->item(0, 0)).center());
    QCOMPARE(countOf(site().selected()), std::size_t{1});
    const StandingFault& worst = w().schedule().standing().faults.front();
    QVERIFY(worst.gap > 1);
    QVERIFY(glm::distance(site().camera().target,
                          w().service().latest()->shown[worst.layer].points->position[worst.point]) < 1e-3F);
    // What reaches into what is asked beside it: two names, how deep, worst first; a click leads to the smaller one.
    QTest::mouseClick(w().schedule().findChild<QToolButton*>(QStringLiteral("ask_meetings")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!w().schedule().isBusy() && w().schedule().meetings().checked > 0, 60'000);
    const MeetingReport& meetings = w().schedule().meetings();
    QVERIFY(meetings.pairs > 0);
    QVERIFY(faults->rowCount() == static_cast<int>(std::min<std::size_t>(meetings.worst.size(), 500)));
    const Meeting deepest = meetings.worst.front();
    QVERIFY(deepest.depth >= meetings.worst.back().depth);
    QTest::mouseClick(faults->viewport(), Qt::LeftButton, {}, faults->visualItemRect(faults->item(0, 1)).center());
    QVERIFY(glm::distance(
                site().camera().target,
                w().service().latest()->shown[deepest.smaller.layer].points->position[deepest.smaller.point]) < 1e-3F);
    const std::size_t pairs = meetings.pairs;
    type(w().schedule().findChild<NumberField*>(QStringLiteral("meeting_tolerance")), QStringLiteral("30 cm"));
    QTRY_VERIFY_WITH_TIMEOUT(!w().schedule().isBusy() && w().schedule().meetings().pairs < pairs, 60'000);
  }

  void whatAPropIsDeliveredByIsSaidInTheKit() {
    w().showKit(true);
    clickProp("Boulder A");
    auto* delivery = control<QComboBox>("delivery");
    QCOMPARE(delivery->currentIndex(), 0);
    Q_EMIT delivery->activated(1);
    QVERIFY(prop("Boulder A").isByReference && prop("Boulder A").deliveredFile.empty());
    waitForResults();
    QCOMPARE(delivery->currentIndex(), 1);
    for (const PropPtr& p : w().service().latest()->props) QCOMPARE(p->delivery != nullptr, p->name == "Boulder A");
    // A light file of its own for Site, chosen from a dialog.
    auto* massing = control<QComboBox>("massing");
    QTimer::singleShot(300, this, [&] {
      auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
      QVERIFY(dialog);
      dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"))
          ->setText(folder() + QStringLiteral("/kit/limpet.glb"));
      QMetaObject::invokeMethod(dialog, "accept");
    });
    Q_EMIT massing->activated(2);
    QCOMPARE(prop("Boulder A").lightFile, std::string("kit/limpet.glb"));
    waitForResults();
    QCOMPARE(massing->currentIndex(), 2);
    std::size_t triangles = 0;
    for (const PropPtr& p : w().service().latest()->props)
      if (p->name == "Boulder A") triangles = massingOf(*p)->faceCount();
    for (const PropPtr& p : w().service().latest()->props)
      if (p->name == "Limpet") QCOMPARE(triangles, p->surface->faceCount());
    trigger("edit_undo");
    trigger("edit_undo");
    QVERIFY(!prop("Boulder A").isByReference && prop("Boulder A").lightFile.empty());
    // Several props cannot share one: they would all be delivered as the same.
    const auto offersAFile = [](QComboBox* box) {
      return bool(box->model()->flags(box->model()->index(2, 0)) & Qt::ItemIsEnabled);
    };
    QVERIFY(offersAFile(delivery) && offersAFile(massing));
    clickProp("Boulder C", Qt::ControlModifier);
    QVERIFY(!offersAFile(delivery) && !offersAFile(massing));
  }

  /// Rows of values make the vertices' numbers, which the picture shows with what they span; kept as a file the prop
  /// has them from there, by one step that undo takes back.
  void valuesOfVerticesAreMadeAndKept() {
    w().showKit(true);
    clickProp("Boulder A");
    QTest::mouseClick(control<QToolButton>("mounts"), Qt::LeftButton);
    auto* window = w().findChild<PropWindow*>(QStringLiteral("prop_window"));
    QVERIFY(window);
    QTRY_VERIFY(window->picture().isReady());
    auto* tabs = window->findChild<QTabWidget*>(QStringLiteral("prop_tabs"));
    QTest::mouseClick(tabs->tabBar(), Qt::LeftButton, {}, tabs->tabBar()->tabRect(1).center());
    auto* table = window->findChild<QTableWidget*>(QStringLiteral("value_table"));
    const auto press = [&](const char* name) {
      QTest::mouseClick(window->findChild<QPushButton*>(QLatin1String(name)), Qt::LeftButton);
    };
    const auto choose = [&](const QString& name, int index) {
      for (int k = 0; k < 8; ++k) {  // each step makes the row anew
        auto* box = window->findChild<ChoiceBox*>(name)->findChild<QComboBox*>();
        if (box->currentIndex() == index) return;
        QTest::keyClick(box, box->currentIndex() < index ? Qt::Key_Down : Qt::Key_Up);
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
      }
      QFAIL("it is not to be chosen");
    };
    const auto made = [&]() -> PropPtr {
      for (const PropPtr& p : w().service().latest()->props)
        if (p->name == "Boulder A") return p;
      return nullptr;
    };
    QVERIFY(!window->findChild<QPushButton*>(QStringLiteral("value_keep"))->isEnabled());
    press("value_add");
    QCOMPARE(prop("Boulder A").values.size(), std::size_t{1});
    QCOMPARE(table->rowCount(), 1);
    waitForResults();
    QVERIFY(made()->surface->vertexAttributes.contains("height"));
    QTRY_VERIFY(window->picture().legend() && window->picture().legend()->name == "height");
    QCOMPARE(window->picture().legend()->span.least, 0.0F);
    QCOMPARE(window->picture().legend()->span.most, 1.0F);
    // Down to the hollows and back up: each step measures otherwise. Cells take numbers with or without their units.
    choose(QStringLiteral("value_by_0"), static_cast<int>(ValueBy::Height));
    QCOMPARE(prop("Boulder A").values[0].by, ValueBy::Height);
    table->item(0, 4)->setText(QStringLiteral("10 cm"));
    table->item(0, 5)->setText(QStringLiteral("0.3"));
    table->item(0, 5)->setText(QStringLiteral("much"));  // no number: what holds stays
    QCOMPARE(table->item(0, 5)->text(), QStringLiteral("0.3 m"));
    table->item(0, 0)->setText(QStringLiteral("wet"));
    const ValueEntry wet = prop("Boulder A").values[0];
    QVERIFY(wet.name == "wet" && wet.zeroAt == 0.1 && wet.oneAt == 0.3);
    waitForResults();
    const Surface& s = *made()->surface;
    const auto& numbers = std::get<Column<float>>(s.vertexAttributes.at("wet"));
    for (std::size_t i = 0; i < s.positions.size(); ++i)
      QVERIFY(std::abs(numbers[i] - std::clamp((s.positions[i].y - 0.1F) / 0.2F, 0.0F, 1.0F)) < 1e-4F);
    press("value_add");
    choose(QStringLiteral("value_into_1"), static_cast<int>(ValueInto::Blue));
    waitForResults();
    QTRY_VERIFY(window->picture().legend() && window->picture().legend()->name == "Blue");
    // Kept: not over what it is made from.
    const auto keepAs = [&](const QString& name) {
      QTimer::singleShot(300, this, [this, name] {
        auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        QVERIFY(dialog);
        dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"))->setText(folder() + name);
        QMetaObject::invokeMethod(dialog, "accept");
      });
      press("value_keep");
    };
    table->item(0, 0)->setText(QStringLiteral("Wet"));  // glTF has no capitals there
    waitForResults();
    const PropEntry before = prop("Boulder A");
    const Box3 box = made()->surface->bounds();
    keepAs(QStringLiteral("/kit/boulder-a-wet"));
    QTRY_COMPARE(prop("Boulder A").file, std::string("kit/boulder-a-wet.glb"));
    QVERIFY(prop("Boulder A").values.empty());
    waitForResults();
    const auto labels = window->findChildren<QLabel*>();
    QVERIFY(std::any_of(labels.begin(), labels.end(),
                        [](QLabel* l) { return l->text().endsWith(QLatin1String(": Wet")); }));
    QVERIFY(made()->surface->vertexAttributes.contains("wet") && !made()->surface->colors.empty());
    QVERIFY(glm::distance(made()->surface->bounds().min, box.min) < 1e-4F);
    QVERIFY(glm::distance(made()->surface->bounds().max, box.max) < 1e-4F);
    QCOMPARE(table->rowCount(), 0);
    trigger("edit_undo");
    QCOMPARE(prop("Boulder A"), before);
    waitForResults();
    while (!prop("Boulder A").values.empty()) trigger("edit_undo");
    waitForResults();
    QTRY_COMPARE(table->rowCount(), 0);
    window->close();
    QTRY_VERIFY(!w().findChild<PropWindow*>());
  }

  void contactSheetShowsSeedsAndAClickKeepsOne() {
    plan().select({QStringLiteral("rocks")});
    const std::uint64_t before = document().find("rocks")->seed;
    const PlanPtr untouched = w().model().snapshot();
    QTest::keyClick(&w(), Qt::Key_S, Qt::ShiftModifier);
    auto* sheet = w().findChild<ContactSheet*>(QStringLiteral("contact_sheet"));
    QVERIFY(sheet);
    QCOMPARE(sheet->seedOf(0), before);
    QTRY_VERIFY_WITH_TIMEOUT(sheet->pictureCount() == 9, 300'000);
    QVERIFY(w().model().snapshot() == untouched);  // nothing changes until one is chosen
    QTest::mouseClick(sheet->findChild<QToolButton*>(QStringLiteral("sheet_cell_4")), Qt::LeftButton);
    QCOMPARE(document().find("rocks")->seed, before + 4);
    trigger("edit_undo");
    QCOMPARE(document().find("rocks")->seed, before);
  }

  void placementsAreSelectedByBoxAndOutlineHiddenAndShownAlone() {
    plan().select({});
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() > 0, 20'000);
    test::dragMouse(&site(), {60, 60}, {site().width() - 20, site().height() - 20});
    QTRY_VERIFY_WITH_TIMEOUT(countOf(site().selected()) > 20, 10'000);
    const std::size_t seen = countOf(site().selected());
    std::size_t all = 0;
    for (const PictureLayer& l : w().service().latest()->shown) all += l.points->count;
    QVERIFY(seen < all);  // what is behind something, or out of sight, is not taken
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_Escape);
    QVERIFY(site().selected().empty());

    // An outline around the left half takes fewer.
    trigger("site_lasso");
    const auto send = [&](QEvent::Type type, const QPointF& at, Qt::MouseButton b, Qt::MouseButtons held) {
      QMouseEvent e(type, at, site().mapToGlobal(at), b, held, {});
      QApplication::sendEvent(&site(), &e);
    };
    const double h = site().height();
    const double half = site().width() / 2.0;
    send(QEvent::MouseButtonPress, {10, 60}, Qt::LeftButton, Qt::LeftButton);
    for (const QPointF& p : {QPointF(half, 60), QPointF(half, h - 10), QPointF(10, h - 10), QPointF(10, 70)})
      send(QEvent::MouseMove, p, Qt::NoButton, Qt::LeftButton);
    send(QEvent::MouseButtonRelease, {10, 70}, Qt::LeftButton, Qt::NoButton);
    QTRY_VERIFY_WITH_TIMEOUT(countOf(site().selected()) > 0, 10'000);
    QVERIFY(countOf(site().selected()) < seen);
    const SiteSelection left = site().selected();

    trigger("site_same_node");
    QTRY_VERIFY(countOf(site().selected()) > countOf(left));
    QTest::keyClick(&site(), Qt::Key_Minus);
    QVERIFY(site().selected().empty());
    const auto shownNow = [&] {
      std::size_t n = 0;
      for (const PictureLayer& l : w().service().latest()->shown) n += l.points->count;
      return n;
    };
    QTRY_VERIFY_WITH_TIMEOUT(shownNow() < all, 20'000);
    QTest::keyClick(&site(), Qt::Key_0);
    QTRY_VERIFY_WITH_TIMEOUT(shownNow() == all, 20'000);
    site().select(left);
    QTest::keyClick(&site(), Qt::Key_Plus);
    QTRY_VERIFY_WITH_TIMEOUT(shownNow() == countOf(left), 20'000);
    QTest::keyClick(&site(), Qt::Key_0);
    QTRY_VERIFY_WITH_TIMEOUT(shownNow() == all, 20'000);
  }

  void theClumpOfAPlacementIsItsParents() {
    const EvalViewPtr view = w().service().latest();
    for (const PictureLayer& layer : view->shown) {
      const auto* parents = columnOf<Column<std::uint64_t>>(layer.points->attributes, "parent");
      if (!parents) continue;
      site().select({{layer.source, {layer.points->id[0]}}});
      trigger("site_same_clump");
      QTRY_VERIFY(countOf(site().selected()) > 1);
      for (std::size_t i = 0; i < layer.points->count; ++i)
        QCOMPARE(site().selected().at(layer.source).contains(layer.points->id[i]), (*parents)[i] == (*parents)[0]);
      return;
    }
    QFAIL("no layer has parents");
  }

  void massingAndApartChangeThePictureNotThePlan() {
    const PlanPtr untouched = w().model().snapshot();
    const std::uint64_t dressed = w().service().latest()->scene->triangleCount();
    QTest::mouseClick(site().findChild<QToolButton*>(QStringLiteral("mode_massing")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->scene->input().isMassing, 20'000);
    QVERIFY(w().service().latest()->scene->triangleCount() < dressed / 2);
    site().findChild<QSlider*>(QStringLiteral("exploded"))->setValue(100);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->scene->input().exploded == 1.0F, 20'000);
    QVERIFY(w().model().snapshot() == untouched);
  }
};

QTEST_MAIN(TestDressingUi)
#include "tst_dressing.moc"
