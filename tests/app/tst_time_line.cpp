// The time line as it is used: given to a plan and taken, scrubbed, typed and played; keys set and taken on the Bench.
#include "app/bench/curve_view.h"
#include "app/bench/number_field.h"
#include "app/bench/param_editors.h"
#include "app/schedule/schedule_view.h"
#include "app/site/region_handles.h"
#include "app/site/site_view.h"
#include "app/site/time_line.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QCheckBox>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
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

  /// What was worked out once is shown again as it is, until something is edited; the ruler says which frames that are.
  void readyFramesAreShownAgain() {
    trigger("site_time");
    type(field("time_last"), QStringLiteral("5"));
    choose("set_key");
    goTo(5);
    type(field("density"), QStringLiteral("3"));
    goTo(1);
    const auto readyPixels = [&] {
      const QImage image = ruler()->grab().toImage();
      const QRgb accent = Theme::current().accent.rgb();
      int most = 0;
      for (int y = 0; y < image.height(); ++y) {
        int here = 0;
        for (int x = 0; x < image.width(); ++x) here += image.pixel(x, y) == accent;
        most = std::max(most, here);
      }
      return static_cast<double>(most) / image.width();
    };
    std::map<double, EvalViewPtr> shown;
    std::size_t again = 0;
    connect(&w().service(), &EvaluationService::finished, this, [&] {
      const EvalViewPtr view = w().service().latest();
      EvalViewPtr& known = shown[momentOf(*view->plan).frame];
      again += known == view;
      known = view;
    });
    auto* play = w().findChild<QToolButton*>(QStringLiteral("time_play"));
    QTest::mouseClick(play, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(shown.size() == 5 && again >= 12, 60'000);  // over and over
    QTest::mouseClick(play, Qt::LeftButton);
    waitForResults();
    QVERIFY2(readyPixels() > 0.8, qPrintable(QString::number(readyPixels())));
    // What stands on the Bench and the cards is of the frame at which it stopped.
    QCOMPARE(report("Pebbles").passed, w().service().latest()->evaluation.reports.at(uidOf("Pebbles")).passed);
    const ParamValue now = valueAt(densityKeys(), frame());
    QVERIFY(std::abs(density() - std::get<double>(now)) < 1e-6);
    // Scrubbing takes them too; an edit makes them all anew.
    again = 0;
    goTo(frame() == 2 ? 3 : 2);
    QCOMPARE(again, std::size_t{1});
    type(field("density"), QStringLiteral("2.5"));
    waitForResults();
    again = 0;
    goTo(4);
    QCOMPARE(again, std::size_t{0});
    QVERIFY(readyPixels() < 0.8);
    // Files that changed, too: the same is asked for once more.
    const EvalViewPtr before = w().service().latest();
    Q_EMIT w().bench().tryAgainWanted();
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest() != before, 60'000);
    disconnect(&w().service(), nullptr, this, nullptr);
  }

  /// The plan's water follows a formula that is typed; a number lets it go.
  void waterFollowsTime() {
    trigger("site_time");
    type(field("time_last"), QStringLiteral("60"));
    w().bench().showNode({});
    QVERIFY(field("water_level"));
    QTest::mouseClick(w().findChild<QCheckBox*>(QStringLiteral("has_water")), Qt::LeftButton);
    type(field("water_level"), QStringLiteral("frame / 4"));
    QVERIFY(w().model().document().settings.follows.at("water_level") == "frame / 4");
    goTo(10);
    QCOMPARE(field("water_level")->value(), 2.5);
    QCOMPARE(w().service().latest()->opened().settings.waterLevel, 2.5);
    type(field("water_level"), QStringLiteral("1.5"));
    QVERIFY(w().model().document().settings.follows.empty());
    QCOMPARE(w().model().document().settings.waterLevel, 1.5);
    waitForResults();
  }

  /// A picture of each frame, which is the one that Site's own frame gives; it goes on where it stopped.
  void picturesOfFramesAreSaved() {
    trigger("site_time");
    type(field("time_last"), QStringLiteral("3"));
    choose("set_key");
    goTo(3);
    type(field("density"), QStringLiteral("3"));
    waitForResults();
    const auto save = [&](const QString& file, bool isEach, bool isGoingOn) {
      trigger("site_save_picture");
      auto* window = w().findChild<QDialog*>(QStringLiteral("picture_window"));
      window->findChild<QSpinBox*>(QStringLiteral("picture_width"))->setValue(90);
      window->findChild<QSpinBox*>(QStringLiteral("picture_height"))->setValue(60);
      window->findChild<QSpinBox*>(QStringLiteral("picture_samples"))->setValue(1);
      auto* when = window->findChild<QComboBox*>(QStringLiteral("picture_when"));
      QVERIFY(when->isVisible() && !window->findChild<QSpinBox*>(QStringLiteral("picture_first"))->isEnabled());
      when->setCurrentIndex(isEach ? 1 : 0);
      QCOMPARE(window->findChild<QSpinBox*>(QStringLiteral("picture_last"))->value(), 3);
      window->findChild<QCheckBox*>(QStringLiteral("picture_go_on"))->setChecked(isGoingOn);
      QTimer::singleShot(0, window, [&] {
        auto* dialog = window->findChild<QFileDialog*>();
        QVERIFY(dialog);
        dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"))->setText(file);
        dialog->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Save)->click();
      });
      QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("picture_save")), Qt::LeftButton);
      auto* message = window->findChild<QLabel*>(QStringLiteral("picture_message"));
      QTRY_VERIFY_WITH_TIMEOUT(!message->text().isEmpty(), 120'000);
      QVERIFY2(message->text().startsWith(QStringLiteral("Saved")), qPrintable(message->text()));
      window->close();
      QTRY_VERIFY(!w().findChild<QDialog*>(QStringLiteral("picture_window")));
    };
    const auto image = [&](const char* file) { return QImage(m_dir.filePath(QLatin1String(file))); };
    save(m_dir.filePath(QStringLiteral("film.png")), true, false);
    QVERIFY(image("film.0001.png").size() == QSize(90, 60) && image("film.0001.png") != image("film.0003.png"));
    QVERIFY(!QFile::exists(m_dir.filePath(QStringLiteral("film.0004.png"))));
    for (const int at : {2, 3}) {
      goTo(at);
      save(m_dir.filePath(QStringLiteral("one%1.png").arg(at)), false, false);
      QCOMPARE(image(at == 2 ? "one2.png" : "one3.png"), image(at == 2 ? "film.0002.png" : "film.0003.png"));
    }
    QFile mine(m_dir.filePath(QStringLiteral("film.0001.png")));
    QVERIFY(mine.open(QIODevice::WriteOnly) && mine.write("mine") == 4);
    mine.close();
    QVERIFY(QFile::remove(m_dir.filePath(QStringLiteral("film.0003.png"))));
    save(m_dir.filePath(QStringLiteral("film.png")), true, true);
    QVERIFY(mine.size() == 4 && image("film.0003.png") == image("one3.png"));
  }

  /// Each frame to a table of its own, and all to one, with the frame as a column; what holds one frame offers no more.
  void framesAreExported() {
    trigger("site_time");
    type(field("time_last"), QStringLiteral("3"));
    choose("set_key");
    goTo(3);
    type(field("density"), QStringLiteral("1"));
    waitForResults();
    trigger("file_export");
    auto* window = w().findChild<QDialog*>(QStringLiteral("export_window"));
    auto* path = window->findChild<QLineEdit*>(QStringLiteral("export_path"));
    auto* when = window->findChild<QComboBox*>(QStringLiteral("export_when"));
    auto* message = window->findChild<QLabel*>(QStringLiteral("export_message"));
    const auto write = [&](const char* file, int way, bool isGoingOn = false) {
      path->setText(m_dir.filePath(QLatin1String(file)));
      when->setCurrentIndex(way);
      window->findChild<QCheckBox*>(QStringLiteral("export_go_on"))->setChecked(isGoingOn);
      message->clear();
      QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
      QTRY_VERIFY_WITH_TIMEOUT(window->findChild<QPushButton*>(QStringLiteral("export_start"))->isEnabled(), 120'000);
    };
    const auto rowsOf = [&](const QString& file) {
      QFile in(m_dir.filePath(file));
      if (!in.open(QIODevice::ReadOnly)) return QList<QByteArray>();
      QList<QByteArray> rows = in.readAll().trimmed().split('\n');
      rows.pop_front();
      return rows;
    };
    write("all.csv", 1);
    QVERIFY2(message->text().startsWith(QStringLiteral("3 frames of ")), qPrintable(message->text()));
    qsizetype sum = 0;
    QList<qsizetype> counts;
    for (int frame = 1; frame <= 3; ++frame) {
      counts << rowsOf(QStringLiteral("all.000%1.csv").arg(frame)).size();
      sum += counts.last();
    }
    QVERIFY(counts[0] != counts[2] && counts[0] > 0 && !QFile::exists(m_dir.filePath(QStringLiteral("all.csv"))));
    write("all.csv", 2);
    const QList<QByteArray> rows = rowsOf(QStringLiteral("all.csv"));
    QCOMPARE(rows.size(), sum);
    for (int frame = 1; frame <= 3; ++frame)
      QCOMPARE(std::count_if(rows.begin(), rows.end(),
                             [&](const QByteArray& row) { return row.endsWith("," + QByteArray::number(frame)); }),
               counts[frame - 1]);
    // Those that are there stay.
    QFile mine(m_dir.filePath(QStringLiteral("all.0002.csv")));
    QVERIFY(mine.open(QIODevice::WriteOnly) && mine.write("mine") == 4);
    mine.close();
    QVERIFY(QFile::remove(m_dir.filePath(QStringLiteral("all.0003.csv"))));
    write("all.csv", 1, true);
    QVERIFY(mine.size() == 4 && rowsOf(QStringLiteral("all.0003.csv")).size() == counts[2]);
    path->setText(m_dir.filePath(QStringLiteral("all.obj")));
    QCOMPARE(when->count(), 2);
    path->setText(m_dir.filePath(QStringLiteral("all.usda")));
    QCOMPARE(when->count(), 3);
    window->close();
  }

  /// What jumps over the frames is listed, and shown where and when it does.
  void framesAreGoneThrough() {
    w().model().undoStack().setClean();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/tide.arvesk")));
    waitForResults();
    type(field("time_last"), QStringLiteral("4"));
    waitForResults();
    trigger("view_schedule");
    auto* schedule = w().findChild<ScheduleView*>(QStringLiteral("schedule"));
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("ask_frames")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(schedule->overFrames(), 120'000);
    QCOMPARE(schedule->overFrames()->frames().size(), std::size_t{4});
    QCOMPARE(schedule->overFrames()->flickerCount(), std::size_t{0});
    const std::vector<FrameFinding> steps = schedule->overFrames()->steps();
    auto* list = w().findChild<QTableWidget*>(QStringLiteral("standing_faults"));
    QVERIFY(!steps.empty() && list->rowCount() == static_cast<int>(steps.size()));
    for (std::size_t i = 1; i < steps.size(); ++i) QVERIFY(steps[i].meters <= steps[i - 1].meters);
    // Another frame alone changes nothing of it.
    goTo(2);
    QVERIFY(schedule->overFrames());
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0, 0)).center());
    QCOMPARE(frame(), steps.front().frame);
    QCOMPARE(w().site().selected(), (SiteSelection{{steps.front().node, {steps.front().id}}}));
    waitForResults();
  }

  /// A dial has keys like a parameter; what follows it moves, and its curve is there with nothing selected.
  void dialsHaveKeys() {
    trigger("site_time");
    w().bench().showNode({});
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("add_dial")), Qt::LeftButton);
    const auto key = [&] { return w().findChild<QToolButton*>(QStringLiteral("dial.0.key")); };
    const auto dial = [&] { return w().model().document().dials.front(); };
    QVERIFY(key() && key()->isVisible() && !key()->isChecked());
    type(field("dial.0.draft"), QStringLiteral("4"));
    QTest::mouseClick(key(), Qt::LeftButton);
    QVERIFY(key()->isChecked() && dial().keys.list.size() == 1);
    goTo(25);
    QVERIFY(!key()->isChecked());
    type(field("dial.0.draft"), QStringLiteral("8"));
    QVERIFY(key()->isChecked() && dial().keys.list.size() == 2 && dial().final == 4);
    goTo(13);
    QCOMPARE(field("dial.0.draft")->value(), 6.0);
    auto* curves = w().findChild<CurveView*>(QStringLiteral("curves"));
    QVERIFY(curves->isVisible());
    const QPoint last = curves->positionOf({0, 1, 0}).toPoint();
    test::dragMouse(curves, last, last + QPoint(0, -12));
    QVERIFY(std::get<double>(dial().keys.list[1].value) > 8);
    w().bench().showNode(quid("Pebbles"));
    type(field("density"), QString::fromStdString(dial().name));
    QVERIFY(std::abs(density() - std::get<double>(valueAt(dial().keys, 13))) < 1e-9);
    w().bench().showNode({});
    goTo(25);
    QTest::mouseClick(key(), Qt::LeftButton);
    QVERIFY(!key()->isChecked() && dial().keys.list.size() == 1);
    waitForResults();
  }

  void curvesAreDragged() {
    auto* curves = w().findChild<CurveView*>(QStringLiteral("curves"));
    trigger("site_time");
    QVERIFY(!curves->isVisible());
    choose("set_key");
    goTo(25);
    type(field("density"), QStringLiteral("2"));
    waitForResults();
    QVERIFY(curves->isVisible());
    auto* mode = w().findChild<QToolButton*>(QStringLiteral("over_time"));
    QVERIFY(mode->isVisible() && mode->isChecked());
    const auto at = [&](std::size_t key) { return curves->positionOf({0, key, 0}).toPoint(); };
    const auto keyAt = [&](std::size_t k) { return densityKeys().list[k]; };
    // A line goes from key to key.
    const QImage drawn = curves->grab().toImage();
    for (int x = at(0).x() + 8; x < at(1).x() - 8; x += 5) {
      bool isInk = false;
      for (int y = std::min(at(0).y(), at(1).y()) - 3; y <= std::max(at(0).y(), at(1).y()) + 3; ++y)
        isInk = isInk || QColor(drawn.pixel(x, y)).lightness() < 110;
      QVERIFY2(isInk, qPrintable(QStringLiteral("no line at %1 px").arg(x)));
    }
    // Up and to the right: value and frame, one undo step.
    const double was = std::get<double>(keyAt(1).value);
    const int steps = w().model().undoStack().index();
    test::dragMouse(curves, at(1), at(1) + QPoint(30, -20));
    QVERIFY(keyAt(1).frame > 25 && std::get<double>(keyAt(1).value) > was);
    QCOMPARE(w().model().undoStack().index(), steps + 1);
    w().model().undo();
    QVERIFY(keyAt(1).frame == 25 && keyAt(1).value == ParamValue(2.0));
    // Straight along one way, though the hand shakes.
    test::dragMouse(curves, at(1), at(1) + QPoint(2, -25));
    QVERIFY(keyAt(1).frame == 25 && std::get<double>(keyAt(1).value) > was);
    // A key cannot pass its neighbor, and a value not its bounds.
    test::dragMouse(curves, at(1), QPoint(0, curves->height() + 4000));
    QCOMPARE(keyAt(1).frame, 2.0);
    QCOMPARE(std::get<double>(keyAt(1).value),
             document().find("sow") ? findNodeKind("sow-on-surface")->findParam("density")->hardMin : -1);
    w().model().undo();
    // Freely: as it went so far, then by its handles.
    QTest::mouseClick(curves, Qt::LeftButton, {}, at(0));
    QVERIFY(curves->chosen() && !curves->handle(0));
    QTimer::singleShot(0, this, [&] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      QVERIFY(menu);
      QTest::mouseClick(menu, Qt::LeftButton, {},
                        menu->actionGeometry(menu->findChild<QAction*>(QStringLiteral("curve_free"))).center());
      menu->close();
    });
    QContextMenuEvent open(QContextMenuEvent::Mouse, at(0), curves->mapToGlobal(at(0)));
    QApplication::sendEvent(curves, &open);
    QCOMPARE(static_cast<int>(keyAt(0).easing), static_cast<int>(Easing::Free));
    QVERIFY(keyAt(0).leaves == 0 && keyAt(0).reaches == 0);  // it was soft
    for (const int which : {0, 1}) {
      QVERIFY(curves->handle(which));
      const QPoint handle = curves->handle(which)->toPoint();
      const Key before = keyAt(0);
      test::dragMouse(curves, handle, handle + QPoint(0, which == 0 ? -15 : 15));
      QVERIFY(which == 0 ? keyAt(0).leaves != before.leaves && keyAt(0).reaches == before.reaches
                         : keyAt(0).reaches != before.reaches && keyAt(0).leaves == before.leaves);
      QVERIFY(std::abs(curves->handle(which)->y() - (handle.y() + (which == 0 ? -15 : 15))) < 2);
    }
    // A key on the curve, which keeps what it is there; keys walk and nudge; Delete takes it out.
    const double middle = std::get<double>(valueAt(densityKeys(), 13));
    const QPoint between(curves->positionOf({0, 0, 0}).toPoint().x() + (at(1).x() - at(0).x()) / 2, 0);
    for (int y = 0; y < curves->height() && densityKeys().list.size() == 2; y += 10)
      QTest::mouseDClick(curves, Qt::LeftButton, {}, QPoint(between.x(), y));
    QCOMPARE(densityKeys().list.size(), std::size_t{3});
    QCOMPARE(keyAt(1).frame, 13.0);
    QVERIFY(std::abs(std::get<double>(keyAt(1).value) - middle) < 1e-9);
    QCOMPARE(curves->chosen()->key, std::size_t{1});
    QTest::keyClick(curves, Qt::Key_Up);
    QVERIFY(std::get<double>(keyAt(1).value) > middle);
    QTest::keyClick(curves, Qt::Key_Delete);
    QCOMPARE(densityKeys().list.size(), std::size_t{2});
    // What it measures is behind the switch.
    QTest::mouseClick(mode, Qt::LeftButton);
    QVERIFY(!curves->isVisible());
    waitForResults();
  }
};

QTEST_MAIN(TestTimeLine)
#include "tst_time_line.moc"
