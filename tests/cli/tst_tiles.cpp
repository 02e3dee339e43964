// arvesk-run tiles: all tiles together are the whole, row by row; what is done stays, what was lost is made again, and
// a tile that fails fails alone.
#include "cli/tile_jobs.h"
#include "tests/support/runs.h"

#include <QDir>
#include <QElapsedTimer>
#include <QRegularExpression>
#include <QThread>

#include <csignal>
#include <functional>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

/// Workers whose processes die at some tiles: at some once, at others always.
class Dying final : public cli::Workers {
 public:
  Dying(TileOrder order, std::string key, std::set<std::string> once, std::set<std::string> always)
      : m_order(std::move(order)), m_key(std::move(key)), m_once(std::move(once)), m_always(std::move(always)) {}

  int rounds = 0;

  Result<std::map<std::size_t, std::string>> work(const std::string& lists, std::size_t count) override {
    ++rounds;
    std::map<std::size_t, std::string> ends;
    for (std::size_t k = 0; k < count; ++k) {
      const auto names = cli::listIn(lists, k);
      for (const std::string& name : names.value()) {
        if (m_always.contains(name) || m_once.erase(name) > 0) {
          ends[k] = "died at " + name;
          break;
        }
        if (!recordFailure(m_order, name, m_key, "made")) return fail(ProblemCode::WriteFailed, "no record");
      }
    }
    return ends;
  }

