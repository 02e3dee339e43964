// Site, Ledger and manual by mouse and keys: painting, handles, picking of faces, Why here, Cover, Compare, the shared
// selection.
#include "app/ledger/ledger_model.h"
#include "app/site/region_handles.h"
#include "app/window/manual_window.h"
#include "tests/app/pulse.h"
#include "tests/app/window_test.h"

#include <QAbstractItemModelTester>
#include <QClipboard>
#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QListWidget>
#include <QSignalSpy>
#include <QTableView>
#include <QToolButton>

using namespace arvesk;

class TestSite : public test::WindowTest {
  Q_OBJECT

  std::vector<Vec3> placesOf(const RegionHandles& handles) {
    std::vector<Vec3> out;
    for (const RegionHandles::Handle& h : handles.handles(site().lens())) out.push_back(h.place);
    return out;
  }

  SiteView& site() { return w().site(); }
  QTableView* table() { return w().ledger().findChild<QTableView*>(QStringLiteral("ledger_table")); }
  void open(const char* plan_) {
    QVERIFY(w().openFile(test::sourcePath(plan_)));
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
  }
  QPoint seen(const Vec3& place) {
    const auto at = site().project(place);
    return at ? at->toPoint() : QPoint(-1, -1);
  }
  /// The placement in sight that is nearest to the camera: hidden by none.
  std::size_t nearestTo(const Points& placed) {
    std::size_t best = 0;
    float least = 1e9F;
    for (std::size_t i = 0; i < placed.count; ++i) {
      const float d = glm::distance(placed.position[i], site().camera().eye);
      if (d >= least || !site().rect().adjusted(40, 60, -40, -60).contains(seen(placed.position[i]))) continue;
      least = d;
      best = i;
    }
    return best;
  }
  const std::vector<double>& numbers(const char* uid, const char* param) {
    return std::get<std::vector<double>>(document().find(uid)->params.at(param));
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void strokesPaintAndTakeAway() {
    open("demo/examples/one-slope.arvesk");
    const QString mask = w().model().addInto(*findNodeKind("painted"), QStringLiteral("sow"), "where");
    waitForResults();
    QCOMPARE(report("Pebbles").passed.front(), std::size_t{0});  // nothing painted yet: nothing is sown
    plan().select({mask});
    QVERIFY(site().tool());
    const int steps = w().model().undoStack().count();
    const QPoint top = seen({0, 6, 0});
    test::dragMouse(&site(), top - QPoint(60, -10), top + QPoint(60, 10));
    QCOMPARE(w().model().undoStack().count(), steps + 1);  // a stroke is one step
    const std::string uid = mask.toStdString();
    const std::vector<double> painted = numbers(uid.c_str(), "strokes");
    QVERIFY(painted.size() / kNumbersPerDab > 5);
    for (std::size_t i = 0; i < painted.size();
         i += kNumbersPerDab) {  // every dab lies on the ball of radius 20 about (0, −14, 0)
      const Vec3 place(static_cast<float>(painted[i]), static_cast<float>(painted[i + 1]),
                       static_cast<float>(painted[i + 2]));
      QVERIFY(test::within(static_cast<double>(glm::distance(place, Vec3(0, -14, 0))), 20, 0.1));
      QVERIFY(painted[i + 4] > 0);
    }
    waitForResults();
    const std::size_t sown = report("Pebbles").passed.front();
    QVERIFY(sown > 20);
    test::dragMouse(&site(), top - QPoint(60, -10), top + QPoint(60, 10), Qt::LeftButton, Qt::ControlModifier);
    QVERIFY(numbers(uid.c_str(), "strokes")[painted.size() + 4] < 0);
    waitForResults();
    QVERIFY(report("Pebbles").passed.front() < sown / 2);
    w().model().undoStack().undo();
    waitForResults();
    QCOMPARE(report("Pebbles").passed.front(), sown);
    // Shift and the wheel size the brush; a plain wheel goes to the camera.
    QWheelEvent wheel(top, site().mapToGlobal(top), {}, {0, 240}, {}, Qt::ShiftModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&site(), &wheel);
    QVERIFY(std::get<double>(document().find(uid)->params.at("size")) > 3);
    // Without the node, the left button picks again.
    plan().select({});
    QVERIFY(!site().tool());
  }

  /// The brush lies on the ground whatever stands before it, or on what one sees; and paints the side that it lies on.
  void theBrushLiesOnWhatItIsToldTo() {
    open("demo/tern-cove/tern-cove.arvesk");
    const QString mask = w().model().addNode(*findNodeKind("painted"), 40, 40);
    plan().select({mask});
    QVERIFY(site().tool());
    // A place where a boulder stands before the ground.
    QPoint at;
    for (int x = 40; x < site().width() - 40 && at.isNull(); x += 12)
      for (int y = site().height() / 2; y < site().height() - 40 && at.isNull(); y += 12)
        if (site().pointerAt(QPointF(x, y), {}).thing && site().pointerAt(QPointF(x, y), {}).ground &&
            glm::distance(*site().pointerAt(QPointF(x, y), {}).thing, *site().pointerAt(QPointF(x, y), {}).ground) >
                0.3F)
          at = QPoint(x, y);
    QVERIFY(!at.isNull());
    const SitePointer pointer = site().pointerAt(QPointF(at), {});
    const auto dab = [&] {
      QTest::mouseClick(&site(), Qt::LeftButton, {}, at);
      return strokesFrom(numbers(mask.toStdString().c_str(), "strokes")).dabs.back();
    };
    const Dab onGround = dab();
    QVERIFY(glm::distance(onGround.place, *pointer.ground) < 0.01F);
    QVERIFY(glm::dot(onGround.side, pointer.direction) < 0);  // what looks toward the eye
    w().model().setParam(mask, "on", std::string("things"));
    const Dab onThing = dab();
    QVERIFY(glm::distance(onThing.place, *pointer.thing) < 0.01F && glm::dot(onThing.side, pointer.direction) < 0);
    w().model().setParam(mask, "sides", std::string("all"));
    QVERIFY(dab().side == Vec3(0));
  }

  /// More than a few selected things are tinted where they are seen, in place of a heap of rings.
  void aLargeSelectionIsTinted() {
    open("demo/examples/one-slope.arvesk");
    QTRY_VERIFY(w().service().latest()->totals.placements > 100);
    const Camera camera{{0, 9, 12}, {0, 5, 0}, 45};
    const auto waitForPicture = [&] { QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 2, 120'000); };
    site().setCamera(camera);
    waitForPicture();
    // A pebble in the middle, and the ground beside it.
    QPoint pebble;
    QPoint ground;
    for (int y = site().height() / 3; y < 2 * site().height() / 3; y += 3)  // above the strip of what is selected
      for (int x = site().width() / 3; x < 2 * site().width() / 3; x += 3) {
        const SitePointer p = site().pointerAt(QPointF(x, y), {});
        if (!p.thing || !p.ground) continue;
        const float above = glm::distance(*p.thing, *p.ground);
        if (above > 0.05F) pebble = QPoint(x, y);
        if (above < 1e-4F && ground.isNull()) ground = QPoint(x, y);
      }
    QVERIFY(!pebble.isNull() && !ground.isNull());
    const QImage before = site().grab().toImage();
    QTest::mouseClick(&site(), Qt::LeftButton, {}, pebble);
    QTRY_COMPARE(countOf(site().selected()), std::size_t{1});
    site().selectSame(SameAs::Node);
    QTRY_VERIFY(countOf(site().selected()) > 60);
    const auto isGold = [&](const QPoint& at) {
      const QRgb was = before.pixel(at);
      const QRgb now = site().grab().toImage().pixel(at);
      return qRed(now) - qBlue(now) > qRed(was) - qBlue(was) + 40;
    };
    QTRY_VERIFY_WITH_TIMEOUT(isGold(pebble), 20'000);
    QVERIFY(!isGold(ground));
    // It follows the camera, and goes with the selection.
    Camera nearer = camera;
    nearer.eye.y += 0.5F;
    site().setCamera(nearer);
    waitForPicture();
    QTest::keyClick(&site(), Qt::Key_Escape);
    site().setCamera(camera);
    waitForPicture();
    QTRY_VERIFY(!isGold(pebble));
  }

  /// What a front and a corner do: headings and sizes as they are said, in one step each.
  void handlesTurnAndSize() {
    open("demo/examples/where-and-why.arvesk");
    plan().select({QStringLiteral("place")});
    site().setCamera(Camera{{12, 60, -17.9F}, {12, 4, -18}, 45});
    auto* handles = dynamic_cast<RegionHandles*>(site().tool());
    QVERIFY(handles);
    const auto heading = [&] { return std::get<double>(document().find("place")->params.at("heading")); };
    const Vec3 middle = placesOf(*handles)[0];
    const auto turnTo = [&](float deg, Qt::KeyboardModifiers with) {
      const Vec3 knob = placesOf(*handles).back();
      const Vec3 to = middle + glm::distance(knob, middle) * headingVector(radians(deg));
      test::dragMouse(&site(), seen(knob), seen(to), Qt::LeftButton, with);
    };
    turnTo(90, {});
    QVERIFY2(test::within(heading(), 90, 1.5), qPrintable(QString::number(heading())));
    turnTo(199, Qt::ShiftModifier);
    QCOMPARE(heading(), 195.0);
    // A set that is moved as one.
    const QString moved = w().planView().addAt(*findNodeKind("move-as-one"), QPointF(900, 0));
    plan().select({moved});
    site().setCamera(Camera{{0.1F, 40, 0.1F}, {0, 0, 0}, 45});
    handles = dynamic_cast<RegionHandles*>(site().tool());
    QVERIFY(handles);
    QCOMPARE(placesOf(*handles).size(), std::size_t{3});
    const Vec3 corner = placesOf(*handles)[2];
    test::dragMouse(&site(), seen(corner), seen(2.0F * corner));
    const double size = std::get<double>(document().find(moved.toStdString())->params.at("size"));
    QVERIFY2(test::within(size, 2, 0.05), qPrintable(QString::number(size)));
    for (const QString& word : {QStringLiteral("middle"), QStringLiteral("front"), QStringLiteral("corner")})
      QVERIFY2(handles->hint().contains(word), qPrintable(handles->hint()));
    QVERIFY(!handles->hint().contains(QStringLiteral("side")));
  }

  /// The brush's ring lies on the ground it paints, however steep.
  void brushRingsLieOnTheGround() {
    open("demo/examples/where-and-why.arvesk");
    const SiteLens lens = site().lens();
    QVERIFY(lens.scene);
    const SurfacePtr ground = lens.scene->input().grounds.front();
    const auto index = *SurfaceIndex::of(*ground);
    int lying = 0;
    int floating = 0;
    for (std::size_t f = 0; f < ground->faceCount(); f += ground->faceCount() / 200) {
      const UVec3 t = ground->triangles[f];
      const Vec3 middle = (ground->positions[t.x] + ground->positions[t.y] + ground->positions[t.z]) / 3.0F;
      const float radius = 1.5F;
      Box3 inner = ground->bounds();
      inner = {inner.min + 2 * radius, inner.max - 2 * radius};
      if (middle.x < inner.min.x || middle.x > inner.max.x || middle.z < inner.min.z || middle.z > inner.max.z)
        continue;
      const std::vector<Vec3> ring = lens.ringOnGround(middle, ground->faceNormal(f), radius);
      QCOMPARE(ring.size(), std::size_t{49});
      for (const Vec3& p : ring) ++(index->nearest(p, 0.03F * radius).isHit() ? lying : floating);
    }
    QVERIFY(lying > 2000);
    QVERIFY2(floating * 50 < lying, qPrintable(QStringLiteral("%1 of %2").arg(floating).arg(lying)));
  }

  void handlesMoveAndSizeARegion() {
    open("demo/examples/where-and-why.arvesk");
    plan().select({QStringLiteral("place")});
    auto* handles = dynamic_cast<RegionHandles*>(site().tool());
    QVERIFY(handles);
    const std::size_t before = report("Kale").passed.front();
    QCOMPARE(placesOf(*handles).size(), std::size_t{8});  // the middle, six sides, the front
    QCOMPARE(placesOf(*handles)[0], Vec3(12, 4, -18));
    const int steps = w().model().undoStack().count();
    const QPoint middle = seen(placesOf(*handles)[0]);
    QVERIFY(site().rect().contains(middle));
    test::dragMouse(&site(), middle, middle + QPoint(40, 0));
    QCOMPARE(w().model().undoStack().count(), steps + 1);
    QVERIFY(numbers("place", "center")[0] > 13);
    QVERIFY(test::within(numbers("place", "center")[1], 4, 1e-6));  // level; Shift goes up and down
    const Vec3 now = placesOf(*handles)[0];
    test::dragMouse(&site(), seen(now), seen(now) - QPoint(0, 30), Qt::LeftButton, Qt::ShiftModifier);
    QVERIFY(numbers("place", "center")[1] > 5);
    // A side goes alone, in one step; with Alt both go.
    const auto drawLeftSide = [&](float by, Qt::KeyboardModifiers with) {
      const std::vector<Vec3> sides = placesOf(*handles);
      const Vec3 side = *std::min_element(sides.begin(), sides.end(),
                                          [](const Vec3& a, const Vec3& b) { return a.x < b.x; });
      test::dragMouse(&site(), seen(side), seen(side + Vec3(by, 0, 0)), Qt::LeftButton, with);
    };
    for (const bool isBoth : {false, true}) {
      const double wide = numbers("place", "extent")[0];
      const double center = numbers("place", "center")[0];
      const int had = w().model().undoStack().count();
      drawLeftSide(4, isBoth ? Qt::AltModifier : Qt::NoModifier);
      QVERIFY2(test::within(numbers("place", "extent")[0], wide - (isBoth ? 8 : 4), 1),
               qPrintable(QString::number(numbers("place", "extent")[0])));
      QVERIFY2(test::within(numbers("place", "center")[0], center + (isBoth ? 0 : 2), 0.5),
               qPrintable(QString::number(numbers("place", "center")[0])));
      QCOMPARE(w().model().undoStack().count(), had + 1);
    }
    waitForResults();
    QVERIFY(report("Kale").passed.front() != before);
  }

  /// A region that is turned and tilted: its handles lie where its mask ends, and a side is drawn along its own axis.
  void handlesFollowTheTurnOfARegion() {
    open("demo/examples/where-and-why.arvesk");
    w().model().setParam(QStringLiteral("place"), "shape", std::string("box"));
    w().model().setParam(QStringLiteral("place"), "heading", 60.0);
    w().model().setParam(QStringLiteral("place"), "tilt", std::vector<double>{10, 0, 20});
    w().model().setParam(QStringLiteral("place"), "softness", 0.0);
    waitForResults();
    plan().select({QStringLiteral("place")});
    auto* handles = dynamic_cast<RegionHandles*>(site().tool());
    QVERIFY(handles);
    std::vector<Vec3> at = placesOf(*handles);
    at.pop_back();  // the front, which stands free
    QCOMPARE(at.size(), std::size_t{7});
    const MaskPtr mask = w().service().latest()->evaluation.firstOf<MaskPtr>("place");
    const auto isIn = [&](const Vec3& place) {
      Points p = test::randomPoints(1, Vec3(1), 0, 0, 1);
      p.position = Column<Vec3>(place);
      return maskValues({}, *mask, p)[0] > 0.5F;
    };
    for (std::size_t i = 1; i < at.size(); ++i) {
      QVERIFY(isIn(glm::mix(at[0], at[i], 0.98F)));
      QVERIFY(!isIn(glm::mix(at[0], at[i], 1.02F)));
    }
    // The front is where the heading says, but for the tilt.
    const Vec3 front = at[5] - at[0];
    QVERIFY(glm::dot(glm::normalize(Vec3(front.x, 0, front.z)), headingVector(radians(60.0F))) > 0.9F);
    const std::vector<double> before = numbers("place", "extent");
    const Vec3 side = at[1];
    const Vec3 outward = glm::normalize(side - at[0]);
    QVERIFY(site().rect().contains(seen(side)) && site().rect().contains(seen(side + 3.0F * outward)));
    test::dragMouse(&site(), seen(side), seen(side + 3.0F * outward));
    const std::vector<double> after = numbers("place", "extent");
    QVERIFY2(test::within(after[0], before[0] + 3, 0.5), qPrintable(QString::number(after[0])));
    QCOMPARE(after[1], before[1]);
    QCOMPARE(after[2], before[2]);
  }

  void facesArePickedForAPart() {
    open("demo/examples/one-slope.arvesk");
    const QString part = w().model().addAfter(*findNodeKind("part-of-surface"), QStringLiteral("ground"));
    w().model().setParam(part, "by", std::string("picked"));
    waitForResults();
    plan().select({part});
    const QPoint top = seen({0, 6, 0});
    const std::string uid = part.toStdString();
    const auto picked = [&] {
      return document().find(uid)->params.contains("faces") ? numbers(uid.c_str(), "faces").size() / kNumbersPerFace
                                                            : std::size_t{0};
    };
    QTRY_VERIFY_WITH_TIMEOUT((QTest::mouseClick(&site(), Qt::LeftButton, {}, top), picked() == 1),
                             10'000);  // the index is made meanwhile
    test::dragMouse(&site(), top, top + QPoint(80, 6));
    const std::size_t many = picked();
    QVERIFY(many > 3);
    waitForResults();
    QCOMPARE(report("Part of surface").passed.front(), many);
    test::dragMouse(&site(), top, top + QPoint(80, 6), Qt::LeftButton, Qt::ControlModifier);
    QVERIFY(picked() < many);
    w().model().undoStack().undo();
    QCOMPARE(picked(), many);
  }

  void whyHereNamesTheNodeAndLeadsToIt() {
    open("demo/examples/one-slope.arvesk");
    // A bare spot on the steep side: pebbles were there, and Level places left them out.
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_Y);
    QVERIFY(site().isAsking());
    const float lean = radians(42);
    const Vec3 steep = Vec3(0, -14, 0) + Vec3(0, std::cos(lean), std::sin(lean)) * 20.0F;
    QTest::mouseClick(&site(), Qt::LeftButton, {}, seen(steep));
    auto* list = w().findChild<QListWidget*>(QStringLiteral("why_list"));
    QTRY_VERIFY(!site().whyPanel().answer().points.empty());
    const WhyHere here = site().whyPanel().answer();
    for (const WhyPoint& p : here.points) {
      QVERIFY(!p.isPlaced);
      QCOMPARE(p.node, std::string("slope"));
      QVERIFY2(p.what.starts_with("slope ") && std::stof(p.what.substr(6)) > 24, p.what.c_str());
    }
    // Wider finds more.
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("why_wider")), Qt::LeftButton);
    QTRY_VERIFY(site().whyPanel().answer().pointCount > here.pointCount);
    // A line leads to its node.
    plan().select({});
    const QString leadsTo = list->item(3)->data(Qt::UserRole).toString();
    QVERIFY(document().find(leadsTo.toStdString()));  // under the heading of the points
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(3)).center());
    QTRY_COMPARE(plan().selection(), QStringList{leadsTo});
    // A placement tells its way.
    const Points& placed = *std::get<PointsPtr>(w().service().latest()->evaluation.values.at("out").front());
    QTest::mouseClick(&site(), Qt::LeftButton, {}, seen(placed.position[nearestTo(placed)] + Vec3(0, 0.15F, 0)));
    QTRY_VERIFY_WITH_TIMEOUT(
        list->count() > 4 &&
            list->item(1)->data(Qt::AccessibleTextRole).toString().startsWith(QStringLiteral("Pebbles, made it")),
        10'000);
    QVERIFY(list->item(2)->data(Qt::AccessibleTextRole).toString().contains(QStringLiteral("kept it: slope")));
    QTest::keyClick(&site(), Qt::Key_Escape);
    QVERIFY(!site().isAsking() && !site().whyPanel().isVisible());
  }

