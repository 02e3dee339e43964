// Volumes in the window: a surface drawn onto a volume gets its Solid, a volume in Site shows its facets, and a cut
// looks into it, by mouse and keys.
#include "tests/app/window_test.h"

#include <QElapsedTimer>
#include <QMenu>
#include <QToolButton>

using namespace arvesk;

class TestBodies : public test::WindowTest {
  Q_OBJECT

  SiteView& site() { return w().site(); }
  void waitForPicture() {
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
  }
  QPoint seen(const Vec3& place) {
    const auto at = site().project(place);
    return at ? at->toPoint() : QPoint(-1, -1);
  }
  QRgb colorAt(const QPoint& at) { return site().grab().toImage().pixel(at); }
  /// A ball of 5 m, filled.
  void makeFilledBall() {
    w().model().addNode(*findNodeKind("shape"), 40, 40);
    const QString ball = QString::fromStdString(document().nodes.front().uid);
    w().model().setParam(ball, "form", std::string("ball"));
    w().model().addNode(*findNodeKind("sow-in-volume"), 40, 300);
    waitForResults();
    drag(plan().slotPlace(ball, "surface"), plan().slotPlace(quid("Sow in volume"), "volume"));
    waitForPicture();
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void aSurfaceDrawnOntoAVolumeGetsItsSolid() {
    makeFilledBall();
    const Node* sow = document().find(uidOf("Sow in volume"));
    const Node* solid = document().find(sow->inputs.at("volume").front().node);
    QVERIFY(solid);
    QCOMPARE(solid->kind, std::string("solid"));
    QCOMPARE(document().find(solid->inputs.at("surfaces").front().node)->kind, std::string("shape"));
    QCOMPARE(report("Solid").state, NodeState::Done);
    QVERIFY(QString::fromStdString(report("Solid").said).contains(QStringLiteral("voxels")));
    QVERIFY(test::within(static_cast<double>(report("Sow in volume").passed.front()),
                         4.0 / 3 * 3.14159 * 125 * document().settings.draftShare, 60));
    // One step takes all of it back.
    w().model().undoStack().undo();
    QCOMPARE(uidOf("Solid"), std::string());
    QVERIFY(!document().find(uidOf("Sow in volume"))->inputs.contains("volume"));
    // From the find field, too.
    const QString ball = QString::fromStdString(document().nodes.front().uid);
    drag(plan().slotPlace(ball, "surface"), plan().slotPlace(ball, "surface") + QPoint(260, 90));
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("find_line"));
    QTRY_VERIFY(line->isVisible());
    QTest::keyClicks(line, QStringLiteral("planting grid in volume"));
    QTest::keyClick(line, Qt::Key_Return);
    waitForResults();
    QVERIFY(report("Planting grid in volume").passed.front() > 80);
  }

  void aVolumeInSiteShowsItsFacets() {
    makeFilledBall();
    clickCard("Solid");
    QTest::keyClick(&plan(), Qt::Key_I);
    waitForPicture();
    const auto view = w().service().latest();
    QVERIFY(view->volume && view->volume->facets);
    // Of one meter they are few, of a quarter 16 times as many; the true body's outline stays.
    w().model().setParam(quid("Solid"), "voxel_size", 1.0);
    waitForResults();
    const auto coarse = w().service().latest()->volume;
    w().model().setParam(quid("Solid"), "voxel_size", 0.25);
    waitForResults();
    const auto fine = w().service().latest()->volume;
    QVERIFY(test::within(static_cast<double>(fine->facets->faceCount()),
                         16 * static_cast<double>(coarse->facets->faceCount()), 0, 0.2));
    QCOMPARE(fine->edges.size(), coarse->edges.size());
    QVERIFY(!fine->edges.empty());
  }

  /// Open edges of a volume in Site are drawn over it.
  void openEdgesAreSeen() {
    w().model().addNode(*findNodeKind("shape"), 40, 40);
    const QString flat = quid("Shape");
    w().model().setParam(flat, "form", std::string("plane"));
    w().model().setParam(flat, "extent", std::vector<double>{8, 1, 8});
    w().model().addNode(*findNodeKind("solid"), 40, 200);
    waitForResults();
    drag(plan().slotPlace(flat, "surface"), plan().slotPlace(quid("Solid"), "surfaces"));
    waitForResults();
    QVERIFY(QString::fromStdString(report("Solid").problems.front().message).contains(QStringLiteral("open edges")));
    const auto marked = [&] {
      const QImage shown = site().grab().toImage();
      int count = 0;
      for (int y = 0; y < shown.height(); ++y)
        for (int x = 0; x < shown.width(); ++x) {
          const QColor c = shown.pixelColor(x, y);
          count += c.red() > 190 && c.blue() < 90 && c.green() < 150;
        }
      return count;
    };
    waitForPicture();
    QVERIFY(marked() < 20);
    clickCard("Solid");
    QTest::keyClick(&plan(), Qt::Key_I);
    waitForPicture();
    QTRY_VERIFY(marked() > 200);
  }

