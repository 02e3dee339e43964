// Touching placements up in the window: handles, arrow keys, typed numbers, Delete, menu, the list on the Bench. Each
// is one step, and holds when the plan above changes.
#include "app/bench/number_field.h"
#include "app/bench/touch_list.h"
#include "app/ledger/ledger_view.h"
#include "app/site/touch_brush.h"
#include "app/window/contact_sheet.h"
#include "tests/app/window_test.h"

#include <QCheckBox>
#include <QMenu>
#include <QRegularExpression>
#include <QTableView>
#include <QToolButton>

using namespace arvesk;
using nodes::TouchState;

class TestTouching : public test::WindowTest {
  Q_OBJECT

  SiteView& site() { return w().site(); }
  TouchSession& session() { return *site().touching(); }
  QPoint handle(TouchHandles::Handle which) {
    return site().project(site().touchHandles()->placeOf(which, site().lens()))->toPoint();
  }
  const Node* touch() {
    for (const Node& n : document().nodes)
      if (n.kind == "touch-ups") return &n;
    return nullptr;
  }
  std::vector<TouchUp> touches() {
    return touch() ? nodes::touchUpsParams(*touch()).touches.list.all() : std::vector<TouchUp>();
  }
  int steps() { return w().model().undoStack().count(); }
  /// Of what is shown by the only output: where the point is, or nothing.
  std::optional<Vec3> placeOf(std::uint64_t id) {
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        if (layer.points->id[i] == id) return layer.points->position[i];
    return std::nullopt;
  }
  std::string propOf(std::uint64_t id) {
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        if (layer.points->id[i] == id)
          return layer.points->kit->entries[static_cast<std::size_t>(layer.points->prop[i])].prop->uid;
    return {};
  }
  /// The placements nearest to the middle of the picture, selected.
  std::vector<std::uint64_t> selectNear(std::size_t count) {
    std::vector<std::pair<double, std::pair<std::string, std::uint64_t>>> near;
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        if (const auto at = site().project(layer.points->position[i]))
          near.push_back({QLineF(*at, QPointF(site().rect().center())).length(), {layer.source, layer.points->id[i]}});
    std::sort(near.begin(), near.end());
    SiteSelection selection;
    std::vector<std::uint64_t> out;
    for (std::size_t k = 0; k < count; ++k) {
      const auto& [source, id] = near[k].second;
      selection[source] = selection[source].with(IdSet{id});
      out.push_back(id);
    }
    site().select(selection);
    [&] { QTRY_COMPARE(session().count(), count); }();
    return out;
  }
  void settle() {
    waitForResults();
    QTRY_VERIFY(session().count() > 0 || site().selected().empty());
  }
  TouchList& list() { return w().bench().touchList(); }
  QTableView& table() { return *list().findChild<QTableView*>(QStringLiteral("touch_table")); }
  void press(const char* button) {
    QTest::mouseClick(w().findChild<QToolButton*>(QLatin1String(button)), Qt::LeftButton);
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    openWindow();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
    site().setFocus();
  }
  void cleanup() { m_window.reset(); }