 private:
  TileOrder m_order;
  std::string m_key;
  std::set<std::string> m_once, m_always;
};

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
    QVERIFY2(lost.status == 0, qPrintable(lost.err));
    QVERIFY2(lost.err.contains(QStringLiteral("signal 9")) && lost.err.contains(QStringLiteral("Sent again")),
             qPrintable(lost.err));
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

  /// Whichever tiles end their process, all others are made, in few rounds; who always does is named with the reason.
  void lostOnesAreSentAgain() {
    TileOrder order;
    order.folder = m_dir.filePath(QStringLiteral("dying")).toStdString();
    QVERIFY(QDir().mkpath(QString::fromStdString(order.folder) + QStringLiteral("/tiles")));
    std::vector<std::string> names;
    std::set<std::string> once, always;
    for (int i = 0; i < 300; ++i) {
      names.push_back(std::to_string(i) + "_0");
      if (i % 7 == 1) once.insert(names.back());
      if (i % 61 == 2) always.insert(names.back());
    }
    for (const std::size_t lists : {1u, 4u, 64u, 1000u}) {
      const std::string key = "key" + std::to_string(lists);
      Dying workers(order, key, once, always);
      const auto sent = cli::sendTiles(workers, order, names, key, order.folder + "/jobs", lists);
      QVERIFY(sent.has_value());
      for (const std::string& name : names) {
        const auto record = tileRecord(order, name, key);
        QVERIFY2(record && record->problems.size() == 1, name.c_str());
        const std::string& why = record->problems.front();
        if (always.contains(name))
          QVERIFY2(why.find("lost twice") != std::string::npos && why.ends_with("died at " + name), why.c_str());
        else
          QCOMPARE(why, std::string("made"));
      }
      QVERIFY2(workers.rounds <= 6, qPrintable(QString::number(workers.rounds)));
    }
  }

  /// Where nobody can work, as the folder is not there for them, that is said soon, and not once for each tile.
  void thatNobodyCanWorkIsSaid() {
    TileOrder order;
    order.folder = m_dir.filePath(QStringLiteral("nobody")).toStdString();
    QVERIFY(QDir().mkpath(QString::fromStdString(order.folder) + QStringLiteral("/tiles")));
    std::vector<std::string> names;
    for (int i = 0; i < 5000; ++i) names.push_back(std::to_string(i) + "_0");
    Dying workers(order, "key", {}, {names.begin(), names.end()});
    const auto sent = cli::sendTiles(workers, order, names, "key", order.folder + "/jobs", 100);
    QVERIFY(!sent && sent.error().message.find("died at") != std::string::npos);
    QCOMPARE(workers.rounds, 2);
  }

  /// After an edit by hand the tiles that it can reach are made again, and no others; after any other edit all are.
  void onlyWhatAnEditReachesIsMadeAgain() {
    QTemporaryDir dir;
    QVERIFY(dir.isValid() && QDir(dir.path()).mkdir(QStringLiteral("examples")));
    QVERIFY(QFile::link(sourcePath("demo/tern-cove"), dir.filePath(QStringLiteral("tern-cove"))));
    const QString file = dir.filePath(QStringLiteral("examples/plan.arvesk"));
    QString folder = dir.filePath(QStringLiteral("by-hand"));
    const auto save = [&](const QJsonObject& plan) {
      QFile to(file);
      return to.open(QIODevice::WriteOnly) && to.write(QJsonDocument(plan).toJson()) > 0;
    };
    QJsonObject plan;
    const auto read = [&](const char* example) {
      QFile from(sourcePath(example));
      QVERIFY(from.open(QIODevice::ReadOnly));
      plan = QJsonDocument::fromJson(from.readAll()).object();
    };
    read("demo/examples/by-hand.arvesk");
    const auto changed = [&](const char* uid, const std::function<void(QJsonObject & node)>& change) {
      QJsonArray nodes = plan[QStringLiteral("nodes")].toArray();
      for (QJsonValueRef ref : nodes) {
        QJsonObject node = ref.toObject();
        if (node[QStringLiteral("uid")].toString() == QLatin1String(uid)) change(node);
        ref = node;
      }
      plan[QStringLiteral("nodes")] = nodes;
    };
    const auto param = [&](const char* uid, const char* id, const std::function<QJsonValue(const QJsonValue&)>& to) {
      changed(uid, [&](QJsonObject& node) {
        QJsonObject params = node[QStringLiteral("params")].toObject();
        params[QLatin1String(id)] = to(params[QLatin1String(id)]);
        node[QStringLiteral("params")] = params;
      });
    };
    const auto tiles = [&]() -> std::pair<int, int> {  // that the edit can change, and that stay
      if (!save(plan)) return {-1, -1};
      const Ran made = run({"tiles", file, "--size", "12", "--to", folder, "--format", "csv", "--jobs", "2"});
      const QString whole = dir.filePath(QStringLiteral("whole.csv"));
      if (made.status != 0 || run({"export", file, "--to", whole, "--quiet"}).status != 0) {
        qWarning("%s", qPrintable(made.err));
        return {-1, -1};
      }
      if (rowsOf(whole).size() < 100 || rowsOfTiles(folder) != rowsOf(whole)) return {-2, -2};
      const auto number = [&](const char* words) {
        const auto found = QRegularExpression(QLatin1String(words)).match(made.out);
        return found.hasMatch() ? found.captured(1).toInt() : -3;
      };
      return {number("(\\d+) of \\d+ tiles change"), number("(\\d+) tiles were done and stayed")};
    };
    QCOMPARE(tiles(), std::pair(-3, -3));
    const int count = static_cast<int>(manifestOf(folder)[QStringLiteral("tiles")].toArray().size());
    QVERIFY(count > 60);
    // A lobster pot goes two meters along.
    param("gear", "points", [](const QJsonValue& value) {
      QJsonObject hand = value.toObject();
      QJsonArray points = hand[QStringLiteral("points")].toArray();
      points[0] = QStringLiteral("23259b94f13cf544 1 1 38.399998 2.2 1.4 92");
      hand[QStringLiteral("points")] = points;
      return hand;
    });
    const auto [moved, stayed] = tiles();
    QVERIFY2(moved >= 1 && moved <= 4 && stayed == count - moved, qPrintable(QStringLiteral("%1").arg(moved)));
    param("sizes", "size", [](const QJsonValue&) { return QJsonArray{0.5, 0.6}; });
    QCOMPARE(tiles(), std::pair(-3, -3));

    // Pebbles by a mask that was painted with two dabs; then there is one more.
    read("demo/examples/one-slope.arvesk");
    folder = dir.filePath(QStringLiteral("painted"));
    QJsonArray nodes = plan[QStringLiteral("nodes")].toArray();
    nodes.append(QJsonObject{{"uid", "paint"},
                             {"kind", "painted"},
                             {"version", 2},
                             {"title", "Paths"},
                             {"at", QJsonArray{0, 0}},
                             {"params", QJsonObject{{"strokes", QJsonArray{-9, 5, -6, 9, 1, 0.5, 0, 0, 0,  //
                                                                           8, 5, 6, 9, 1, 0.5, 0, 0, 0}}}}});
    plan[QStringLiteral("nodes")] = nodes;
    changed("sow", [](QJsonObject& node) {
      QJsonObject inputs = node[QStringLiteral("inputs")].toObject();
      inputs[QStringLiteral("where")] = QJsonArray{
          QJsonObject{{"node", "paint"}, {"output", "mask"}, {"slot", "painted-slot"}}};
      node[QStringLiteral("inputs")] = inputs;
    });
    QCOMPARE(tiles(), std::pair(-3, -3));
    param("paint", "strokes", [](const QJsonValue& value) {
      QJsonArray dabs = value.toArray();
      for (const double v : {8.0, 5.0, 5.0, 2.0, -1.0, 0.5, 0.0, 0.0, 0.0}) dabs.append(v);
      return dabs;
    });
    const auto [painted, left] = tiles();
    const int all = static_cast<int>(manifestOf(folder)[QStringLiteral("tiles")].toArray().size());
    QVERIFY2(painted >= 1 && painted <= 6 && left == all - painted,
             qPrintable(QStringLiteral("%1 of %2").arg(painted).arg(all)));
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
    for (const char* share : {"3", "nothing.txt:0", "nothing.txt:-1"})
      QCOMPARE(run({"tiles", slope(), "--to", folder, "--share", share}).status, 1);
    QProcess p;  // where there is no Slurm
    p.setProcessEnvironment(QProcessEnvironment());
    p.start(binPath("arvesk-run"), {"tiles", slope(), "--to", folder, "--on", "slurm"});
    const Ran alone = ended(p);
    QCOMPARE(alone.status, 1);
    QVERIFY2(alone.err.contains(QStringLiteral("Slurm does not answer")), qPrintable(alone.err));
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
