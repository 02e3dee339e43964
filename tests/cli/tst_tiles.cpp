// arvesk-run tiles: all tiles together are the whole, row by row; what is done stays, what was lost is made again, and
// a tile that fails fails alone.
#include "tests/support/support.h"

#include <QDir>
#include <QElapsedTimer>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QRegularExpression>
#include <QThread>

#include <csignal>
#include <set>

using namespace arvesk;

namespace {

struct Ran {
  int status = -1;
  QString out;
  QString err;
};

Ran ended(QProcess& p) {
  p.waitForFinished(900'000);
  return {p.exitStatus() == QProcess::NormalExit ? p.exitCode() : -1, QString::fromUtf8(p.readAllStandardOutput()),
          QString::fromUtf8(p.readAllStandardError())};
}
Ran run(const QStringList& arguments) {
  QProcess p;
  p.start(test::binPath("arvesk-run"), arguments);
  return ended(p);
}

/// The lines of a CSV after its head; one that comes twice is two.
std::multiset<QByteArray> rowsOf(const QString& path) {
  QFile file(path);
  std::multiset<QByteArray> out;
  if (!file.open(QIODevice::ReadOnly)) return out;
  file.readLine();
  while (!file.atEnd()) out.insert(file.readLine());
  return out;
}

QJsonObject manifestOf(const QString& folder) {
  QFile file(folder + QStringLiteral("/tiles.json"));
  return file.open(QIODevice::ReadOnly) ? QJsonDocument::fromJson(file.readAll()).object() : QJsonObject();
}

std::multiset<QByteArray> rowsOfTiles(const QString& folder) {
  std::multiset<QByteArray> out;
  for (const QJsonValueRef tile : manifestOf(folder)[QStringLiteral("tiles")].toArray()) {
    const QString file = tile.toObject()[QStringLiteral("file")].toString();
    if (!file.isEmpty()) out.merge(rowsOf(folder + QLatin1Char('/') + file));
  }
  return out;
}

}  // namespace

class TestTiles : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void initTestCase() { QVERIFY(m_dir.isValid()); }

  void togetherTheyAreTheWhole_data() {
    QTest::addColumn<QString>("plan");
    QTest::addColumn<double>("size");
    QTest::newRow("small tiles") << "one-slope" << 7.0;
    QTest::newRow("larger than the plan") << "one-slope" << 300.0;
    QTest::newRow("clumps and growth") << "gorse" << 12.5;
  }
  void togetherTheyAreTheWhole() {
    QFETCH(QString, plan);
    QFETCH(double, size);
    const QString file = test::sourcePath(qPrintable(QStringLiteral("demo/examples/%1.arvesk").arg(plan)));
    const QString whole = m_dir.filePath(QStringLiteral("whole.csv"));
    const QString folder = m_dir.filePath(plan + QString::number(size));
    QCOMPARE(run({"export", file, "--to", whole, "--quiet"}).status, 0);
    const Ran made = run({"tiles", file, "--size", QString::number(size), "--to", folder, "--format", "csv"});
    QVERIFY2(made.status == 0, qPrintable(made.err));
    const auto rows = rowsOf(whole);
    QVERIFY(rows.size() > 500);
    QVERIFY(rowsOfTiles(folder) == rows);
    QCOMPARE(manifestOf(folder)[QStringLiteral("placements")].toInteger(), static_cast<qint64>(rows.size()));
  }

  /// Killed, damaged and stale tiles are made again, and no others.
  void whatIsDoneStays() {
    const QString folder = m_dir.filePath(QStringLiteral("again"));
    const QStringList words{"tiles", slope(), "--size", "3", "--to", folder, "--format", "csv", "--jobs", "2"};
    QProcess p;
    p.start(test::binPath("arvesk-run"), words);
    QVERIFY(p.waitForStarted());
    // One of its processes dies once a tile is there.
    const QDir tiles(folder + QStringLiteral("/tiles"));
    QElapsedTimer time;
    time.start();
    while (tiles.entryList({QStringLiteral("*.json")}).isEmpty() && p.state() == QProcess::Running) QThread::msleep(1);
    const QByteArray children = childrenOf(p.processId());
    QVERIFY(!children.isEmpty());
    ::kill(children.split(' ').first().toInt(), SIGKILL);
    const Ran lost = ended(p);
    QCOMPARE(lost.status, 1);
    QVERIFY2(lost.err.contains(QStringLiteral("signal 9")) && lost.err.contains(QStringLiteral("failed (")),
             qPrintable(lost.err));
    QVERIFY(rowsOfTiles(folder).size() > 0);  // the others are done

    QVERIFY2(run(words).status == 0, "the same command again");
    const QString whole = m_dir.filePath(QStringLiteral("slope.csv"));
    QCOMPARE(run({"export", slope(), "--to", whole, "--quiet"}).status, 0);
    QVERIFY(rowsOfTiles(folder) == rowsOf(whole));

    const QStringList one = words.mid(0, 8);
    const auto stayed = [&](const Ran& ran) {
      const auto found = QRegularExpression(QStringLiteral("(\\d+) tiles were done and stayed")).match(ran.out);
      return found.hasMatch() ? found.captured(1).toInt() : 0;
    };
    const auto count = static_cast<int>(manifestOf(folder)[QStringLiteral("tiles")].toArray().size());
    QCOMPARE(stayed(run(one)), count);
    const QStringList files = tiles.entryList({QStringLiteral("*.csv")});
    QVERIFY(files.size() > 4);
    QVERIFY(QFile::remove(tiles.filePath(files[0])));
    QVERIFY(QFile::resize(tiles.filePath(files[1]), 40));
    QFile record(tiles.filePath(QString(files[2]).replace(QStringLiteral(".csv"), QStringLiteral(".json"))));
    QVERIFY(record.open(QIODevice::WriteOnly));
    record.write("{\"tile\":");
    record.close();
    QCOMPARE(stayed(run(one)), count - 3);
    QVERIFY(rowsOfTiles(folder) == rowsOf(whole));
    QCOMPARE(stayed(run(one + QStringList{"--seed", "99"})), 0);
    QVERIFY(rowsOfTiles(folder) != rowsOf(whole));
  }

