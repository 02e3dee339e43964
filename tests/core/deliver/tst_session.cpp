// A plan in the hands of another program: what it gets is what the plan says, what is wrong comes back in words, and
// the host program is as it was.
#include "core/deliver/session.h"
#include "core/formats/csv_reader.h"
#include "tests/support/kinds.h"

#include <thread>

#include <xmmintrin.h>

using namespace arvesk;

namespace {

constexpr unsigned kModeBits = 0xffc0;  // without the flags of what happened

std::string example(const char* name) {
  return test::sourcePath("demo/examples/%1.arvesk").arg(QLatin1String(name)).toStdString();
}

Session opened(const char* name) {
  auto session = Session::open(example(name));
  if (!session) qFatal("%s", toLine(session.error()).c_str());
  return std::move(*session);
}

}  // namespace

class TestSession : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::string file(const char* name) { return m_dir.filePath(QLatin1String(name)).toStdString(); }

 private Q_SLOTS:
  /// The arrays hold what the table of the same points holds, by a reader that knows only the table.
  void arraysAreWhatIsExported() {
    Session s = opened("growth");
    QVERIFY(s.evaluate(Quality::Final));
    std::map<std::string, std::string> outputs;  // by uid: other nodes have the same title
    for (const Node& n : s.plan().nodes)
      if (n.kind == "output") outputs[n.uid] = n.title;
    QVERIFY(outputs.size() >= 2);
    QVERIFY(!s.points("Rocks"));
    for (const auto& [uid, title] : outputs) {
      const auto arrays = s.points(uid);
      QVERIFY2(arrays, title.c_str());
      ExportOptions how;
      how.attributes = {"*"};
      QVERIFY(s.exportTo(file("one.csv"), how, {title}));
      const auto table = readCsv(file("one.csv"), {});
      QVERIFY(table);
      QCOMPARE(table->rowCount, arrays->count);
      QCOMPARE(arrays->position.size(), 3 * arrays->count);
      QCOMPARE(arrays->orientation.size(), 4 * arrays->count);
      const auto column = [&](const std::string& name) {
        return static_cast<std::size_t>(std::find(table->names.begin(), table->names.end(), name) -
                                        table->names.begin());
      };
      const auto number = [&](const std::string& name, std::size_t row) {
        const auto& c = table->columns.at(column(name));
        if (const auto* whole = std::get_if<Array<std::uint64_t>>(&c)) return static_cast<double>((*whole)[row]);
        return std::get<Array<double>>(c)[row];
      };
      for (std::size_t i = 0; i < arrays->count; i += 7) {
        QCOMPARE(std::get<Array<std::uint64_t>>(table->columns.at(column("id")))[i], arrays->id[i]);
        constexpr std::array axes{"x", "y", "z"};
        for (std::size_t a = 0; a < 3; ++a)
          QVERIFY(test::within(number(axes[a], i), static_cast<double>(arrays->position[3 * i + a]), 1e-4, 1e-5));
        QCOMPARE(std::get<TextCells>(table->columns.at(column("prop")))[i],
                 arrays->props[static_cast<std::size_t>(arrays->prop[i])]);
        for (const auto& [name, values] : arrays->numbers) {
          QCOMPARE(values.size(), arrays->count);
          QVERIFY(test::within(number(name, i), static_cast<double>(values[i]), 1e-4, 1e-4));
        }
      }
    }
  }

  /// Settings act, by title and uid; what cannot be set is refused and changes nothing.
  void settingsActOrAreRefused() {
    Session s = opened("one-slope");
    QVERIFY(s.evaluate(Quality::Final));
    const std::size_t before = s.points("sow")->count;
    QVERIFY(s.set("sow.density=0.5"));
    QVERIFY(s.evaluate(Quality::Final));
    QVERIFY(s.points("sow")->count < before);
    const Plan kept = s.plan();
    for (const char* wrong :
         {"sow.density=many", "sow.densty=1", "nobody.density=1", "density", "sow.density=-3", ""}) {
      const auto refused = s.set(wrong);
      QVERIFY2(!refused && !refused.error().message.empty(), wrong);
    }
    QVERIFY(s.plan() == kept);
    s.setSeed(77);
    const auto places = s.points("sow")->position;
    QVERIFY(s.evaluate(Quality::Final));
    QVERIFY(s.points("sow")->position != places);
  }

  void whatIsWrongComesBackInWords() {
    const auto none = Session::open(file("not-there.arvesk"));
    QVERIFY(!none && QString::fromStdString(toLine(none.error())).contains(QStringLiteral("not-there.arvesk")));
    QFile odd(m_dir.filePath(QStringLiteral("odd.arvesk")));
    QVERIFY(odd.open(QIODevice::WriteOnly));
    odd.write("{ not a plan");
    odd.close();
    QVERIFY(!Session::open(file("odd.arvesk")));
    Session s = opened("one-slope");
    QVERIFY(!s.points("sow"));  // nothing was evaluated yet
    QVERIFY(!s.exportTo(file("early.csv"), {}));
    QVERIFY(s.evaluate(Quality::Draft));
    const auto misspelled = s.points("so");
    QVERIFY(!misspelled);
    QVERIFY(!s.points("ground"));  // gives no points
    QVERIFY(!s.exportTo("/no/such/folder/out.csv", {}));
    QVERIFY(!s.exportTo(file("out.docx"), {}));
    QVERIFY(!s.exportTo(file("out.csv"), {}, {"No such output"}));
    QVERIFY(!QFile::exists(m_dir.filePath(QStringLiteral("out.csv"))));
    Limits few;
    few.points = 10;
    QVERIFY(s.evaluate(Quality::Final, few));
    const auto problems = s.problems();
    QVERIFY(std::any_of(problems.begin(), problems.end(),
                        [](const Problem& p) { return p.code == ProblemCode::TooMany && !p.where.empty(); }));
    std::stop_source stop;
    stop.request_stop();
    const auto given = s.evaluate(Quality::Final, {}, {stop.get_token(), {}});
    QVERIFY(!given && given.error().code == ProblemCode::Cancelled);
  }

  /// The numbers of the host go on as before: denormals are flushed within, and nowhere else.
  void theHostIsAsItWas() {
    const unsigned mode = _mm_getcsr() & kModeBits;
    volatile float tiny = 1e-40F;
    QVERIFY(tiny * 0.5F > 0);
    Session s = opened("one-slope");
    QVERIFY(s.evaluate(Quality::Final));
    QVERIFY(s.exportTo(file("host.csv"), {}));
    QCOMPARE(_mm_getcsr() & kModeBits, mode);
    QVERIFY(tiny * 0.5F > 0);
  }

  /// Sessions beside each other, with one thread and with several, give the same bits.
  void sessionsStandAlone() {
    const auto pointsOf = [](int threads, std::vector<float>& out) {
      auto s = Session::open(example("patches"), {{}, threads});
      if (!s || !s->evaluate(Quality::Final)) return;
      for (const Node& n : s->plan().nodes)
        if (n.kind == "output") out = s->points(n.uid)->position;
    };
    std::vector<float> alone;
    pointsOf(1, alone);
    QVERIFY(!alone.empty());
    std::vector<float> a;
    std::vector<float> b;
    {
      std::jthread first([&] { pointsOf(2, a); });
      std::jthread second([&] { pointsOf(1, b); });
    }
    QVERIFY(a == alone);
    QVERIFY(b == alone);
  }

  /// Helpers and cache lie where the host says.
  void helpersAndCacheLieWhereTheHostSays() {
    const std::string cache = file("cache");
    auto wrong = Session::open(example("from-your-mesh"), {{file("nowhere"), cache, {}}, 0});
    QVERIFY(wrong && wrong->evaluate(Quality::Draft));
    const auto problems = wrong->problems();
    QVERIFY(std::any_of(problems.begin(), problems.end(),
                        [&](const Problem& p) { return p.message.find(file("nowhere")) != std::string::npos; }));
    const QString helpers = QFileInfo(test::binPath("arvesk-import-mesh")).absolutePath();
    auto right = Session::open(example("from-your-mesh"), {{helpers.toStdString(), cache, {}}, 0});
    QVERIFY(right && right->evaluate(Quality::Draft));
    QVERIFY(right->problems().size() < problems.size());
    QVERIFY(!QDir(QString::fromStdString(cache)).isEmpty());
  }
};

QTEST_GUILESS_MAIN(TestSession)
#include "tst_session.moc"