  void coverCountsAndTellsTheValue() {
    open("demo/examples/one-slope.arvesk");
    QTest::mouseClick(site().findChild<QToolButton*>(QStringLiteral("mode_cover")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->cover != nullptr, 20'000);
    QTRY_VERIFY(site().cover().map() == w().service().latest()->cover.get());
    const CoverMap& map = *site().cover().map();
    QCOMPARE(map.pointCount, w().service().latest()->shown.front().points->count);
    // Over the fullest cell the pointer reads its count.
    int column = 0;
    int row = 0;
    for (int y = 0; y < map.rows; ++y)
      for (int x = 0; x < map.columns; ++x)
        if (map.count[map.at(x, y)] == map.most) column = x, row = y;
    const Vec2 place = map.corner + (Vec2(static_cast<float>(column), static_cast<float>(row)) + 0.5F) * map.cell;
    QMouseEvent move(QEvent::MouseMove, site().cover().toView(place),
                     site().cover().mapToGlobal(site().cover().toView(place)), Qt::NoButton, Qt::NoButton, {});
    QApplication::sendEvent(&site().cover(), &move);
    const double value = static_cast<double>(map.perSquareMeter(column, row));
    QVERIFY2(site().cover().hovered().startsWith(QLocale().toString(value, 'f', value < 10 ? 2 : 0) +
                                                 QStringLiteral(" per m²")),
             qPrintable(site().cover().hovered()));
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("message"))->text() == site().cover().hovered());
    // Site's keys count over Cover: after a drag on it, Home fits the sheet again.
    const QPointF fitted = site().cover().toView(place);
    test::dragMouse(&site().cover(), {200, 200}, {260, 230});
    QVERIFY(QLineF(site().cover().toView(place), fitted).length() > 20);
    QVERIFY(site().hasFocus());
    QTest::keyClick(&site(), Qt::Key_Home);
    QVERIFY(QLineF(site().cover().toView(place), fitted).length() < 1);
  }