  /// A tile with more points than is allowed fails by name; the rest is there, and the exit status tells.
  void oneThatFailsFailsAlone() {
    const QString folder = m_dir.filePath(QStringLiteral("limits"));
    const QStringList words{"tiles", slope(), "--size", "8", "--to", folder, "--format", "csv"};
    const Ran few = run(words + QStringList{"--limit-points", "1000"});
    QCOMPARE(few.status, 1);
    QVERIFY2(few.err.contains(QStringLiteral("tiles failed (")), qPrintable(few.err));
    QVERIFY2(few.err.contains(QStringLiteral("Lower the density")), qPrintable(few.err));  // and why
    const auto done = rowsOfTiles(folder);
    QVERIFY(done.size() > 20);
    const Ran all = run(words);
    QCOMPARE(all.status, 0);
    QVERIFY2(all.out.contains(QStringLiteral("tiles were done and stayed")), qPrintable(all.out));
    QVERIFY(rowsOfTiles(folder).size() > done.size());
  }

  void whatIsWrongIsSaidBefore() {
    const QString folder = m_dir.filePath(QStringLiteral("wrong"));
    QCOMPARE(run({"tiles", slope(), "--to", folder, "--format", "nothing"}).status, 2);
    QCOMPARE(run({"tiles", slope(), "--to", folder, "--size", "0"}).status, 2);
    QCOMPARE(run({"tiles", slope(), "--to", folder, "--share", "3/2"}).status, 1);
    const Ran many = run({"tiles", slope(), "--to", folder, "--size", "0.1", "--set", "ground.radius=9000"});
    QCOMPARE(many.status, 1);
    QVERIFY2(many.err.contains(QStringLiteral("Make tiles larger")), qPrintable(many.err));
    const Ran nobody = run({"tiles", slope(), "--to", folder, "--output", "nobody", "--quiet"});
    QCOMPARE(nobody.status, 1);
    QVERIFY2(nobody.err.contains(QStringLiteral("there is no Output node titled")), qPrintable(nobody.err));
  }

  /// Every tile that holds something is named in world.usda with a file that is there.
  void theWorldNamesThem() {
    const QString folder = m_dir.filePath(QStringLiteral("world"));
    QCOMPARE(run({"tiles", slope(), "--size", "16", "--to", folder, "--quiet"}).status, 0);
    QFile world(folder + QStringLiteral("/world.usda"));
    QVERIFY(world.open(QIODevice::ReadOnly));
    const QString text = QString::fromUtf8(world.readAll());
    int done = 0;
    for (const QJsonValueRef ref : manifestOf(folder)[QStringLiteral("tiles")].toArray()) {
      const QJsonObject tile = ref.toObject();
      if (tile[QStringLiteral("state")].toString() != QStringLiteral("done")) continue;
      ++done;
      const QString file = tile[QStringLiteral("file")].toString();
      QVERIFY(QFile::exists(folder + QLatin1Char('/') + file));
      QVERIFY2(text.contains(QStringLiteral("payload = @./%1@").arg(file)), qPrintable(file));
    }
    QVERIFY(done > 1);
    QCOMPARE(text.count(QStringLiteral("extentsHint")), done);
  }

 private:
  QTemporaryDir m_dir;

  static QString slope() { return test::sourcePath("demo/examples/one-slope.arvesk"); }
  static QByteArray childrenOf(qint64 process) {
    QFile file(QStringLiteral("/proc/%1/task/%1/children").arg(process));
    return file.open(QIODevice::ReadOnly) ? file.readAll().trimmed() : QByteArray();
  }
};

QTEST_GUILESS_MAIN(TestTiles)
#include "tst_tiles.moc"