  void handlesMoveTurnAndSize() {
    const std::uint64_t id = selectNear(1).front();
    const Vec3 before = *placeOf(id);
    const auto planBefore = w().model().snapshot();
    const int atFirst = steps();
    // The middle: along the ground, a node comes, one step.
    const QPoint middle = handle(TouchHandles::Handle::Move);
    test::dragMouse(&site(), middle, middle + QPoint(70, 20));
    QVERIFY(touch());
    QCOMPARE(steps(), atFirst + 1);
    settle();
    const Vec3 moved = *placeOf(id);
    QVERIFY(glm::distance(moved, before) > 0.3F);
    QVERIFY(QLineF(*site().project(moved), QPointF(middle + QPoint(70, 20))).length() < 8);
    // On the ground: the ball of radius 20 about (0, −14, 0) that is the ground here.
    QVERIFY(std::abs(glm::distance(moved, Vec3(0, -14, 0)) - glm::distance(before, Vec3(0, -14, 0))) < 0.05F);
    // With Shift, straight up.
    const QPoint now = handle(TouchHandles::Handle::Move);
    test::dragMouse(&site(), now, now - QPoint(0, 40), Qt::LeftButton, Qt::ShiftModifier);
    settle();
    QVERIFY(placeOf(id)->y > moved.y + 0.1F && std::abs(placeOf(id)->x - moved.x) < 1e-3F);
    // The arrow: once about by a quarter; the corner: twice as large.
    const QPoint at = handle(TouchHandles::Handle::Move);
    const QPoint arrow = handle(TouchHandles::Handle::Turn);
    test::dragMouse(&site(), arrow, handle(TouchHandles::Handle::Size));
    settle();
    QCOMPARE(touches().size(), std::size_t{1});
    const float turned = degrees(2 * std::acos(std::min(1.0F, std::abs(touches()[0].turn.w))));
    QVERIFY2(std::abs(turned - 80) < 6, qPrintable(QString::number(static_cast<double>(turned))));
    const QPoint corner = handle(TouchHandles::Handle::Size);
    test::dragMouse(&site(), corner, corner + (corner - at));
    settle();
    QVERIFY2(touches()[0].size.x > 1.5F && touches()[0].size.x < 2.6F,
             qPrintable(QString::number(static_cast<double>(touches()[0].size.x))));
    QCOMPARE(steps(), atFirst + 4);
    for (int i = 0; i < 4; ++i) trigger("edit_undo");
    QVERIFY(*w().model().snapshot() == *planBefore);
  }