  void compareHoldsAndWipes() {
    open("demo/examples/one-slope.arvesk");
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_C);
    QVERIFY(site().isComparing());
    w().model().setParam(QStringLiteral("sow"), "density", 2.0);
    waitForResults();
    const QPoint line(site().width() / 2, site().height() / 2);
    const Camera before = site().camera();
    test::dragMouse(&site(), line, line - QPoint(200, 0));
    QVERIFY(test::within(site().divider(), (line.x() - 200.0) / site().width(), 0.01));
    QVERIFY(site().camera() == before);
    // Held and now differ only left of the line.
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 4, 120'000);
    QTest::qWait(300);
    const QImage both = site().grab().toImage();
    QTest::keyClick(&site(), Qt::Key_C);
    QVERIFY(!site().isComparing());
    const QImage now = site().grab().toImage();
    const auto differs = [&](int from, int to) {
      qint64 sum = 0;
      for (int y = 260; y < both.height() - 60; y += 3)
        for (int x = from; x < to; x += 3) sum += std::abs(qGray(both.pixel(x, y)) - qGray(now.pixel(x, y)));
      return sum;
    };
    const int x = static_cast<int>(site().divider() * site().width());
    QVERIFY(differs(20, x - 20) > 4 * differs(x + 20, site().width() - 60) + 1000);
  }

  void ledgerSortsFiltersAndSharesItsSelection() {
    open("demo/examples/one-slope.arvesk");
    QAbstractItemModelTester tester(&w().ledger().table(), QAbstractItemModelTester::FailureReportingMode::QtTest);
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("tab_ledger")), Qt::LeftButton);
    const std::size_t all = w().service().latest()->shown.front().points->count;
    QTRY_COMPARE(w().ledger().table().rowCount(), static_cast<int>(all));
    const auto column = [&](const char* name) { return w().ledger().table().ledger()->column(name); };
    QHeaderView* head = table()->horizontalHeader();
    const auto clickHead = [&](int section) {
      QTest::mouseClick(head->viewport(), Qt::LeftButton, {},
                        QPoint(head->sectionViewportPosition(section) + 20, head->height() / 2));
    };
    clickHead(column("x"));
    const auto x = [&](int row) {
      return w().ledger().table().ledger()->number(w().ledger().table().rows()[static_cast<std::size_t>(row)],
                                                   column("x"));
    };
    QTRY_VERIFY(!w().ledger().isBusy() &&
                std::is_sorted(w().ledger().table().rows().begin(), w().ledger().table().rows().end(),
                               [&](std::uint32_t a, std::uint32_t b) {
                                 return w().ledger().table().ledger()->number(a, column("x")) <
                                        w().ledger().table().ledger()->number(b, column("x"));
                               }));
    QVERIFY(x(0) < x(static_cast<int>(all) - 1));
    clickHead(column("x"));
    QTRY_VERIFY(!w().ledger().isBusy() && x(0) > x(static_cast<int>(all) - 1));
    auto* filter = w().ledger().findChild<QLineEdit*>(QStringLiteral("ledger_filter"));
    QTest::keyClicks(filter, QStringLiteral("slope > 20"));
    QTRY_VERIFY(w().ledger().table().rowCount() < static_cast<int>(all) && w().ledger().table().rowCount() > 0);
    QVERIFY(w().ledger().findChild<QLabel*>(QStringLiteral("ledger_count"))->text().endsWith(QStringLiteral(" rows")));
    filter->clear();
    QTest::keyClicks(filter, QStringLiteral("steepness > 20"));
    QTRY_VERIFY(
        w().ledger().findChild<QLabel*>(QStringLiteral("ledger_count"))->text().contains(QStringLiteral("no column")));
    filter->clear();
    QTRY_COMPARE(w().ledger().table().rowCount(), static_cast<int>(all));
    // Selected rows are ringed in Site; a click in Site selects the row.
    QSignalSpy places(&w().ledger(), &LedgerView::selectionPlaces);
    table()->selectRow(3);
    QTRY_VERIFY(!places.isEmpty());
    QCOMPARE(places.last()[0].value<std::vector<Vec3>>().size(), std::size_t{1});
    const Points& placed = *w().service().latest()->shown.front().points;
    const std::size_t top = nearestTo(placed);
    QTest::mouseClick(&site(), Qt::LeftButton, {}, seen(placed.position[top] + Vec3(0, 0.15F, 0)));
    const auto selectedPoint = [&] {
      const QModelIndexList rows = table()->selectionModel()->selectedRows();
      return rows.size() == 1
                 ? static_cast<std::size_t>(w().ledger().table().rows()[static_cast<std::size_t>(rows.first().row())])
                 : all;
    };
    QTRY_COMPARE(selectedPoint(), top);
    // It stays selected, by id, when the order changes.
    clickHead(column("slope"));
    QTRY_VERIFY(!w().ledger().isBusy());
    QTRY_COMPARE(selectedPoint(), top);
    const QString csv = m_dir.filePath(QStringLiteral("rows.csv"));
    QVERIFY(w().ledger().writeCsv(csv));
    QTRY_VERIFY(!w().ledger().isBusy());
    QFile file(csv);
    QVERIFY(file.open(QIODevice::ReadOnly));
    QCOMPARE(file.readAll().count('\n'), static_cast<qsizetype>(all) + 1);
    // Copied rows are the selected ones, below the names of the columns that are shown.
    QTest::keyClicks(filter, QStringLiteral("slope > 20"));
    QTRY_VERIFY(w().ledger().table().rowCount() < static_cast<int>(all) && !w().ledger().isBusy());
    table()->setFocus();
    QTest::keyClick(table(), Qt::Key_A, Qt::ControlModifier);
    QTest::keyClick(table(), Qt::Key_C, Qt::ControlModifier);
    QTRY_COMPARE(QApplication::clipboard()->text().count(QLatin1Char('\n')),
                 static_cast<qsizetype>(w().ledger().table().rowCount()));
    QVERIFY(QApplication::clipboard()->text().startsWith(
        w().ledger().table().headerData(0, Qt::Horizontal, Qt::DisplayRole).toString() + QLatin1Char('\t')));
  }

  /// What rows are about stands first, then what the filter asks for; what is empty in these rows, last. A selected
  /// output shows its rows alone.
  void theLedgerShowsWhatHasSomething() {
    open("demo/tern-cove/tern-cove.arvesk");
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("tab_ledger")), Qt::LeftButton);
    const auto calm = [&] {
      QTRY_VERIFY_WITH_TIMEOUT(!w().ledger().isBusy() && w().ledger().table().rowCount() > 0, 60'000);
    };
    calm();
    w().ledger()
        .findChild<QLineEdit*>(QStringLiteral("ledger_filter"))
        ->setText(QStringLiteral("slope > 20 and prop = boulder*"));
    QTest::qWait(600);
    calm();
    const LedgerPtr ledger = w().ledger().table().ledger();
    const QHeaderView* head = table()->horizontalHeader();
    QStringList order;
    bool wasEmpty = false;
    for (int v = 0; v < head->count(); ++v) {
      const int c = head->logicalIndex(v);
      order << QString::fromStdString(ledger->columns()[static_cast<std::size_t>(c)].name);
      bool isEmpty = true;
      for (const std::uint32_t row : w().ledger().table().rows())
        isEmpty = isEmpty && (ledger->shown(row, c).empty() || std::isnan(ledger->number(row, c)));
      if (ledger->columns()[static_cast<std::size_t>(c)].sort != LedgerColumn::Sort::Number) continue;
      QVERIFY2(isEmpty || !wasEmpty, qPrintable(order.join(QStringLiteral(", "))));
      wasEmpty = isEmpty;
    }
    QVERIFY2(order.indexOf(QStringLiteral("slope")) < 4 && order.indexOf(QStringLiteral("prop")) < 3 &&
                 order.first() == QStringLiteral("output"),
             qPrintable(order.join(QStringLiteral(", "))));
    w().ledger().findChild<QLineEdit*>(QStringLiteral("ledger_filter"))->clear();
    QTest::qWait(600);
    calm();
    const int all = w().ledger().table().rowCount();
    plan().select({quid("Plants")});
    QTRY_VERIFY_WITH_TIMEOUT(
        !w().ledger().isBusy() && w().ledger().table().rowCount() == static_cast<int>(report("Plants").passed.front()),
        60'000);
    const auto* count = w().ledger().findChild<QLabel*>(QStringLiteral("ledger_count"));
    QTRY_VERIFY2(count->text().startsWith(QStringLiteral("only Plants: ")), qPrintable(count->text()));
    plan().select({});
    QTRY_VERIFY_WITH_TIMEOUT(!w().ledger().isBusy() && w().ledger().table().rowCount() == all, 60'000);
  }

  // A million rows: filling, selecting all and scrolling never hold the window for long. The limit is far above what it
  // takes, so that only a copy of every cell could reach it.
  void ledgerOfAMillionRowsDoesNotStall() {
    open("demo/examples/one-slope.arvesk");
    w().showBottom(MainWindow::Bottom::Ledger);
    w().model().setParam(QStringLiteral("slope"), "keep", std::string("limit"));
    w().model().setParam(QStringLiteral("slope"), "slope", std::vector<double>{0, 0, 180, 180});
    w().model().setParam(QStringLiteral("sow"), "density", 4000.0);
    w().setQuality(Quality::Final);
    Q_EMIT plan().inSiteWanted(QStringLiteral("slope"));
    site().setMode(SiteMode::Cover);  // no picture of millions of discs meanwhile
    QTRY_VERIFY_WITH_TIMEOUT(w().ledger().table().rowCount() > 1'000'000, 120'000);
    const double work = test::leastWorkOf([&] {
      table()->scrollToTop();
      table()->selectAll();
      table()->scrollToBottom();
      QApplication::processEvents();
    });
    QVERIFY2(work < 2000, qPrintable(QString::number(work)));
    QVERIFY(!table()->model()->index(table()->model()->rowCount() - 1, 0).data().toString().isEmpty());
  }

  void pointsAreColoredByWhatTheyCarry() {
    open("demo/examples/one-slope.arvesk");
    QTest::mouseClick(site().findChild<QToolButton*>(QStringLiteral("mode_points")), Qt::LeftButton);
    QCOMPARE(site().samplesShown(), 0);  // what is still seen are the props, and nobody takes that for the points
    auto* box = site().findChild<QComboBox*>(QStringLiteral("color_by"));
    QTRY_VERIFY(box->isVisible() && box->findData(QStringLiteral("slope")) > 0);
    QTRY_VERIFY(box->width() >= box->minimumSizeHint().width() &&
                box->width() >= box->fontMetrics().horizontalAdvance(box->currentText()) + 24);
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
    box->setFocus();
    while (box->currentData().toString() != QStringLiteral("slope")) QTest::keyClick(box, Qt::Key_Down);
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->colorTitle == "slope", 20'000);
    const EvalView& view = *w().service().latest();
    QVERIFY(view.colorTo <= 36.5F && view.colorTo > 24);  // the filter before it ends at 36°
    QCOMPARE(view.pointValues.size(), view.shown.size());
    // By what they belong to: each point its prop's color, a color of its own for each.
    box->setCurrentIndex(box->findData(QLatin1String(kByProp)));
    Q_EMIT box->activated(box->currentIndex());
    QTRY_VERIFY_WITH_TIMEOUT(!w().service().latest()->palette.empty(), 20'000);
    const EvalViewPtr grouped = w().service().latest();
    QCOMPARE(grouped->groups.size(), grouped->palette.size());
    std::set<std::string> used;
    for (std::size_t l = 0; l < grouped->shown.size(); ++l) {
      const Points& points = *grouped->shown[l].points;
      for (std::size_t i = 0; i < points.count; ++i) {
        const std::string& group = grouped->groups.at(static_cast<std::size_t>(grouped->pointValues[l][i]));
        QCOMPARE(group, points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->name);
        used.insert(group);
      }
    }
    QVERIFY(used.size() > 1);
    const std::vector<Vec3> many = groupColors(24);
    for (std::size_t a = 0; a < many.size(); ++a)
      for (std::size_t b = 0; b < a; ++b) QVERIFY(glm::distance(many[a], many[b]) > 0.05F);
    // In their true size discs cover more of a close view.
    site().setCamera(Camera{{2, 8.5F, 2}, {0, 6, 0}, 45});
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
    const auto colored = [&] {
      const QImage shown = site().grab().toImage();
      int count = 0;
      for (int y = 100; y < shown.height() - 100; y += 2)
        for (int x = 0; x < shown.width() - 300; x += 2)
          for (const Vec3& c : grouped->palette)
            count += shown.pixelColor(x, y) ==
                     QColor(static_cast<int>(c.r * 255), static_cast<int>(c.g * 255), static_cast<int>(c.b * 255));
      return count;
    };
    const int before = colored();
    QVERIFY(before > 0);
    QTest::mouseClick(site().findChild<QToolButton*>(QStringLiteral("true_size")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
    QTRY_VERIFY(colored() > 2 * before);
  }

  void f1OpensThePageOfTheSelectedNode() {
    open("demo/examples/one-slope.arvesk");
    plan().select({QStringLiteral("slope")});
    trigger("help_manual");
    auto* manual = w().findChild<ManualWindow*>(QStringLiteral("manual_window"));
    QVERIFY(manual && manual->isVisible());
    QCOMPARE(manual->page(), QStringLiteral("keep-by-slope"));
    QTRY_VERIFY_WITH_TIMEOUT(manual->hasPicture(), 120'000);
    QCOMPARE(w().findChild<QAction*>(QStringLiteral("help_manual"))->shortcut(), QKeySequence(Qt::Key_F1));
  }
};

QTEST_MAIN(TestSite)
#include "tst_site.moc"
