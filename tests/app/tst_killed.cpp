// The program is killed at random moments while it saves, keeps unsaved work and exports: files are whole, the old or
// the new ones, and what was kept is offered at the next start. This program starts itself as the one that is killed.
#include "app/window/export_window.h"
#include "core/base/safe_file.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QPushButton>

#include <cstdio>

using namespace arvesk;

namespace {

const int kKills = qEnvironmentVariableIsSet("ARVESK_KILLS") ? qEnvironmentVariableIntValue("ARVESK_KILLS") : 25;

/// Whoever is killed between writing a file and noting that it did is asked about it the next time.
void alwaysReplace(QTimer& timer) {
  QObject::connect(&timer, &QTimer::timeout, [] {
    auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
    if (!box) return;
    for (QAbstractButton* b : box->buttons())
      if (b->text().remove(QLatin1Char('&')) == QStringLiteral("Replace it")) QTest::mouseClick(b, Qt::LeftButton);
  });
  timer.start(10);
}

/// What is killed: edits, keeps, saves and exports, over and over.
int work(const QString& plan, const QString& exported) {
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  if (!window.openFile(plan)) return 1;
  auto* recovery = window.findChild<Recovery*>();
  if (!recovery) return 1;
  QTimer replacing;
  alwaysReplace(replacing);
  std::puts("begun");
  std::fflush(stdout);
  for (std::uint64_t n = 0;; ++n) {
    window.model().edit(QStringLiteral("Seed"), [&](Plan& p) { p.settings.seed = 1000 + n; });
    recovery->saveNow();
    QTest::qWait(5);
    if (!window.saveTo(plan)) return 1;
    window.model().edit(QStringLiteral("Seed"), [&](Plan& p) { p.settings.seed = 5000 + n; });
    recovery->saveNow();
    (void)QTest::qWaitFor([&] { return !window.service().isBusy(); }, 60'000);
    window.openExport();
    auto* exporting = window.findChildren<ExportWindow*>().last();
    exporting->findChild<QLineEdit*>(QStringLiteral("export_path"))->setText(exported);
    QTest::mouseClick(exporting->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
    (void)QTest::qWaitFor([&] { return !exporting->isBusy(); }, 60'000);
    exporting->close();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  }
}

}  // namespace

class TestKilled : public test::WindowTest {
  Q_OBJECT

  /// The glTF and its buffer belong together.
  void checkExport(const QString& path) {
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) return;  // none was put in place yet
    const QJsonObject document = QJsonDocument::fromJson(file.readAll()).object();
    const QJsonObject buffer = document[QStringLiteral("buffers")].toArray()[0].toObject();
    const QString uri = buffer[QStringLiteral("uri")].toString();
    QFile bin(QFileInfo(path).dir().filePath(uri));
    QVERIFY2(bin.open(QIODevice::ReadOnly), qPrintable(uri));
    QCOMPARE(bin.size(), static_cast<qint64>(buffer[QStringLiteral("byteLength")].toDouble()));
    const QString hash =
        QString::number(hashOfFile(bin.fileName().toStdString()), 16).rightJustified(16, QLatin1Char('0'));
    QVERIFY2(uri.contains(hash), qPrintable(uri));
    ++m_exports;
  }
  int m_exports = 0;

 private Q_SLOTS:
  void initTestCase() { startTests(); }

  void atRandomMoments() {
    QTemporaryDir dir;
    QVERIFY(QDir(dir.path()).mkpath(QStringLiteral("examples")));
    QVERIFY(QFile::link(test::sourcePath("demo/tern-cove"), dir.filePath(QStringLiteral("tern-cove"))));
    const QString plan = dir.filePath(QStringLiteral("examples/one-slope.arvesk"));
    QVERIFY(QFile::copy(test::sourcePath("demo/examples/one-slope.arvesk"), plan));
    const QString exported = dir.filePath(QStringLiteral("slope.gltf"));
    std::size_t versions = 0;
    std::set<std::uint64_t> seeds;
    for (int n = 0; n < kKills; ++n) {
      QProcess child;
      child.setProcessChannelMode(QProcess::ForwardedErrorChannel);
      child.start(QCoreApplication::applicationFilePath(), {QStringLiteral("--work"), plan, exported});
      QTRY_VERIFY_WITH_TIMEOUT(child.canReadLine() || child.state() == QProcess::NotRunning, 120'000);
      QVERIFY2(child.readLine().startsWith("begun"), "it works");
      QVERIFY(!child.waitForFinished(static_cast<int>(mix64(static_cast<std::uint64_t>(n)) % 700)));
      child.kill();
      QVERIFY(child.waitForFinished(60'000));

      const auto saved = loadPlan(plan.toStdString());
      QVERIFY2(saved.has_value(), saved ? "" : toLine(saved.error()).c_str());
      seeds.insert(saved->settings.seed);
      checkExport(exported);
      for (const KeptWork& work : Recovery::leftBehind()) {
        QCOMPARE(work.plan, plan);
        for (const KeptVersion& version : work.versions) {
          QVERIFY2(loadPlan(version.file.toStdString()).has_value(), qPrintable(version.file));
          ++versions;
        }
        Recovery::remove(work);
      }
    }
    qInfo("%d kills: %zu states of the plan, %zu kept versions, %d exports were looked at", kKills, seeds.size(),
          versions, m_exports);
    QVERIFY(kKills < 20 || (seeds.size() > 1 && versions > 5 && m_exports > 5));
    // The next window has nothing of them in its way, and an export takes away what they left.
    QTimer replacing;
    alwaysReplace(replacing);
    openWindow();
    QVERIFY(w().openFile(plan));
    waitForResults();
    w().openExport();
    auto* exporting = w().findChild<ExportWindow*>(QStringLiteral("export_window"));
    exporting->findChild<QLineEdit*>(QStringLiteral("export_path"))->setText(exported);
    QTest::mouseClick(exporting->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!exporting->isBusy(), 60'000);
    const QStringList left = QDir(dir.path()).entryList(QDir::Files | QDir::Hidden);
    QVERIFY2(left.size() == 2, qPrintable(left.join(QLatin1Char(' '))));
    m_window.reset();
  }
};

int main(int argc, char** argv) {
  QApplication app(argc, argv);
  const QStringList arguments = QCoreApplication::arguments();
  if (arguments.size() == 4 && arguments[1] == QStringLiteral("--work")) {
    QApplication::setOrganizationName(QStringLiteral("ArveskTest"));
    QApplication::setApplicationName(QStringLiteral("ArveskTest"));
    return work(arguments[2], arguments[3]);
  }
  TestKilled test;
  return QTest::qExec(&test, argc, argv);
}
#include "tst_killed.moc"
