// Looking around: walking, keys of Site, kept cameras with their pictures, pictures saved, what is hidden, what a node
// made.
#include "app/bench/touch_list.h"
#include "tests/app/window_test.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QImage>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QToolButton>

using namespace arvesk;

class TestLooking : public test::WindowTest {
  Q_OBJECT

  SiteView& site() { return w().site(); }
  const Camera& camera() { return site().camera(); }
  void open(const char* plan_) {
    QVERIFY(w().openFile(test::sourcePath(plan_)));
    waitForResults();
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() >= 1, 120'000);
    site().setFocus();
  }
  std::optional<float> groundAt(const Vec3& place) {
    float best = std::numeric_limits<float>::infinity();
    for (const SurfacePtr& s : w().service().latest()->scene->input().grounds)
      best = std::min(best, (*SurfaceIndex::of(*s))->first(Vec3(place.x, 500, place.z), -kUp, 1000).distance);
    return std::isfinite(best) ? std::optional(500 - best) : std::nullopt;
  }
  void hold(Qt::Key key, Qt::KeyboardModifiers with = {}) {
    QTest::keyPress(&site(), key, with);
    QTest::qWait(400);
    QTest::keyRelease(&site(), key, with);
  }

 private Q_SLOTS:
  void initTestCase() {
    QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    startTests();
  }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  /// What Site shows first is cleaned, what it ends with is the exact picture.
  void atRestThePictureIsExact() {
    open("demo/examples/one-slope.arvesk");
    RenderRequest request = site().shownNow();
    request.width = 120;
    request.height = 80;
    request.samples = 5;
    const auto exactOf = [&](int samples) {
      return developed(request, *tracedFilm(*request.view->scene, request.camera, 120, 80, samples, {}, request.cut));
    };
    RenderService service;
    std::map<int, QImage> shown;
    connect(&service, &RenderService::frameReady, this,
            [&] { shown[service.latest().samples] = service.latest().image; });
    service.request(request);
    QTRY_VERIFY_WITH_TIMEOUT(shown.contains(5), 120'000);
    QCOMPARE(shown[5], exactOf(5));
    QVERIFY(shown.contains(1) && shown[1] != exactOf(1));
  }

  /// Patches, clumps and footprints are seen in Site while their node is selected, and only then.
  void areasAreSeen() {
    open("demo/tern-cove/tern-cove.arvesk");
    QCOMPARE(document().settings.cameras[2].name, std::string("Dunes"));  // as the README says
    trigger("site_camera_4");                                             // Shelf, where the patches lie
    const auto drawnFor = [&](const char* uid) {
      plan().select(uid ? QStringList{QLatin1String(uid)} : QStringList());
      waitForResults();
      QTest::qWait(150);
      site().grab();
      return site().areasInSight();
    };
    QCOMPARE(drawnFor(nullptr), std::size_t{0});
    QVERIFY(drawnFor("limpet-out") > 5);
    QVERIFY(drawnFor("boulders") > 5);     // footprints of what a Sow makes
    QVERIFY(drawnFor("rock-clear") > 20);  // of what a Clearance leaves
    QCOMPARE(drawnFor("rock-size"), std::size_t{0});
  }

  /// The eye stays 1.7 m over the ground, wherever one goes.
  void oneWalksOverTheGround() {
    open("demo/examples/one-slope.arvesk");
    QTest::keyClick(&site(), Qt::Key_W);
    QVERIFY(site().walk().isOn());
    const auto isOnGround = [&] {
      const auto y = groundAt(camera().eye);
      return y && std::abs(camera().eye.y - *y - SiteWalk::kEyeHeight) < 0.6F;
    };
    QVERIFY(isOnGround());
    const Camera begin = camera();
    hold(Qt::Key_Up);
    const Vec3 ahead = glm::normalize(Vec3(begin.target.x - begin.eye.x, 0, begin.target.z - begin.eye.z));
    const Vec3 went = camera().eye - begin.eye;
    QVERIFY2(glm::dot(went, ahead) > 0.02F, "ahead is where one looked");
    QVERIFY(std::abs(glm::dot(went, glm::cross(ahead, kUp))) < 0.02F);
    QVERIFY(isOnGround());
    const Vec3 stood = camera().eye;
    hold(Qt::Key_Left);
    QVERIFY(glm::length(camera().eye - stood) < 0.3F);
    const Vec3 turned = glm::normalize(camera().target - camera().eye);
    QVERIFY2(glm::dot(glm::cross(ahead, turned), kUp) > 0.05F, "left is to the left");
    hold(Qt::Key_Right, Qt::ShiftModifier);
    QVERIFY2(glm::dot(camera().eye - stood, glm::cross(turned, kUp)) > 0.02F, "with Shift to the right, sideways");
    QVERIFY(isOnGround());
    const double before = site().walk().speed();
    QWheelEvent faster(QPointF(200, 200), site().mapToGlobal(QPointF(200, 200)), {}, QPoint(0, 240), Qt::NoButton,
                       Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&site(), &faster);
    QVERIFY(site().walk().speed() > before * 1.3);
    QTest::keyClick(&site(), Qt::Key_Escape);
    QVERIFY(!site().walk().isOn());
    const Vec3 left = camera().eye;
    QTest::keyClick(&site(), Qt::Key_Up);  // orbits again
    QVERIFY(glm::distance(camera().eye, camera().target) > 1 && camera().eye != left);
  }

  /// Site without a mouse.
  void keysOrbitPanAndPick() {
    open("demo/examples/one-slope.arvesk");
    const Camera begin = camera();
    const float away = glm::distance(begin.eye, begin.target);
    QTest::keyClick(&site(), Qt::Key_Right);
    QVERIFY(camera().eye != begin.eye);
    QVERIFY(std::abs(glm::distance(camera().eye, camera().target) - away) < 1e-3F * away);
    QCOMPARE(camera().target, begin.target);
    QTest::keyClick(&site(), Qt::Key_Left);
    QVERIFY(glm::distance(camera().eye, begin.eye) < 1e-3F * away);
    QTest::keyClick(&site(), Qt::Key_Right, Qt::ShiftModifier);
    QVERIFY(camera().target != begin.target);
    QTest::keyClick(&site(), Qt::Key_PageUp);
    QVERIFY(glm::distance(camera().eye, camera().target) < 0.9F * away);
    QTest::keyClick(&site(), Qt::Key_Space);
    QVERIFY(!w().findChild<QLabel*>(QStringLiteral("message"))->text().isEmpty());
  }

  void whatIsHiddenIsTold() {
    open("demo/examples/one-slope.arvesk");
    auto* pill = site().findChild<QToolButton*>(QStringLiteral("hidden"));
    QVERIFY(!pill->isVisible());
    const PictureLayer layer = w().service().latest()->shown.front();
    std::vector<std::uint64_t> some(&layer.points->id[0], &layer.points->id[0] + 7);
    site().select({{layer.source, IdSet(some)}});
    site().hideSelected(false);
    QVERIFY(pill->isVisible());
    QCOMPARE(pill->text(), QStringLiteral("7 hidden · show"));
    QVERIFY(site().rect().contains(pill->geometry()));
    QTest::mouseClick(pill, Qt::LeftButton);
    QVERIFY(!pill->isVisible() && site().hidden().isEmpty());
  }

  /// Kept, named, set, put in order, removed; each with a picture of its own; all undone.
  void camerasAreKept() {
    open("demo/examples/one-slope.arvesk");
    const std::size_t had = document().settings.cameras.size();
    trigger("site_keep_camera");
    const std::string name = document().settings.cameras.back().name;
    auto* message = w().findChild<QLabel*>(QStringLiteral("message"));
    QVERIFY2(message->text().contains(QString::fromStdString(name)), qPrintable(message->text()));
    for (int i = 0; i < 8; ++i) QTest::keyClick(&site(), Qt::Key_Right);
    trigger("site_keep_lit_camera");
    QCOMPARE(document().settings.cameras.size(), had + 2);
    QVERIFY(document().settings.cameras.back().name != name);
    QVERIFY(document().settings.cameras.back().sun.has_value());
    trigger("site_cameras");
    auto* window = w().findChild<QDialog*>(QStringLiteral("camera_window"));
    auto* list = window->findChild<QListWidget*>(QStringLiteral("cameras"));
    QCOMPARE(list->count(), static_cast<int>(had + 2));
    const auto picture = [&](int row) { return list->item(row)->icon().pixmap(list->iconSize()).toImage(); };
    const int last = list->count() - 1;
    const auto isDrawn = [&](int row) {
      const QImage image = picture(row);
      for (int x = 0; x < image.width(); x += 7)
        for (int y = 0; y < image.height(); y += 7)
          if (image.pixel(x, y) != image.pixel(0, 0)) return true;
      return false;
    };
    QTRY_VERIFY_WITH_TIMEOUT(isDrawn(last) && isDrawn(last - 1), 60'000);
    QVERIFY2(picture(last) != picture(last - 1), "each shows its own");
    list->setCurrentRow(last);
    QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("camera_up")), Qt::LeftButton);
    QCOMPARE(document().settings.cameras[had + 1].name, name);
    list->setCurrentRow(last);
    QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("camera_go")), Qt::LeftButton);
    QCOMPARE(camera().eye, document().settings.cameras[had + 1].eye);
    list->item(last)->setText(QStringLiteral("From the gate"));  // as the field in the list does
    QCOMPARE(document().settings.cameras[had + 1].name, std::string("From the gate"));
    QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("camera_remove")), Qt::LeftButton);
    QCOMPARE(document().settings.cameras.size(), had + 1);
    while (w().model().undoStack().canUndo()) w().model().undoStack().undo();
    QCOMPARE(document().settings.cameras.size(), had);
    QCOMPARE(list->count(), static_cast<int>(had));
    window->close();
  }

  /// In the size that was asked for, of what Site shows; of all cameras, a file each.
  void picturesAreSaved() {
    open("demo/tern-cove/tern-cove.arvesk");
    const auto save = [&](int cameraRow, const QString& file, const std::function<void(QDialog*)>& choose = {}) {
      trigger("site_save_picture");
      auto* window = w().findChild<QDialog*>(QStringLiteral("picture_window"));
      auto* box = window->findChild<QComboBox*>(QStringLiteral("picture_camera"));
      box->setCurrentIndex(cameraRow < 0 ? box->count() + cameraRow : cameraRow);
      window->findChild<QSpinBox*>(QStringLiteral("picture_width"))->setValue(160);
      window->findChild<QSpinBox*>(QStringLiteral("picture_height"))->setValue(100);
      window->findChild<QSpinBox*>(QStringLiteral("picture_samples"))->setValue(1);
      if (choose) choose(window);
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
    save(0, m_dir.filePath(QStringLiteral("now.png")));
    const QImage now(m_dir.filePath(QStringLiteral("now.png")));
    QCOMPARE(now.size(), QSize(160, 100));
    // Through a lens that is wide open, what is far from its focus is another picture.
    const auto chooseLens = [&](int row, double focus) {
      return [row, focus](QDialog* window) {
        window->findChild<QComboBox*>(QStringLiteral("picture_lens"))->setCurrentIndex(row);
        window->findChild<QDoubleSpinBox*>(QStringLiteral("picture_focus"))->setValue(focus);
      };
    };
    save(0, m_dir.filePath(QStringLiteral("again.png")));
    QCOMPARE(QImage(m_dir.filePath(QStringLiteral("again.png"))), now);
    {  // the exact picture: its grain is not smoothed
      RenderRequest request = site().shownNow();
      request.width = 160;
      request.height = 100;
      request.dotPixels *= 100.0F / static_cast<float>(site().height());
      const Film exact = *tracedFilm(*request.view->scene, request.camera, 160, 100, 1, {}, request.cut);
      QCOMPARE(now.convertToFormat(QImage::Format_RGB32), developed(request, exact));
    }
    save(0, m_dir.filePath(QStringLiteral("blurred.png")), chooseLens(5, 0.4));
    QVERIFY(QImage(m_dir.filePath(QStringLiteral("blurred.png"))) != now);
    save(-1, m_dir.filePath(QStringLiteral("all")));
    const QStringList files = QDir(m_dir.path()).entryList({QStringLiteral("all-*.png")});
    QCOMPARE(files.size(), static_cast<qsizetype>(document().settings.cameras.size()));
    std::set<QByteArray> different;
    for (const QString& f : files) {
      const QImage image(m_dir.filePath(f));
      QCOMPARE(image.size(), QSize(160, 100));
      different.insert(QByteArray(reinterpret_cast<const char*>(image.constBits()), image.sizeInBytes()));
    }
    QCOMPARE(different.size(), static_cast<std::size_t>(files.size()));
  }

  /// A mask on a wall is pictured from where the wall can be seen; one that is the same all over says so.
  void masksArePicturedWhereTheyAreSeen() {
    const QString wall = w().model().addNode(*findNodeKind("shape"), 40, 40);
    w().model().setParam(wall, "form", std::string("plane"));
    w().model().setParam(wall, "extent", std::vector<double>{20, 1, 20});
    w().model().setParam(wall, "turn", std::vector<double>{90, 0, 0});
    const QString sow = w().model().addNode(*findNodeKind("sow-on-surface"), 40, 140);
    w().model().connectNodes(wall, "surface", sow, "surface");
    const QString high = w().model().addInto(*findNodeKind("height"), sow, "where");
    w().model().setParam(high, "band", std::vector<double>{0, 0.1, 100, 101});
    const auto pictureOf = [&](const QString& uid) {
      waitForResults();
      return w().masks().latest()->at(uid.toStdString());
    };
    const PlanPicture onWall = pictureOf(high);
    QVERIFY(!onWall.picture.isNull() && onWall.note.isEmpty());
    // What is high is the picture's upper half, as one sees a wall; the middle column has both.
    const int x = onWall.picture.width() / 2;
    const auto lightAt = [&](double share) {
      return qGray(onWall.picture.pixel(x, static_cast<int>(share * onWall.picture.height())));
    };
    QVERIFY(std::abs(lightAt(0.4) - lightAt(0.6)) > 40);
    w().model().setParam(high, "band", std::vector<double>{500, 501, 600, 601});
    QCOMPARE(pictureOf(high).note, QStringLiteral("0 all over"));
    w().model().setParam(high, "invert", true);
    QCOMPARE(pictureOf(high).note, QStringLiteral("1 all over"));
    // On ground that lies, from above as before; without ground there is nothing to show it on.
    w().model().setParam(high, "invert", false);
    w().model().removeNodes({wall});
    QCOMPARE(pictureOf(high).note, QStringLiteral("no ground yet"));
  }

  /// A node that measures nothing tells what it makes.
  void whatANodeMadeIsTold() {
    open("demo/tern-cove/tern-cove.arvesk");
    auto* made = w().bench().findChild<QWidget*>(QStringLiteral("made"));
    auto* chart = w().bench().findChild<QWidget*>(QStringLiteral("distribution"));
    const auto showing = [&](const char* title) {
      plan().select({quid(title)});
      waitForResults();
      return made->isVisible() ? made->accessibleDescription() : QString();
    };
    const QLocale locale;
    const auto count = [&](const char* title) {
      return locale.toString(static_cast<qulonglong>(report(title).passed.front()));
    };
    QString said = showing("Sit and lean");
    QVERIFY2(said.contains(QStringLiteral("Points: ") + count("Sit and lean")), qPrintable(said));
    QVERIFY2(said.contains(QStringLiteral("Size: 0.55 to 1.45")), qPrintable(said));
    const PlanPicture& picture = w().masks().latest()->at(uidOf("Sit and lean"));
    QVERIFY(!picture.picture.isNull() && !picture.before.isNull() && picture.before.size() == picture.picture.size());
    said = showing("Marram props");
    QVERIFY2(said.contains(QStringLiteral("Props: ")), qPrintable(said));
    said = showing("Cove");
    QVERIFY2(said.contains(QStringLiteral("Triangles: ")), qPrintable(said));
    said = showing("Marram tufts");
    QVERIFY2(said.contains(QStringLiteral("Props: 3")), qPrintable(said));
    QVERIFY(showing("Not on steep sand").isEmpty());  // it measures the slope
    QVERIFY(chart->isVisible());
    // Every node of the demo shows something.
    for (const Node& n : document().nodes) {
      plan().select({QString::fromStdString(n.uid)});
      waitForResults();
      const NodeKind* kind = kindOf(n);
      if (kind->outputs.empty() || kind->outputs.front().type == ValueType::Volume) continue;
      if (!w().service().latest()->evaluation.reports.at(n.uid).said.empty()) continue;  // in words of its own
      if (w().bench().touchList().isVisible()) continue;                                 // what is touched, row by row
      QVERIFY2(made->isVisible() || (chart->isVisible() && w().bench().findChild<DistributionView*>()->hasChart()),
               n.title.c_str());
    }
  }
};

QTEST_MAIN(TestLooking)
#include "tst_looking.moc"
