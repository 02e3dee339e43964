// The time line as it is used: given to a plan and taken, scrubbed, typed and played; keys set and taken on the Bench.
#include "app/bench/number_field.h"
#include "app/bench/param_editors.h"
#include "app/site/region_handles.h"
#include "app/site/time_line.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QContextMenuEvent>
#include <QLabel>
#include <QMenu>
#include <QToolButton>

using namespace arvesk;

class TestTimeLine : public test::WindowTest {
  Q_OBJECT

  TimeLine* line() { return w().findChild<TimeLine*>(QStringLiteral("time_line")); }
  FrameRuler* ruler() { return w().findChild<FrameRuler*>(QStringLiteral("frames")); }
  NumberField* field(const char* name) { return w().findChild<NumberField*>(QLatin1String(name)); }
  double frame() { return momentOf(w().model().document()).frame; }
  std::size_t sown() { return report("Pebbles").passed.front(); }
  const Keys& densityKeys() { return document().find("sow")->keys.at("density"); }
  double density() { return field("density")->value(); }

  /// Chooses from the menu of the density on the Bench.
  void choose(const char* action) {
    QWidget* at = nullptr;
    for (NumberField* f : w().bench().findChildren<NumberField*>(QStringLiteral("density")))
      if (f->isVisible()) at = f;
    while (at && !qobject_cast<ParamEditor*>(at)) at = at->parentWidget();
    auto* editor = qobject_cast<ParamEditor*>(at);
    QVERIFY(editor);
    bool isThere = false;
    QTimer::singleShot(0, this, [&] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      QVERIFY(menu);
      auto* item = menu->findChild<QAction*>(QLatin1String(action));
      isThere = item && item->isEnabled();
      if (isThere) QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(item).center());
      menu->close();
    });
    Q_EMIT editor->customContextMenuRequested(QPoint(2, 2));
    QVERIFY2(isThere, action);
  }
  void goTo(double to) {
    type(field("time_frame"), QString::number(to));
    QCOMPARE(frame(), to);
    waitForResults();
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    openWindow();
    w().model().undoStack().setClean();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    clickCard("Pebbles");
  }
  void cleanup() {
    w().model().undoStack().setClean();
    m_window.reset();
  }

  /// Of a still plan nothing of it is in sight; the menu gives it time, and undo takes it again.
  void onlyPlansWithTimeShowIt() {
    QVERIFY(!line()->isVisible());
    QVERIFY(!w().findChild<QLabel*>(QStringLiteral("keys.density")));
    trigger("site_time");
    QVERIFY(line()->isVisible());
    QVERIFY(field("time_first")->value() == 1 && field("time_last")->value() == 120 && frame() == 1);
    type(field("time_last"), QStringLiteral("48"));
    QCOMPARE(w().model().document().settings.time->last, 48);
    w().model().undo();
    w().model().undo();
    QVERIFY(!line()->isVisible());
  }

  void keysMoveWhatIsShown() {
    trigger("site_time");
    choose("set_key");
    QCOMPARE(densityKeys().list.size(), std::size_t{1});
    auto* bead = w().findChild<QLabel*>(QStringLiteral("keys.density"));
    QVERIFY(bead && bead->isVisible());
    const double begin = density();
    goTo(25);
    // What is typed where it moves becomes a key there; nothing else of it changes.
    type(field("density"), QStringLiteral("2"));
    QCOMPARE(densityKeys().list.size(), std::size_t{2});
    QVERIFY(densityKeys().list[0].value == ParamValue(begin) && densityKeys().list[1].value == ParamValue(2.0));
    waitForResults();
    const std::size_t few = sown();
    goTo(13);
    QVERIFY(std::abs(density() - (begin + 2) / 2) < 1e-9);  // soft: half of the way in half of the time
    const std::size_t middle = sown();
    goTo(1);
    QVERIFY(few < middle && middle < sown());
    // Undo takes the key, not the moment; what is saved knows of keys and time, not of the moment.
    goTo(20);
    w().model().undo();
    QVERIFY(densityKeys().list.size() == 1 && frame() == 20);
    w().model().redo();
    const QString path = m_dir.filePath(QStringLiteral("moves.arvesk"));
    QVERIFY(w().saveTo(path));
    const auto saved = loadPlan(path.toStdString());
    QVERIFY(saved && !saved->frame && saved->find("sow")->keys.at("density").list.size() == 2);
    goTo(25);
    choose("take_key");
    QCOMPARE(densityKeys().list.size(), std::size_t{1});
    choose("take_keys");
    QVERIFY(document().find("sow")->keys.empty() && !bead->isVisible());
  }

  /// A region's handles are where it is at the moment; dragging them sets a key there.
  void handlesGoAlong() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/broken.arvesk")));
    waitForResults();
    trigger("site_time");
    w().planView().select({QStringLiteral("ball")});
    w().model().setKeyHere({QStringLiteral("ball")}, "center");
    w().model().setFrame(25);
    w().model().setParam(QStringLiteral("ball"), "center", std::vector<double>{24, 2.5, -7});
    w().model().setFrame(13);
    waitForResults();
    const Node* ball = document().find("ball");
    QCOMPARE(ball->keys.at("center").list.size(), std::size_t{2});
    RegionHandles handles(&w().model(), QStringLiteral("ball"));
    const auto shape = handles.shape();
    QVERIFY(shape && std::abs(shape->center.x - 0.5F * (21.9F + 24)) < 1e-3F);
    w().model().undoStack().setClean();
  }

  void theRulerIsDraggedAndStepped() {
    trigger("site_time");
    ruler()->setFocus();
    QTest::keyClick(ruler(), Qt::Key_End);
    QCOMPARE(frame(), 120.0);
    QTest::keyClick(ruler(), Qt::Key_Left);
    QCOMPARE(frame(), 119.0);
    QTest::keyClick(ruler(), Qt::Key_Home);
    QTest::keyClick(ruler(), Qt::Key_Right);
    QCOMPARE(frame(), 2.0);
    QTest::mousePress(ruler(), Qt::LeftButton, {}, {ruler()->width() / 2, 10});
    QVERIFY(frame() > 55 && frame() < 66);
    QTest::mouseMove(ruler(), {ruler()->width() + 50, 10});
    QTest::mouseRelease(ruler(), Qt::LeftButton, {}, {ruler()->width() + 50, 10});
    QVERIFY(frame() <= 120);
    goTo(3.5);
    QTest::keyClick(ruler(), Qt::Key_Right);
    QCOMPARE(frame(), 4.0);
  }

  /// Beads under the ruler are moved, copied, pushed and stretched, eased by their menu, and taken out.
  void beadsAreDragged() {
    trigger("site_time");
    type(field("time_last"), QStringLiteral("101"));
    const auto at = [&](double frame) {
      return QPoint(8 + static_cast<int>(std::lround((frame - 1) / 100 * (ruler()->width() - 16))),
                    ruler()->height() - 5);
    };
    const auto frames = [&] {
      std::vector<double> out;
      for (const Key& key : densityKeys().list) out.push_back(key.frame);
      return out;
    };
    const auto drag = [&](double from, double to, Qt::KeyboardModifiers with = {}) {
      QTest::mousePress(ruler(), Qt::LeftButton, with, at(from));
      for (const double share : {0.4, 1.0}) {
        const QPoint p = at(from + share * (to - from));
        QMouseEvent moved(QEvent::MouseMove, p, ruler()->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, with);
        QApplication::sendEvent(ruler(), &moved);
      }
      QTest::mouseRelease(ruler(), Qt::LeftButton, with, at(to));
    };
    using Frames = std::vector<double>;
    for (const double frame : {1.0, 21.0, 41.0}) {
      goTo(frame);
      choose("set_key");
    }
    const int steps = w().model().undoStack().index();
    drag(21, 31);
    QCOMPARE(frames(), (Frames{1, 31, 41}));
    QCOMPARE(w().model().undoStack().index(), steps + 1);  // a drag is one step
    QCOMPARE(frame(), 41.0);                               // and the needle stays
    drag(31, 61, Qt::ControlModifier);
    QCOMPARE(frames(), (Frames{1, 31, 41, 61}));
    drag(41, 51, Qt::ShiftModifier);
    QCOMPARE(frames(), (Frames{1, 31, 51, 71}));
    drag(71, 36, Qt::AltModifier);
    QCOMPARE(frames(), (Frames{1, 16, 26, 36}));
    const auto chooseAt = [&](double frame, const char* action) {
      QTimer::singleShot(0, this, [action] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        QVERIFY(menu);
        QTest::mouseClick(menu, Qt::LeftButton, {},
                          menu->actionGeometry(menu->findChild<QAction*>(QLatin1String(action))).center());
        menu->close();
      });
      QContextMenuEvent asked(QContextMenuEvent::Mouse, at(frame), ruler()->mapToGlobal(at(frame)));
      QApplication::sendEvent(ruler(), &asked);
    };
    chooseAt(16, "ease_held");
    QVERIFY(densityKeys().list[1].easing == Easing::Held && densityKeys().list[0].easing == Easing::Soft);
    chooseAt(26, "beyond_mirror");
    QVERIFY(densityKeys().before == Beyond::Mirror && densityKeys().after == Beyond::Mirror);
    chooseAt(16, "take_bead");
    QCOMPARE(frames(), (Frames{1, 26, 36}));
    goTo(36);
    ruler()->setFocus();
    QTest::keyClick(ruler(), Qt::Key_Delete);
    QCOMPARE(frames(), (Frames{1, 26}));
    waitForResults();
  }

  /// Each frame is shown before the next one begins; without over and over it stops at the last.
  void playingShowsEachFrame() {
    trigger("site_time");
    choose("set_key");
    type(field("time_last"), QStringLiteral("5"));
    goTo(5);
    type(field("density"), QStringLiteral("3"));
    waitForResults();
    auto* play = w().findChild<QToolButton*>(QStringLiteral("time_play"));
    auto* loop = w().findChild<QToolButton*>(QStringLiteral("time_loop"));
    QTest::mouseClick(loop, Qt::LeftButton);
    QVERIFY(!loop->isChecked());
    std::set<std::size_t> counts;
    std::vector<double> frames;
    connect(&w().service(), &EvaluationService::finished, this, [&] {
      counts.insert(sown());
      frames.push_back(*w().service().latest()->plan->frame);
    });
    QTest::mouseClick(play, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!line()->isPlaying(), 60'000);
    disconnect(&w().service(), nullptr, this, nullptr);
    QVERIFY(!play->isChecked());
    QCOMPARE(frame(), 5.0);
    QVERIFY(frames.size() >= 5 && std::is_sorted(frames.begin(), frames.end()));
    QVERIFY(counts.size() >= 4);
    QTest::mouseClick(loop, Qt::LeftButton);
    QTest::mouseClick(play, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(frame() == 4, 60'000);
    QTRY_VERIFY_WITH_TIMEOUT(frame() == 2, 60'000);  // round again
    QTest::mouseClick(play, Qt::LeftButton);
    QVERIFY(!line()->isPlaying());
    waitForResults();
  }
};

QTEST_MAIN(TestTimeLine)
#include "tst_time_line.moc"