  /// Mist is seen when its node is in Site or an Output holds it, and not when that one is hidden.
  void mistIsSeenAsHaze() {
    w().model().addNode(*findNodeKind("shape"), 40, 40);
    const QString flat = QString::fromStdString(document().nodes.front().uid);
    w().model().setParam(flat, "form", std::string("plane"));
    w().model().setParam(flat, "extent", std::vector<double>{20, 1, 20});
    w().model().addNode(*findNodeKind("sow-on-surface"), 40, 200);
    w().model().addNode(*findNodeKind("mist"), 40, 330);
    w().model().addNode(*findNodeKind("output"), 40, 460);
    waitForResults();
    drag(plan().slotPlace(flat, "surface"), plan().slotPlace(quid("Sow on surface"), "surface"));
    drag(plan().slotPlace(quid("Sow on surface"), "points"), plan().slotPlace(quid("Mist"), "points"));
    w().model().setParam(quid("Mist"), "times", 8.0);
    waitForPicture();
    QVERIFY(w().service().latest()->scene->input().hazes.empty());
    QVERIFY(QString::fromStdString(report("Mist").said).contains(QStringLiteral("MB")));
    drag(plan().slotPlace(quid("Mist"), "volume"), plan().slotPlace(quid("Output"), "points"));
    waitForPicture();
    QCOMPARE(w().service().latest()->scene->input().hazes.size(), std::size_t{1});
    QVERIFY(QString::fromStdString(report("Output").said).contains(QStringLiteral("voxels")));  // not "0 placed"
    const QImage misty = site().grab().toImage();
    w().model().setParam(quid("Output"), "visible", false);
    waitForPicture();
    QVERIFY(w().service().latest()->scene->input().hazes.empty());
    QVERIFY(site().grab().toImage() != misty);
    clickCard("Mist");
    QTest::keyClick(&plan(), Qt::Key_I);
    waitForPicture();
    QCOMPARE(w().service().latest()->scene->input().hazes.size(), std::size_t{1});
    // Both at once are not twice as dense.
    w().model().setParam(quid("Output"), "visible", true);
    waitForPicture();
    QCOMPARE(w().service().latest()->scene->input().hazes.size(), std::size_t{1});
  }

  /// A camera may keep its light: who goes there sees it, who turns the sun sees that.
  void camerasKeepTheirLight() {
    makeFilledBall();
    w().model().edit(QStringLiteral("low"), [](Plan& p) { p.settings.sunHeightDeg = 9; });
    waitForPicture();
    w().findChild<QAction*>(QStringLiteral("site_keep_lit_camera"))->trigger();
    w().findChild<QAction*>(QStringLiteral("site_keep_camera"))->trigger();
    QVERIFY(document().settings.cameras.at(0).sun && !document().settings.cameras.at(1).sun);
    w().model().edit(QStringLiteral("high"), [](Plan& p) { p.settings.sunHeightDeg = 60; });
    waitForPicture();
    for (auto* menu : w().findChildren<QMenu*>()) {
      if (menu->title() != QStringLiteral("Saved cameras")) continue;
      Q_EMIT menu->aboutToShow();  // shown, it would take the keys
      QVERIFY(menu->actions().first()->text().contains(QString::fromStdString(document().settings.cameras[0].name)));
      QVERIFY(menu->actions().first()->isEnabled() && !menu->actions().at(2)->isEnabled());
      Q_EMIT menu->aboutToHide();
    }
    const QImage high = site().grab().toImage();
    site().setFocus();
    QTest::keyClick(&site(), Qt::Key_1);
    QVERIFY(site().camera().sun && site().camera().sun->heightDeg == 9.0F);
    waitForPicture();
    QTRY_VERIFY(site().grab().toImage() != high);
    QTest::keyClick(&site(), Qt::Key_2);
    QVERIFY(!site().camera().sun);
    QTest::keyClick(&site(), Qt::Key_1);
    w().model().edit(QStringLiteral("middle"), [](Plan& p) { p.settings.sunHeightDeg = 30; });
    waitForPicture();
    QVERIFY(!site().camera().sun);
  }

