// On a dense screen: two pixels for each of the layout. Words fit, pictures are drawn at full density, and a click
// meets what is under it.
#include "tests/app/looks.h"
#include "tests/app/window_test.h"

using namespace arvesk;

class TestScaled : public test::WindowTest {
  Q_OBJECT

  SiteView& site() { return w().site(); }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    openWindow();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/deck.arvesk")));
    waitForResults();
    QCOMPARE(w().devicePixelRatioF(), 2.0);
  }
  void cleanup() { m_window.reset(); }

  void wordsFit() {
    for (const auto which : {MainWindow::Bottom::Bench, MainWindow::Bottom::Ledger, MainWindow::Bottom::Schedule}) {
      w().showBottom(which);
      QTRY_VERIFY_WITH_TIMEOUT(test::cutOffIn(&w()).isEmpty() && test::overlapIn(&w()).isEmpty(), 2'000);
    }
  }

  void picturesAreDense() {
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() > 0, 120'000);
    const QImage shot = site().grab().toImage();
    QCOMPARE(shot.width(), 2 * site().width());
    // Neighboring pixels of one layout pixel differ along the edges of things: it is no small picture drawn large.
    qint64 inside = 0;
    for (int y = 120; y < shot.height() - 120; y += 2)
      for (int x = 40; x < shot.width() - 40; x += 2)
        inside += qAbs(qGray(shot.pixel(x, y)) - qGray(shot.pixel(x + 1, y))) > 8;
    QVERIFY2(inside > 200, qPrintable(QString::number(inside)));
  }

  void aClickMeetsWhatIsUnderIt() {
    QTRY_VERIFY_WITH_TIMEOUT(site().samplesShown() > 0, 120'000);
    int tried = 0;
    for (const PictureLayer& layer : w().service().latest()->shown) {
      const Points& p = *layer.points;
      for (std::size_t i = 0; i < p.count && tried < 12; i += 1 + p.count / 7) {
        if (!p.kit || p.prop[i] == kNoProp) continue;
        const Prop& prop = *p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop;
        const Vec3 middle = p.position[i] + p.orientation[i] * (p.size[i] * prop.surface->bounds().center());
        const auto at = site().project(middle);
        if (!at || !site().rect().adjusted(4, 60, -4, -4).contains(at->toPoint())) continue;
        // What the scene itself says a ray through that very pixel meets.
        const QPoint pixel = at->toPoint();
        const auto share = [](int part, int whole) { return static_cast<float>(part) / static_cast<float>(whole); };
        const Vec3 toward = site().camera().direction(share(pixel.x(), site().width()),
                                                      share(pixel.y(), site().height()),
                                                      share(site().width(), site().height()));
        const auto& scene = *w().service().latest()->scene;
        const PictureRayHit hit = scene.first(site().camera().eye, toward);
        if (!hit.isHit() || scene.instance(hit.instance).layer == kGround) continue;
        const PictureInstance& met = scene.instance(hit.instance);
        const PictureLayer& of = scene.input().layers[met.layer];
        QTest::mouseClick(&site(), Qt::LeftButton, {}, pixel);
        ++tried;
        QVERIFY(site().selected() == (SiteSelection{{of.source, IdSet{of.points->id[met.point]}}}));
      }
    }
    QVERIFY2(tried >= 5, qPrintable(QString::number(tried)));
    // And on the Plan.
    plan().select({});
    const QString uid = QString::fromStdString(document().nodes.back().uid);
    plan().reveal(uid);
    plan().select({});
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().centerOf(uid));
    QCOMPARE(plan().selection(), QStringList{uid});
  }
};

int main(int argc, char** argv) {
  qputenv("QT_SCALE_FACTOR", "2");
  QApplication app(argc, argv);
  TestScaled test;
  return QTest::qExec(&test, argc, argv);
}
#include "tst_scaled.moc"