  void keysNumbersAndDelete() {
    const std::uint64_t id = selectNear(1).front();
    const Vec3 before = *placeOf(id);
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_Up);
    QTest::keyClick(&site(), Qt::Key_Up);  // faster than it can be worked out
    settle();
    Vec3 by = *placeOf(id) - before;
    const Vec3 ahead = site().camera().target - site().camera().eye;
    QVERIFY(std::abs(glm::length(Vec2(by.x, by.z)) - 0.2F) < 1e-3F && by.x * ahead.x + by.z * ahead.z > 0);
    QTest::keyClick(&site(), Qt::Key_Up, Qt::ControlModifier);
    settle();
    QVERIFY(std::abs(touches()[0].lift - 0.1F) < 1e-6F);
    // Typed: how it is, not by how much more.
    for (const double east : {0.5, 0.75}) {
      type(w().findChild<QLineEdit*>(QStringLiteral("touch_x")), QString::number(east));
      QTRY_VERIFY(std::abs(touches()[0].move.x - static_cast<float>(east)) < 1e-5F);
      QTest::qWait(500);  // a field has come to rest
      settle();
    }
    type(w().findChild<QLineEdit*>(QStringLiteral("touch_turn")), QStringLiteral("90"));
    QTest::qWait(500);
    settle();
    type(w().findChild<QLineEdit*>(QStringLiteral("touch_turn")), QStringLiteral("30"));
    QTRY_VERIFY(std::abs(degrees(2 * std::acos(touches()[0].turn.w)) - 30) < 0.1F);
    QTest::qWait(500);
    settle();
    // Its color, by numbers that come when they are asked for; the picture has it.
    auto* brightness = w().findChild<QLineEdit*>(QStringLiteral("touch_brightness"));
    QVERIFY(!brightness->isVisible());
    press("touch_color");
    QVERIFY(brightness->isVisible() && site().rect().contains(brightness->geometry().translated(
                                           brightness->parentWidget()->mapTo(&site(), QPoint()))));
    type(brightness, QStringLiteral("-60"));
    QTRY_VERIFY(std::abs(touches()[0].tint.z + 0.6F) < 1e-5F);
    QTest::qWait(500);
    settle();
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i) {
        const auto* tint = columnOf<Column<Vec3>>(layer.points->attributes, "tint");
        QVERIFY(tint);
        QCOMPARE((*tint)[i].z < -0.5F, layer.points->id[i] == id);
      }
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_Delete);
    QTRY_VERIFY(touches()[0].isRemoved);
    waitForResults();
    QVERIFY(!placeOf(id));
    // The list on the Bench has it, and forgetting brings it back as its rule made it.
    plan().select({QString::fromStdString(touch()->uid)});
    QTRY_COMPARE(table().model()->rowCount(), 1);
    QVERIFY(table().isVisible());
    table().selectRow(0);
    press("touch_forget");
    QVERIFY(touches().empty());
    waitForResults();
    QVERIFY(placeOf(id) == before);
  }

  void manyAtOnceEachOrTogether() {
    const std::vector<std::uint64_t> ids = selectNear(6);
    std::vector<Vec3> before;
    Vec3 middle(0);
    for (const std::uint64_t id : ids) {
      before.push_back(*placeOf(id));
      middle += before.back() / 6.0F;
    }
    type(w().findChild<QLineEdit*>(QStringLiteral("touch_turn")), QStringLiteral("90"));
    QTest::qWait(500);
    settle();
    for (std::size_t k = 0; k < ids.size(); ++k) {  // clockwise from above about their middle: north goes to east
      const Vec3 from = before[k] - middle;
      const Vec3 to = *placeOf(ids[k]) - middle;
      QVERIFY(glm::distance(Vec2(to.x, to.z), Vec2(-from.z, from.x)) < 2e-3F);
    }
    trigger("edit_undo");
    settle();
    press("touch_each");
    type(w().findChild<QLineEdit*>(QStringLiteral("touch_turn")), QStringLiteral("90"));
    QTest::qWait(500);
    settle();
    for (std::size_t k = 0; k < ids.size(); ++k) QVERIFY(placeOf(ids[k]) == before[k]);
    QCOMPARE(touches().size(), std::size_t{6});
    press("touch_take_back");
    QTRY_VERIFY(touches().empty());
  }

  void swappedKeptAndOfItsOwn() {
    const std::uint64_t id = selectNear(1).front();
    const std::string was = propOf(id);
    std::string other;
    for (const PropEntry& entry : document().props)
      if (entry.uid != was) other = entry.uid;
    auto* menu = w().findChild<QToolButton*>(QStringLiteral("touch_swap"))->menu();
    const auto choose = [&](const QString& name) {
      Q_EMIT menu->aboutToShow();
      auto* action = menu->findChild<QAction*>(name);
      QVERIFY2(action, qPrintable(name));
      action->trigger();
    };
    choose(QStringLiteral("touch_swap.") + QString::fromStdString(other));
    QTRY_VERIFY(!touches().empty());
    settle();
    QCOMPARE(propOf(id), other);
    // A prop of its own: a copy in the Kit, that nothing else has, in one step.
    const std::size_t props = document().props.size();
    const int before = steps();
    Q_EMIT menu->aboutToShow();  // what the menu has, once for each prop and no more
    QCOMPARE(menu->findChildren<QAction*>(QRegularExpression(QStringLiteral("^touch_swap\\..*"))).size(),
             static_cast<qsizetype>(props));
    choose(QStringLiteral("touch_own_variant"));
    QCOMPARE(document().props.size(), props + 1);
    QCOMPARE(steps(), before + 1);
    settle();
    const PropEntry own = document().props.back();
    QCOMPARE(propOf(id), own.uid);
    QCOMPARE(own.file, document().findProp(other)->file);
    std::size_t users = 0;
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        users += layer.points->kit->entries[static_cast<std::size_t>(layer.points->prop[i])].prop->uid == own.uid;
    QCOMPARE(users, std::size_t{1});
    // As the others around: none of them is a variant.
    choose(QStringLiteral("touch_as_others"));
    QTRY_VERIFY(propOf(id) != own.uid || (waitForResults(), propOf(id) != own.uid));
    // Kept: it stands though its rule makes nothing any more.
    press("touch_keep");
    QTRY_VERIFY(!touches().empty() && touches()[0].isKept);
    waitForResults();
    const Vec3 stood = *placeOf(id);
    for (const Node& n : document().nodes)
      if (n.kind == "sow-on-surface") {
        w().model().setParam(QString::fromStdString(n.uid), "way", std::string("free"));
        w().model().setParam(QString::fromStdString(n.uid), "density", 0.0);
      }
    waitForResults();
    QVERIFY(placeOf(id) && glm::distance(*placeOf(id), stood) < 1e-3F);
    QCOMPARE(w().service().latest()->scene->placementCount(), std::size_t{1});
  }

  /// The brush of Touch-ups: a stroke over what rules made is one step; off, it selects again.
  void strokesOverWhatRulesMade() {
    selectNear(1);
    session().keep(true);
    QTRY_VERIFY(touch());
    waitForResults();
    const QString uid = QString::fromStdString(touch()->uid);
    plan().select({uid});
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_B);
    auto* brush = dynamic_cast<TouchBrush*>(site().tool());
    QVERIFY(brush && brush->isBrush());
    const auto set = [&](const char* param, ParamValue value) { w().model().setParam(uid, param, std::move(value)); };
    set("brush_radius", 1.5);
    set("brush_job", std::string("remove"));
    waitForResults();
    const std::size_t shown = w().service().latest()->scene->placementCount();
    const QPoint middle = site().rect().center();
    const int before = steps();
    test::dragMouse(&site(), middle - QPoint(40, 0), middle + QPoint(40, 0));
    QTRY_VERIFY(touches().size() > 4);
    QCOMPARE(steps(), before + 1);
    waitForResults();
    QVERIFY(w().service().latest()->scene->placementCount() < shown - 3);
    trigger("edit_undo");
    waitForResults();
    QCOMPARE(w().service().latest()->scene->placementCount(), shown);
    // Grown, all that lie under it and no other; within the limits.
    set("brush_job", std::string("adjust"));
    set("brush_effect", std::string("grow"));
    set("brush_strength", 100.0);
    set("brush_limits", std::vector<double>{0.1, 1.25});
    waitForResults();
    std::map<std::uint64_t, Vec3> sizes;
    const PointsPtr points = w().service().latest()->evaluation.firstOf<PointsPtr>(touch()->uid);
    for (std::size_t i = 0; i < points->count; ++i) sizes[points->id[i]] = points->size[i];
    for (int i = 0; i < 6; ++i) test::dragMouse(&site(), middle - QPoint(30, 0), middle + QPoint(30, 0));
    waitForResults();
    const PointsPtr grown = w().service().latest()->evaluation.firstOf<PointsPtr>(touch()->uid);
    QCOMPARE(grown->count, points->count);
    std::size_t larger = 0;
    for (std::size_t i = 0; i < grown->count; ++i) {
      const Vec3 was = sizes.at(grown->id[i]);
      larger += grown->size[i].x > was.x;
      QVERIFY2(
          grown->size[i].x >= was.x && grown->size[i].x <= std::max(1.26F, was.x),
          qPrintable(
              QStringLiteral("%1 was %2").arg(static_cast<double>(grown->size[i].x)).arg(static_cast<double>(was.x))));
    }
    QVERIFY2(larger > 5 && larger < grown->count / 2, qPrintable(QString::number(larger)));
    QTest::keyClick(&site(), Qt::Key_B);
    QVERIFY(!brush->isBrush());
    test::dragMouse(&site(), middle - QPoint(60, 60), middle + QPoint(60, 60));
    QTRY_VERIFY(countOf(site().selected()) > 3);
  }

  /// A cell of the Ledger, written over; what cannot be is told.
  void cellsOfTheLedger() {
    trigger("view_ledger");
    auto* view = w().ledger().findChild<QTableView*>(QStringLiteral("ledger_table"));
    LedgerModel& model = w().ledger().table();
    QTRY_VERIFY(model.rowCount() > 10);
    const auto columnOf = [&](const char* name) { return model.ledger()->column(name); };
    const std::size_t row = model.rows()[3];
    const Ledger::Place at = model.ledger()->placeOf(row);
    const std::uint64_t id = model.ledger()->parts()[at.part].points->id[at.index];
    const Vec3 before = *placeOf(id);
    const auto write = [&](const char* name, const QString& text) {
      QTRY_VERIFY(!w().ledger().isBusy() && model.ledger());
      int shown = -1;
      QTRY_VERIFY((shown = [&] {
                    for (std::size_t k = 0; k < model.rows().size(); ++k) {
                      const Ledger::Place p = model.ledger()->placeOf(model.rows()[k]);
                      if (model.ledger()->parts()[p.part].points->id[p.index] == id) return static_cast<int>(k);
                    }
                    return -1;
                  }()) >= 0);
      const QModelIndex cell = model.index(shown, columnOf(name));
      view->scrollTo(cell);
      view->setCurrentIndex(cell);
      view->edit(cell);
      auto* line = view->findChild<QLineEdit*>();
      QVERIFY(line);
      line->selectAll();
      QTest::keyClicks(line, text);
      QTest::keyClick(line, Qt::Key_Return);
    };
    write("x", QString::number(static_cast<double>(before.x) + 0.4));
    QTRY_COMPARE(touches().size(), std::size_t{1});
    waitForResults();
    QVERIFY(std::abs(placeOf(id)->x - before.x - 0.4F) < 1e-3F);
    QVERIFY(!(model.flags(model.index(0, columnOf("slope"))) & Qt::ItemIsEditable));
    write("size", QStringLiteral("0.4"));
    // Faster than it is worked out: neither is lost, and the later one counts from what the one before made.
    QTRY_VERIFY(touches()[0].size != Vec3(1));
    Q_EMIT w().ledger().cellWritten(QString::fromStdString(uidOf("Stones")), id, "size", QStringLiteral("0.45"));
    Q_EMIT w().ledger().cellWritten(QString::fromStdString(uidOf("Stones")), id, "size", QStringLiteral("0.5"));
    const int written = this->steps();
    QTRY_COMPARE(this->steps(), written + 2);
    waitForResults();
    QTRY_VERIFY(touches()[0].size != Vec3(1));
    waitForResults();
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        if (layer.points->id[i] == id) QVERIFY(std::abs(layer.points->size[i].x - 0.5F) < 1e-4F);
    const int steps = this->steps();
    write("prop", QStringLiteral("Nothing of the kind"));
    waitForResults();
    QCOMPARE(this->steps(), steps);
    const bool isB = propOf(id) == "boulder-b";
    write("prop", isB ? QStringLiteral("boulder c") : QStringLiteral("boulder b"));
    QTRY_COMPARE(this->steps(), steps + 1);
    waitForResults();
    QCOMPARE(propOf(id), std::string(isB ? "boulder-c" : "boulder-b"));
  }

  /// Another seed: what is gone sleeps, what is elsewhere is stray, none is at another placement; the list wakes them,
  /// hands them on.
  void sleepingAndStrayOnesAreListed() {
    const std::vector<std::uint64_t> ids = selectNear(40);
    session().remove();
    QTRY_COMPARE(touches().size(), std::size_t{40});
    waitForResults();
    w().model().setParam(QString::fromStdString(touch()->uid), "limit", 0.1);
    std::string sow;
    for (const Node& n : document().nodes)
      if (n.kind == "sow-on-surface") sow = n.uid;
    w().model().edit(QStringLiteral("seed"), [&](Plan& p) { p.find(sow)->seed += 1; });
    waitForResults();
    plan().select({QString::fromStdString(touch()->uid)});
    QTRY_COMPARE(table().model()->rowCount(), 40);
    const auto states = [&] {
      std::map<TouchState, int> out;
      for (const TouchRow& row : static_cast<TouchModel*>(table().model())->rows()) ++out[row.standing.state];
      return out;
    };
    std::map<TouchState, int> now;
    QTRY_VERIFY((now = states(), now[TouchState::Asleep] + now[TouchState::Stray] > 10));
    QVERIFY(!report(touch()->title.c_str()).problems.empty());  // and said on the card
    const std::size_t shown = w().service().latest()->scene->placementCount();
    table().selectAll();
    press("touch_hand_on");
    QTRY_VERIFY((waitForResults(), now = states(), now[TouchState::Asleep] + now[TouchState::Stray] == 0));
    QCOMPARE(now[TouchState::Applied], 40);
    QVERIFY(w().service().latest()->scene->placementCount() < shown);
    trigger("edit_undo");
    waitForResults();
    // Back to the seed that they were made under: all of them hold again.
    w().model().edit(QStringLiteral("seed"), [&](Plan& p) { p.find(sow)->seed -= 1; });
    QTRY_VERIFY((waitForResults(), now = states(), now[TouchState::Applied] == 40));
    for (const std::uint64_t id : ids) QVERIFY(!placeOf(id));
  }

  /// Another seed says beforehand what it would put to sleep, and can leave what is touched where it is.
  void seedsTellBeforehand() {
    const std::vector<std::uint64_t> ids = selectNear(12);
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_Up, Qt::ShiftModifier);
    QTRY_COMPARE(touches().size(), std::size_t{12});
    w().model().setParam(QString::fromStdString(touch()->uid), "limit", 0.05);
    waitForResults();
    std::map<std::uint64_t, Vec3> places;
    for (const std::uint64_t id : ids) places[id] = *placeOf(id);
    const std::uint64_t seed = document().settings.seed;
    const int before = steps();
    test::answerNextBox(QStringLiteral("Cancel"), QStringLiteral("touch-ups would sleep"));
    trigger("plan_next_seed");
    QTest::qWait(1500);
    QVERIFY(!QApplication::activeModalWidget());
    QCOMPARE(steps(), before);
    test::answerNextBox(QStringLiteral("Keep what is touched"));
    trigger("plan_next_seed");
    QTRY_COMPARE(document().settings.seed, seed + 1);
    QCOMPARE(steps(), before + 1);
    waitForResults();
    for (const auto& [id, place] : places) QVERIFY(placeOf(id) && glm::distance(*placeOf(id), place) < 0.011F);
    // What is kept does not sleep: no question any more, and each press counts, however fast they come.
    for (int i = 0; i < 3; ++i) trigger("plan_next_seed");
    w().model().edit(QStringLiteral("meanwhile"), [](Plan& p) { p.settings.hazeDistance = 500; });
    QTRY_COMPARE(document().settings.seed, seed + 4);
    QCOMPARE(document().settings.hazeDistance, 500.0);
    for (int i = 0; i < 5; ++i) trigger("edit_undo");
    QCOMPARE(steps(), before + 5);
    waitForResults();
    QCOMPARE(document().settings.seed, seed);
    // The contact sheet: by seed, under each picture.
    trigger("plan_contact_sheet");
    auto* sheet = w().findChild<ContactSheet*>();
    QVERIFY(sheet);
    QTRY_VERIFY_WITH_TIMEOUT(sheet->pictureCount() >= 3, 120'000);
    auto* cell = sheet->findChild<QToolButton*>(QStringLiteral("sheet_cell_2"));
    QVERIFY2(cell->text().contains(QStringLiteral("would sleep")), qPrintable(cell->text()));
    auto* keep = sheet->findChild<QCheckBox*>(QStringLiteral("sheet_keep"));
    QVERIFY(keep->isVisible());
    keep->setChecked(true);
    QTest::mouseClick(cell, Qt::LeftButton);
    QCOMPARE(document().settings.seed, seed + 2);
    waitForResults();
    for (const auto& [id, place] : places) QVERIFY(placeOf(id) && glm::distance(*placeOf(id), place) < 0.011F);
  }

  /// Into another plan with what they are about: the same placements stay touched.
  void copiedIntoAnotherPlan() {
    const std::vector<std::uint64_t> ids = selectNear(5);
    session().remove();
    QTRY_COMPARE(touches().size(), std::size_t{5});
    waitForResults();
    const std::size_t shown = w().service().latest()->scene->placementCount();
    plan().setFocus();
    trigger("edit_select_all");
    trigger("edit_copy");
    Plan other;
    other.settings = document().settings;
    w().model().reset(other);
    trigger("edit_paste");
    waitForResults();
    QCOMPARE(touches().size(), std::size_t{5});
    QCOMPARE(w().service().latest()->scene->placementCount(), shown);
    QVERIFY(report(touch()->title.c_str()).problems.empty());
  }
};

QTEST_MAIN(TestTouching)
#include "tst_touching.moc"