  /// While its handle is dragged a body of 20,000 triangles takes its 20,000 points along, picture by picture, in final
  /// quality; where it comes to rest each is in its place in the body.
  void theFillFollowsAHandle() {
    makeFilledBall();
    w().setQuality(Quality::Final);
    const QString ball = quid("Shape");
    w().model().setParam(ball, "divisions", 71.0);
    w().model().setParam(ball, "move", std::vector<double>{1, 0, 0});
    w().model().setParam(quid("Sow in volume"), "lattice", std::string("body"));
    w().model().setParam(quid("Sow in volume"), "density", 20'000 / (4.0 / 3 * 3.14159 * 125));
    clickCard("Shape");
    waitForPicture();
    const auto sown = [&] { return w().service().latest()->evaluation.firstOf<PointsPtr>(uidOf("Sow in volume")); };
    const PointsPtr before = sown();
    QVERIFY(before->count > 19'000 && report("Shape").passed.front() > 19'000);
    int shown = 0;
    connect(&w().service(), &EvaluationService::passed, this, [&] { ++shown; });
    connect(&w().service(), &EvaluationService::finished, this, [&] { ++shown; });
    QElapsedTimer clock;
    clock.start();
    constexpr int kMoves = 120;
    const QPoint from = seen({1, 0, 0});
    test::dragMouse(&site(), from, from + QPoint(kMoves, 20), kMoves, [] { QTest::qWait(16); });
    qInfo("%d evaluations shown in %lld ms of dragging", shown, static_cast<long long>(clock.elapsed()));
    waitForPicture();
    const auto& move = std::get<std::vector<double>>(document().find(ball.toStdString())->params.at("move"));
    const Vec3 way(static_cast<float>(move[0]) - 1, static_cast<float>(move[1]), static_cast<float>(move[2]));
    QVERIFY(glm::length(way) > 1);
    const PointsPtr after = sown();
    QCOMPARE(after->count, before->count);
    for (std::size_t i = 0; i < after->count; ++i) {
      QCOMPARE(after->id[i], before->id[i]);
      QVERIFY(glm::distance(after->position[i], before->position[i] + way) < 1e-5F);
    }
  }

  void aCutLooksInside() {
    makeFilledBall();
    site().setFocus();
    const QPoint middle = seen({0, 0, 0});
    const QRgb skin = colorAt(middle);
    QVERIFY(!site().cutPlane().cut());
    QTest::keyClick(&site(), Qt::Key_O);
    QVERIFY(site().cutPlane().cut());
    QVERIFY(site().findChild<QToolButton*>(QStringLiteral("cut"))->isChecked());
    waitForPicture();
    // The near half is gone: what is seen there is the ball from within.
    QTRY_VERIFY(colorAt(middle + QPoint(25, 25)) != skin);
    QTRY_VERIFY(qRed(colorAt(middle + QPoint(25, 25))) > qBlue(colorAt(middle + QPoint(25, 25))) + 20);
    const Cut before = *site().cutPlane().cut();
    QVERIFY(before.hides(site().camera().eye));
    // The square moves it along the way it looks, the ball leans it, with Shift to an axis.
    test::dragMouse(&site(), seen(site().cutPlane().middle()), seen(before.at + 2.0F * before.normal));
    QVERIFY(test::within(static_cast<double>(glm::dot(site().cutPlane().middle() - before.at, before.normal)), 2, 0.2));
    QVERIFY(site().cutPlane().cut()->normal == before.normal);
    const QPoint tip = seen(site().cutPlane().tip());
    test::dragMouse(&site(), tip, tip + QPoint(0, 60));
    QVERIFY(glm::distance(site().cutPlane().cut()->normal, before.normal) > 0.05F);
    QVERIFY(test::within(static_cast<double>(glm::length(site().cutPlane().cut()->normal)), 1, 1e-4));
    const QPoint leaned = seen(site().cutPlane().tip());
    test::dragMouse(&site(), leaned, leaned + QPoint(0, 2), Qt::LeftButton, Qt::ShiftModifier);
    const Vec3 square = glm::abs(site().cutPlane().cut()->normal);
    QVERIFY(std::max({square.x, square.y, square.z}) == 1);
    QVERIFY(w().model().undoStack().count() > 0 && !document().nodes.empty());  // of the view only
    // Points that it hides are not picked, and it goes as it came.
    QTest::mouseClick(site().findChild<QToolButton*>(QStringLiteral("cut")), Qt::LeftButton);
    QVERIFY(!site().cutPlane().cut());
  }
};

QTEST_MAIN(TestBodies)
#include "tst_bodies.moc"
