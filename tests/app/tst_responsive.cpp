// The interface thread never computes: while millions of points are worked out, its event loop keeps turning.
#include "app/window/main_window.h"
#include "app/window/theme.h"
#include "tests/support/support.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>

using namespace arvesk;

class TestResponsive : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void millionsOfPointsDoNotStallTheWindow() {
    QTemporaryDir settings;
    QStandardPaths::setTestModeEnabled(true);
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    QApplication::setOrganizationName(QStringLiteral("ArveskTest"));
    Theme::apply(*qApp, QStringLiteral("paper"));
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    QVERIFY(QTest::qWaitForWindowExposed(&window));
    QVERIFY(window.openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    QTRY_VERIFY_WITH_TIMEOUT(window.service().latest() && !window.service().isBusy(), 60'000);

    // A timer that asks to be called every 5 ms; how late it comes is how long the loop was held up.
    QElapsedTimer clock;
    std::vector<qint64> gaps;
    QTimer pulse;
    pulse.setTimerType(Qt::PreciseTimer);
    connect(&pulse, &QTimer::timeout, this, [&] { gaps.push_back(clock.restart()); });
    window.setQuality(Quality::Final);
    window.model().setParam(QStringLiteral("sow"), "density", 2600.0);
    clock.start();
    pulse.start(5);
    QTRY_VERIFY_WITH_TIMEOUT(window.service().latest()->plan == window.model().snapshot() && !window.service().isBusy(), 120'000);
    pulse.stop();
    const NodeReport& sown = window.service().latest()->evaluation.reports.at("sow");
    QVERIFY2(sown.passed.front() > 2'000'000, "the evaluation was a big one");
    std::size_t stalls = 0;
    for (const qint64 gap : gaps) stalls += gap > 50;
    qInfo("%zu turns of the loop, the longest gap %lld ms", gaps.size(), static_cast<long long>(*std::max_element(gaps.begin(), gaps.end())));
    QVERIFY(gaps.size() > 50);
    QCOMPARE(stalls, std::size_t{0});
  }
};

QTEST_MAIN(TestResponsive)
#include "tst_responsive.moc"
