// Placing by hand in the window, with real strokes: add, take away, adjust, one by one; each stroke one step, nothing
// lost.
#include "app/site/hand_brush.h"
#include "tests/app/window_test.h"

#include <QPointingDevice>
#include <QTabletEvent>
#include <QToolButton>
#include <QWheelEvent>

using namespace arvesk;

class TestByHand : public test::WindowTest {
  Q_OBJECT

  SiteView& site() { return w().site(); }
  HandBrush* brush() { return dynamic_cast<HandBrush*>(site().tool()); }
  QPoint seen(const Vec3& place) { return site().project(place)->toPoint(); }
  const Node* hand() {
    for (const Node& n : document().nodes)
      if (n.kind == "placed-by-hand") return &n;
    return nullptr;
  }
  std::vector<HandPoint> placed() { return nodes::placedByHandParams(*hand()).points.list.all(); }
  QString uid() { return QString::fromStdString(hand()->uid); }
  void set(const char* param, ParamValue value) { w().model().setParam(uid(), param, std::move(value)); }
  void ready() {
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(brush() && brush()->isReady(), 60'000);
  }
  void open(const char* path) {
    QVERIFY(w().openFile(test::sourcePath(path)));
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
  }
  int steps() { return w().model().undoStack().count(); }
  /// On the ball of radius 20 about (0, −14, 0) that is the ground of one-slope.
  static bool isOnGround(const Vec3& place) {
    return test::within(static_cast<double>(glm::distance(place, Vec3(0, -14, 0))), 20, 0.1);
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    openWindow();
    open("demo/examples/one-slope.arvesk");
    site().setFocus();
  }
  void cleanup() { m_window.reset(); }

  void aStrokeAddsAndTakesAway() {
    const std::size_t before = w().service().latest()->scene->placementCount();
    QTest::keyClick(&site(), Qt::Key_B);  // there is no such node yet: it comes, on the ground
    QVERIFY(hand() && !hand()->inputs.at("ground").empty());
    QCOMPARE(plan().selection(), QStringList{uid()});
    QVERIFY(brush());
    set("brush_radius", 1.0);
    set("brush_spacing", 0.4);
    set("brush_clear", std::string("own"));
    const int atFirst = steps();
    // At once, before anything was prepared: no dab is lost.
    const QPoint top = seen({0, 6, 0});
    test::dragMouse(&site(), top - QPoint(60, -10), top + QPoint(60, 10));
    QTRY_VERIFY_WITH_TIMEOUT(!placed().empty(), 60'000);
    QCOMPARE(steps(), atFirst + 1);
    const std::vector<HandPoint> added = placed();
    QVERIFY2(added.size() > 10, qPrintable(QString::number(added.size())));
    for (const HandPoint& p : added) QVERIFY(isOnGround(p.place) && p.ground == 1);
    for (std::size_t i = 0; i < added.size(); ++i)
      for (std::size_t k = i + 1; k < added.size(); ++k) QVERIFY(glm::distance(added[i].place, added[k].place) >= 0.4F);
    ready();
    QCOMPARE(w().service().latest()->scene->placementCount(), before + added.size());  // seen, with props of the plan
    // Where it is full nothing is added, and that is said.
    for (int i = 0; i < 60 && !brush()->hint().contains(QStringLiteral("full")); ++i) {
      QTest::mouseClick(&site(), Qt::LeftButton, {}, top);
      ready();
    }
    QVERIFY(brush()->hint().contains(QStringLiteral("full")));
    const std::vector<HandPoint> now = placed();
    const int last = steps();
    test::dragMouse(&site(), top - QPoint(60, -10), top + QPoint(60, 10), Qt::LeftButton, Qt::ControlModifier);
    QTRY_VERIFY(placed().size() < now.size() / 2);
    QCOMPARE(steps(), last + 1);
    trigger("edit_undo");
    QVERIFY(placed() == now);  // to the bit
    ready();
    // And what comes next knows of it.
    const std::size_t count = placed().size();
    QTest::mouseClick(&site(), Qt::LeftButton, {}, top);
    QVERIFY(placed().size() <= count + 3);
  }

  void oneByOneWithHeadingAndSize() {
    QTest::keyClick(&site(), Qt::Key_P);
    QVERIFY(hand());
    ready();
    const QPoint top = seen({0, 6, 0});
    QTest::mouseMove(&site(), top);
    // A drag to the east: it faces there, whatever the camera.
    const QPoint east = seen({3, 5.7F, 0});
    const int before = steps();
    test::dragMouse(&site(), top, east);
    QTRY_COMPARE(placed().size(), std::size_t{1});
    QCOMPARE(steps(), before + 1);
    QVERIFY2(std::abs(placed()[0].heading - 90) < 6,
             qPrintable(QString::number(static_cast<double>(placed()[0].heading))));
    QVERIFY(glm::distance(placed()[0].place, Vec3(0, 6, 0)) < 0.2F);
    ready();
    // The wheel sizes the next one, also while the button is down.
    const auto turnWheel = [&](int by) {
      QWheelEvent wheel(QPointF(top), site().mapToGlobal(QPointF(top)), {}, {0, by}, {}, Qt::ShiftModifier,
                        Qt::NoScrollPhase, false);
      QApplication::sendEvent(&site(), &wheel);
    };
    turnWheel(360);
    const QPoint beside = seen({-3, 5.7F, 0});
    test::dragMouse(&site(), beside, beside + QPoint(1, 1));
    QTRY_COMPARE(placed().size(), std::size_t{2});
    QVERIFY(placed()[1].size.x > 1.3F);
    ready();
    trigger("edit_undo");
    QCOMPARE(placed().size(), std::size_t{1});
    // With Shift a drag up leans it forward, by as much as is dragged.
    ready();
    const QPoint far = seen({2.5F, 5.8F, 2.5F});
    test::dragMouse(&site(), far, far - QPoint(0, 60), Qt::LeftButton, Qt::ShiftModifier);
    QTRY_COMPARE(placed().size(), std::size_t{2});
    QVERIFY2(placed()[1].tilt.x > 20 && placed()[1].tilt.y == 0,
             qPrintable(QString::number(static_cast<double>(placed()[1].tilt.x))));
    ready();
    trigger("edit_undo");
    // Three presses at once, faster than anything is prepared: all of them count.
    for (const Vec3& at : {Vec3(1.5F, 5.9F, 1.5F), Vec3(-1.5F, 5.9F, 1.5F), Vec3(0, 5.8F, 2.5F)})
      QTest::mouseClick(&site(), Qt::LeftButton, {}, seen(at));
    QTRY_COMPARE(placed().size(), std::size_t{4});
  }

  /// A pen that is pressed lightly adds within less; what is taken away is of the kind that the stroke begins on.
  void pressureAndOneKind() {
    QTest::keyClick(&site(), Qt::Key_B);
    set("brush_radius", 3.0);
    set("brush_spacing", 0.3);
    set("brush_clear", std::string("nothing"));
    set("brush_takes", std::string("chosen"));
    set("brush_chosen", PropChoices{{"pebble-a", 1, true}, {"pebble-b", 1, true}});
    ready();
    const QPoint top = seen({0, 6, 0});
    const auto pen = [&](QEvent::Type type, double pressure) {
      QTabletEvent event(type, QPointingDevice::primaryPointingDevice(), QPointF(top), site().mapToGlobal(QPointF(top)),
                         pressure, 0, 0, 0, 0, 0, Qt::NoModifier, Qt::LeftButton, Qt::LeftButton);
      QApplication::sendEvent(&site(), &event);
    };
    const auto farthest = [&] {
      float out = 0;
      for (const HandPoint& p : placed()) out = std::max(out, glm::distance(p.place, Vec3(0, 6, 0)));
      return out;
    };
    pen(QEvent::TabletPress, 0.3);
    QTest::mouseClick(&site(), Qt::LeftButton, {}, top);
    pen(QEvent::TabletRelease, 0);
    QTRY_VERIFY(!placed().empty());
    const float lightly = farthest();
    QVERIFY2(lightly < 1.1F, qPrintable(QString::number(static_cast<double>(lightly))));
    ready();
    for (int i = 0; i < 4; ++i) {
      QTest::mouseClick(&site(), Qt::LeftButton, {}, top);
      ready();
    }
    QVERIFY(farthest() > 2);
    const HandPoints before = nodes::placedByHandParams(*hand()).points;
    set("brush_job", std::string("remove"));
    set("brush_meets", std::string("one-kind"));
    set("brush_radius", 2.0);
    ready();
    const auto propOf = [&](const HandPoint& p) { return before.props[p.prop - 1]; };
    const int steps = this->steps();
    test::dragMouse(&site(), top, top + QPoint(30, 0));
    QTRY_VERIFY(placed().size() < before.list.size());
    QCOMPARE(this->steps(), steps + 1);
    std::set<std::uint64_t> left;
    for (const HandPoint& p : placed()) left.insert(p.key);
    std::map<std::string, int> gone;
    std::map<std::string, int> stayed;
    for (const HandPoint& p : before.list.all())
      if (glm::distance(p.place, Vec3(0, 6, 0)) < 1.8F) ++(left.contains(p.key) ? stayed : gone)[propOf(p)];
    QCOMPARE(gone.size(), std::size_t{1});
    QCOMPARE(stayed.size(), std::size_t{1});
    QVERIFY(gone.begin()->first != stayed.begin()->first && gone.begin()->second > 3);
  }

  void pushingApart() {
    QTest::keyClick(&site(), Qt::Key_B);
    set("brush_radius", 1.5);
    set("brush_spacing", 0.15);
    set("brush_clear", std::string("nothing"));
    set("brush_takes", std::string("chosen"));
    set("brush_chosen", PropChoices{{"pebble-b", 1, true}});
    set("brush_size", std::vector<double>{2, 2});
    ready();
    const QPoint top = seen({0, 6, 0});
    for (int i = 0; i < 5; ++i) {
      QTest::mouseClick(&site(), Qt::LeftButton, {}, top);
      ready();
    }
    set("brush_clear", std::string("own"));
    set("brush_job", std::string("adjust"));
    set("brush_radius", 6.0);
    set("brush_strength", 100.0);
    ready();
    const std::size_t overlaps = brush()->overlaps();
    const std::size_t count = placed().size();
    QVERIFY(overlaps > 5);
    // The status line says how many; a click selects them.
    auto* inStatus = w().findChild<QToolButton*>(QStringLiteral("overlaps"));
    QTRY_VERIFY(inStatus->isVisible() && inStatus->text().startsWith(QString::number(overlaps)));
    QTest::mouseClick(inStatus, Qt::LeftButton);
    QCOMPARE(countOf(site().selected()), overlaps);
    for (int i = 0; i < 12; ++i) {
      test::dragMouse(&site(), top - QPoint(40, 0), top + QPoint(40, 0));
      ready();
    }
    QVERIFY2(brush()->overlaps() < overlaps / 4,
             qPrintable(QStringLiteral("%1 of %2, %3").arg(brush()->overlaps()).arg(overlaps).arg(count)));
    QCOMPARE(placed().size(), count);
  }

  /// A name that nothing has and an empty choice are told; props "as around" are those that stand there; nothing of it
  /// shows once the pointer has left.
  void settingsThatDoNotHoldAreTold() {
    QTest::keyClick(&site(), Qt::Key_B);
    set("brush_clear", std::string("named"));
    set("brush_named", std::string("Nobody"));
    ready();
    QTRY_VERIFY2(brush()->hint().contains(QStringLiteral("Nobody")), qPrintable(brush()->hint()));
    set("brush_clear", std::string("nothing"));
    set("brush_takes", std::string("chosen"));
    QTRY_VERIFY2(brush()->hint().contains(QStringLiteral("no prop is chosen")), qPrintable(brush()->hint()));
    set("brush_takes", std::string("neighbors"));
    set("brush_radius", 0.2);
    set("brush_spacing", 0.1);
    ready();
    std::set<std::string> around;
    const Vec3 top(0, 6, 0);
    for (const PictureLayer& layer : w().service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        if (glm::distance(layer.points->position[i], top) < 1 && layer.points->prop[i] != kNoProp)
          around.insert(layer.points->kit->entries[static_cast<std::size_t>(layer.points->prop[i])].prop->uid);
    QVERIFY(!around.empty());
    // Two strokes at once, before anything is ready for the first: none is lost.
    QTest::mouseClick(&site(), Qt::LeftButton, {}, seen(top));
    QTest::mouseClick(&site(), Qt::LeftButton, {}, seen({0.3F, 6, 0}));
    const auto isThere = [&](auto holds) {
      const auto all = placed();
      return std::any_of(all.begin(), all.end(), holds);
    };
    QTRY_VERIFY(isThere([](const HandPoint& p) { return p.place.x < 0.05F; }));
    QTRY_VERIFY(isThere([](const HandPoint& p) { return p.place.x > 0.1F; }));
    const HandPoints points = nodes::placedByHandParams(*hand()).points;
    points.list.forEach([&](const HandPoint& p) { QVERIFY(p.prop > 0 && around.contains(points.props[p.prop - 1])); });
  }

  /// From the menu: what is selected becomes the hand's and looks as before; and goes back.
  void takenOverFromTheMenu() {
    const std::size_t shown = w().service().latest()->scene->placementCount();
    test::dragMouse(&site(), QPoint(200, 150), QPoint(500, 380));
    QTRY_VERIFY(countOf(site().selected()) > 3);
    const std::size_t count = countOf(site().selected());
    const int before = steps();
    trigger("site_take_over");
    QTRY_VERIFY(hand() != nullptr);
    QCOMPARE(steps(), before + 1);
    QCOMPARE(placed().size(), count);
    waitForResults();
    QCOMPARE(w().service().latest()->scene->placementCount(), shown);
    QCOMPARE(countOf(site().selected()), count);  // they are called as before
    trigger("site_give_back");
    QTRY_VERIFY(placed().empty());
    waitForResults();
    QCOMPARE(w().service().latest()->scene->placementCount(), shown);
  }

  /// The brush sets nothing where its mask is below a half, nor among what is shown.
  void boundsOfTheBrush() {
    QTest::keyClick(&site(), Qt::Key_B);
    const QString mask = w().model().addInto(*findNodeKind("height"), uid(), "mask");
    w().model().setParam(mask, "band", std::vector<double>{100, 100, 200, 200});
    ready();
    const QPoint top = seen({0, 6, 0});
    test::dragMouse(&site(), top - QPoint(60, -10), top + QPoint(60, 10));
    ready();
    QVERIFY(placed().empty());
    trigger("edit_undo");
    w().model().setParam(mask, "band", std::vector<double>{-200, -200, 200, 200});
    set("brush_spacing", 0.1);
    set("brush_takes", std::string("chosen"));
    set("brush_chosen", PropChoices{{"pebble-b", 1, true}});
    set("brush_size", std::vector<double>{0.5, 0.5});
    ready();
    test::dragMouse(&site(), top - QPoint(60, -10), top + QPoint(60, 10));
    ready();
    QVERIFY(!placed().empty());
    QCOMPARE(brush()->overlaps(), std::size_t{0});
    // An independent look at what is shown: no footprint of the hand's meets one of the rest.
    const EvalViewPtr view = w().service().latest();
    const PointsPtr mine = view->evaluation.firstOf<PointsPtr>(hand()->uid);
    for (const PictureLayer& layer : view->shown)
      for (std::size_t i = 0; i < layer.points->count; ++i)
        for (std::size_t k = 0; k < mine->count; ++k) {
          const float d = glm::distance(layer.points->position[i], mine->position[k]);
          QVERIFY(d < 1e-4F || d >= layer.points->effectiveFootprint(i) + mine->effectiveFootprint(k) - 1e-3F);
        }
  }
};

QTEST_MAIN(TestByHand)
#include "tst_by_hand.moc"
