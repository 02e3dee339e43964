// Faults of the machine, put in on purpose: memory that runs out at any moment, calls that signals interrupt, clocks
// that jump. What fails says so, what goes on is right, and afterwards all is as before.
#include "core/base/border.h"
#include "core/base/reserve.h"
#include "core/base/safe_file.h"
#include "core/base/table.h"
#include "core/deliver/delivery.h"
#include "core/formats/plan_file.h"
#include "core/picture/render.h"
#include "tests/support/kinds.h"
#include "tests/support/short_memory.h"
#include "tests/support/support.h"

#include <sys/time.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <fstream>
#include <numeric>
#include <thread>

using namespace arvesk;

namespace {

using test::g_allocations;

/// Interrupts whatever the process does, a thousand times a second; calls are not begun anew by the system.
class Interruptions {
 public:
  Interruptions() {
    struct sigaction quiet {};
    quiet.sa_handler = [](int) { s_count = s_count + 1; };
    sigaction(SIGALRM, &quiet, &m_before);
    const itimerval often{{0, 1000}, {0, 1000}};
    setitimer(ITIMER_REAL, &often, nullptr);
  }
  ~Interruptions() {
    const itimerval never{};
    setitimer(ITIMER_REAL, &never, nullptr);
    sigaction(SIGALRM, &m_before, nullptr);
  }
  static int count() { return s_count; }

 private:
  static inline volatile sig_atomic_t s_count = 0;
  struct sigaction m_before {};
};

/// Ground, sowing, a filter, props that are read from files, an output.
Plan smallPlan() {
  auto plan = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
  return plan ? *plan : Plan();
}

std::shared_ptr<DiskFileService> filesOfExamples(const FilePlaces& places = {}) {
  return std::make_shared<DiskFileService>(test::sourcePath("demo/examples").toStdString(), places);
}

std::size_t placedIn(const Evaluation& e) {
  std::size_t sum = 0;
  for (const auto& [uid, report] : e.reports) sum += report.passed.empty() ? 0 : report.passed.front();
  return sum;
}

std::size_t placementsIn(const std::vector<ExportLayer>& layers) {
  std::size_t sum = 0;
  for (const ExportLayer& layer : layers) sum += layer.points ? layer.points->count : 0;
  return sum;
}

/// Kills a process that this one has started, if there is any.
bool killOneChild() {
  for (const auto& process : std::filesystem::directory_iterator("/proc")) {
    std::ifstream stat(process.path() / "stat");
    std::string number, name, state;
    pid_t parent = 0;
    if (stat >> number >> name >> state >> parent && parent == ::getpid() && name.starts_with("(arvesk-import"))
      return ::kill(std::stoi(number), SIGKILL) == 0;
  }
  return false;
}

bool isAllDone(const Evaluation& e) {
  return std::all_of(e.reports.begin(), e.reports.end(), [](const auto& r) {
    return r.second.state == NodeState::Done || r.second.state == NodeState::Skipped;
  });
}

}  // namespace

class TestFaults : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// A copy that there is no memory for leaves nothing to be destroyed that was never made: std::variant of GCC 12
  /// does, where each of its types is one of its own library's.
  void copiesWithoutMemory() {
    const auto failures = [](const auto& value) {
      for (int n = 0;; ++n) {
        std::optional<std::decay_t<decltype(value)>> copy;
        test::endMemoryAt(n);
        try {
          copy.emplace(value);
        } catch (const std::bad_alloc&) {}
        test::endMemoryAt(-1);
        if (copy) return n;
      }
    };
    const std::string word(100, 'a');
    QCOMPARE(failures(ParamValue(word)), 1);
    QCOMPARE(failures(ParamValue(std::vector<double>{1, 2})), 1);
    QCOMPARE(failures(ParamValue(PropChoices{{word, 1, true}, {word, 2, true}})), 3);
    QCOMPARE(failures(ParamMap{{word, 2.0}, {"b", word}}), 4);
    QCOMPARE(failures(TableColumn(TextCells{word, word})), 3);
    QCOMPARE(failures(Attributes{{word, Column<float>(1)}}), 2);
  }

  /// An evaluation in which the n-th allocation fails, for n all over it: it gives the right result, or says that
  /// memory is short; never a crash, never another result, and the next one is right.
  void noMemoryAtAnyMoment() {
    const Plan plan = smallPlan();
    const auto files = filesOfExamples();
    EvalRequest request;
    const auto evaluate = [&]() -> Result<Evaluation> {
      return withinBorder([&] { return Evaluator(files).evaluate(plan, request); });
    };
    const auto good = evaluate();  // files are read, props made
    QVERIFY(good && isAllDone(*good));
    const std::size_t placed = placedIn(*good);
    files->memory().clear();
    const long before = g_allocations;
    QVERIFY(evaluate().has_value());
    const long all = g_allocations - before;
    QVERIFY2(all > 2000, qPrintable(QString::number(all)));
    int failures = 0;
    int unharmed = 0;
    constexpr int kTrials = 300;
    for (int k = 0; k < kTrials; ++k) {
      files->memory().clear();
      // Every place at the beginning, where structures are set up, then spread over the whole.
      test::endMemoryAt(
          k < 150 ? k : static_cast<long>(mix64(static_cast<std::uint64_t>(k)) % static_cast<std::uint64_t>(all)));
      const auto e = evaluate();
      test::endMemoryAt(-1);
      if (e && isAllDone(*e) && e->propProblems.empty()) {
        QCOMPARE(placedIn(*e), placed);
        ++unharmed;  // the allocation was one that can be done without, or never came
        continue;
      }
      ++failures;
      bool isTold = !e && e.error().message.find("memory") != std::string::npos;
      if (e) {
        for (const auto& [uid, report] : e->reports)
          for (const Problem& p : report.problems) isTold = isTold || p.message.find("memory") != std::string::npos;
        for (const auto& [uid, problems] : e->propProblems)
          for (const Problem& p : problems) isTold = isTold || p.message.find("memory") != std::string::npos;
      }
      QVERIFY2(isTold, qPrintable(QString::number(k)));
    }
    qInfo("%ld allocations; %d trials: %d failed in words, %d were unharmed", all, kTrials, failures, unharmed);
    QVERIFY(failures > kTrials / 4);
    files->memory().clear();
    const auto again = evaluate();
    QVERIFY(again && isAllDone(*again));
    QCOMPARE(placedIn(*again), placed);
  }

  void noMemoryForAnExport_data() {
    QTest::addColumn<QString>("ending");
    for (const ExportFormat& format : exportFormats())
      if (std::string_view(format.ending) != ".vdb") QTest::newRow(format.ending) << QString::fromLatin1(format.ending);
  }
  /// An export over an older one in which the n-th allocation fails: all of its files are there and right, or the older
  /// ones are as they were and nothing else is left, and it is said why.
  void noMemoryForAnExport() {
    QFETCH(QString, ending);
    const Plan plan = smallPlan();
    EvalRequest request;
    const Evaluation e = Evaluator(filesOfExamples()).evaluate(plan, request);
    const auto layers = exportLayersOf(plan, e, {});
    QVERIFY(layers.has_value());
    QTemporaryDir dir;
    const std::string path = dir.filePath(QStringLiteral("slope") + ending).toStdString();
    const auto contents = [&] {
      std::map<std::string, std::uint64_t> hashes;
      for (const auto& f : std::filesystem::recursive_directory_iterator(dir.path().toStdString()))
        if (f.is_regular_file()) hashes[f.path().string()] = hashOfFile(f.path().string());
      return hashes;
    };
    std::vector<ExportLayer> half = *layers;
    for (ExportLayer& layer : half) {
      Array<std::uint32_t> first(layer.points->count / 2);
      std::iota(first.begin(), first.end(), 0U);
      layer.points = std::make_shared<const Points>(gathered(*layer.points, first));
    }
    const auto write = [&](const std::vector<ExportLayer>& some) {
      return withinBorder([&] { return exportLayers(some, path, {}, {}); });
    };
    // glTF is put together with a library that cannot do without a few bytes when it lets go of what it holds.
    test::g_isLasting = ending.startsWith(QLatin1String(".gl"));
    if (test::g_isLasting) holdReserve();
    const long before = g_allocations;
    QVERIFY(write(*layers).has_value());
    const long all = g_allocations - before;
    const auto whole = contents();
    QVERIFY(write(half).has_value());
    const auto older = contents();
    QVERIFY(older != whole);
    int failures = 0;
    const int kTrials = ending == QLatin1String(".obj") ? 8 : 60;  // of which one takes long
    for (int k = 0; k < kTrials; ++k) {
      test::endMemoryAt(static_cast<long>(mix64(static_cast<std::uint64_t>(k)) % static_cast<std::uint64_t>(all)));
      const auto report = write(*layers);
      test::endMemoryAt(-1);
      const auto now = contents();
      if (report) {
        QCOMPARE(report->placements, placementsIn(*layers));
        QVERIFY2(now == whole, qPrintable(QString::number(k)));
        QVERIFY(write(half).has_value());
        continue;
      }
      ++failures;
      QVERIFY2(report.error().message.find("memory") != std::string::npos, toLine(report.error()).c_str());
      if (now == whole) QVERIFY(write(half).has_value());  // only the report failed
      QVERIFY2(now == older || now == whole, qPrintable(QString::number(k)));
    }
    qInfo("%ld allocations; %d of %d trials failed in words", all, failures, kTrials);
    QVERIFY(test::g_isLasting || failures > kTrials / 4);  // what is held back may be enough
    test::g_isLasting = false;
    QVERIFY(write(*layers).has_value());
    QVERIFY(contents() == whole);
  }

  /// The same for a picture and its file.
  void noMemoryForAPicture() {
    const Plan plan = smallPlan();
    EvalRequest request;
    const Evaluation e = Evaluator(filesOfExamples()).evaluate(plan, request);
    const auto picture = [&] {
      return withinBorder([&]() -> Result<Array<std::uint32_t>> {
        std::vector<PointsPtr> bare;
        auto scene = PictureScene::build(pictureInputOf(plan, e, {}, bare), {});
        if (!scene) return Failure(scene.error());
        const auto camera = cameraOf(plan, {}, (*scene)->bounds());
        if (!camera) return Failure(camera.error());
        return renderPicture(**scene, *camera, 60, 40, 1, {});
      });
    };
    const auto good = picture();
    // Embree does not live through a failing allocation of a few bytes; what is held back keeps those from it.
    test::g_isLasting = true;
    holdReserve();
    const long before = g_allocations;
    QVERIFY(good && picture() == good);
    const long all = g_allocations - before;
    int failures = 0;
    for (int k = 0; k < 100; ++k) {
      test::endMemoryAt(static_cast<long>(mix64(static_cast<std::uint64_t>(k)) % static_cast<std::uint64_t>(all)));
      const auto made = picture();
      test::endMemoryAt(-1);
      if (made) {
        QVERIFY(made == good);
        continue;
      }
      ++failures;
      QVERIFY2(made.error().message.find("memory") != std::string::npos, toLine(made.error()).c_str());
    }
    test::g_isLasting = false;
    qInfo("%ld allocations; %d of 100 trials failed in words", all, failures);
    QVERIFY(picture() == good);
  }

  /// The limit of memory: what would be beyond it is refused before it is taken, in words with numbers; what is only
  /// kept for reuse goes first.
  void theLimitOfMemoryIsKept() {
    const std::size_t usual = memoryLimit();
    test::Bench bench;
    const SurfacePtr ground = test::hills(60, 100, 1);
    const auto sow = [&](double density) {
      return withinBorder([&] {
        return bench.run("sow-on-surface", test::inputs({{"surface", ground}}), {{"density", density}});
      });
    };
    setMemoryLimit(memoryInUse() + (std::size_t{64} << 20));
    const auto many = sow(1900);  // 19 million points are within the limit of points
    QVERIFY(!many);
    QCOMPARE(many.error().code, ProblemCode::TooMany);
    QVERIFY2(many.error().message.find("the program may use are taken") != std::string::npos,
             many.error().message.c_str());
    const auto few = sow(10);
    QVERIFY(few.has_value());
    // A cache that fills all of it gives way.
    setMemoryLimit(memoryInUse() + (std::size_t{64} << 20));
    struct Block final : Cached {
      Array<char> bytes = Array<char>(std::size_t{60} << 20);
      void countBytes(ByteCounter& counter) const override { counter.add(this, bytes.size()); }
    };
    MemoryCache cache;
    cache.store({1, 2}, std::make_shared<Block>());
    QVERIFY(hasMemoryFor(std::size_t{60} << 20));
    QCOMPARE(cache.size(), std::size_t{0});
    // Arrays themselves are refused too, whoever asks; nothing leaks.
    const std::size_t inUse = memoryInUse();
    QVERIFY_EXCEPTION_THROWN(Array<char>(std::size_t{1} << 30), OverMemoryLimit);
    QCOMPARE(memoryInUse(), inUse);
    setMemoryLimit(usual);
    QVERIFY(sow(1).has_value());
  }

  void littleMemory_data() {
    QTest::addColumn<QString>("example");
    for (const char* name : {"one-slope", "growth", "patches", "fog", "deck"}) QTest::newRow(name) << name;
  }
  /// Whole plans under limits from nearly nothing to enough: what is worked out is right, what is not says why, and
  /// what comes after it waits.
  void littleMemory() {
    QFETCH(QString, example);
    const auto plan = loadPlan(
        test::sourcePath(qPrintable(QStringLiteral("demo/examples/%1.arvesk").arg(example))).toStdString());
    QVERIFY(plan.has_value());
    const auto files = filesOfExamples();
    EvalRequest request;
    const std::size_t usual = memoryLimit();
    const std::size_t before = memoryInUse();
    const Evaluation good = Evaluator(files).evaluate(*plan, request);
    QVERIFY(isAllDone(good));
    const std::size_t takes = memoryInUse() - before;
    int refused = 0;
    int whole = 0;
    for (int k = 2; k <= 24; k += 2) {
      files->memory().clear();
      setMemoryLimit(memoryInUse() + takes * static_cast<std::size_t>(k) / 8);
      const Evaluation e = Evaluator(files).evaluate(*plan, request);
      setMemoryLimit(usual);
      for (const auto& [uid, report] : e.reports) {
        if (report.state == NodeState::Done) {
          QVERIFY(test::fingerprint(e.values.at(uid)) == test::fingerprint(good.values.at(uid)));
          continue;
        }
        QVERIFY(report.state == NodeState::Failed || report.state == NodeState::Waiting);
        QVERIFY(!report.problems.empty());
        if (report.state == NodeState::Failed) QCOMPARE(report.problems.front().code, ProblemCode::TooMany);
      }
      for (const auto& [uid, problems] : e.propProblems) QCOMPARE(problems.front().code, ProblemCode::TooMany);
      (isAllDone(e) && e.propProblems.empty() ? whole : refused) += 1;
    }
    qInfo("takes %.1f MB; %d of 12 limits were too little", static_cast<double>(takes) / (1 << 20), refused);
    QVERIFY(refused > 0 && whole > 0);
  }

  /// Helpers that are killed at any moment: what they read fails in words or is read, and is there when it is asked for
  /// again.
  void killedHelpers() {
    QTemporaryDir dir;
    const Plan plan = smallPlan();
    EvalRequest request;
    const std::size_t placed = placedIn(Evaluator(filesOfExamples()).evaluate(plan, request));
    int kills = 0;
    int failures = 0;
    for (int k = 0; k < 12; ++k) {
      FilePlaces places;
      places.cache = dir.filePath(QStringLiteral("cache-%1").arg(k)).toStdString();
      const auto files = filesOfExamples(places);
      std::atomic<bool> isOver{false};
      std::jthread killer([&] {
        for (std::uint64_t n = 0; !isOver; ++n) {
          std::this_thread::sleep_for(std::chrono::microseconds(hashOf(static_cast<std::uint64_t>(k), n) % 40'000));
          if (isOver) break;
          kills += killOneChild() ? 1 : 0;
        }
      });
      const Evaluation e = Evaluator(files).evaluate(plan, request);
      isOver = true;
      killer.join();
      for (const auto& [uid, problems] : e.propProblems) {
        ++failures;
        QVERIFY2(problems.front().message.find("reader") != std::string::npos, toLine(problems.front()).c_str());
      }
      if (e.propProblems.empty()) QVERIFY(isAllDone(e));
      const Evaluation again = Evaluator(files).evaluate(plan, request);
      QVERIFY(isAllDone(again) && again.propProblems.empty());
      QCOMPARE(placedIn(again), placed);
    }
    qInfo("%d helpers were killed, %d props told of it", kills, failures);
    QVERIFY(failures > 0);
  }

  /// Signals interrupt reads, writes and waiting for helpers; everything is as without them.
  void interruptedCalls() {
    QTemporaryDir dir;
    const Plan plan = smallPlan();
    const std::string quiet = formatPlan(plan);
    EvalRequest request;
    const Evaluation good = Evaluator(filesOfExamples()).evaluate(plan, request);
    const int before = Interruptions::count();
    const Interruptions interruptions;
    for (int k = 0; k < 3; ++k) {
      FilePlaces places;
      places.cache = dir.filePath(QStringLiteral("cache-%1").arg(k)).toStdString();  // all is imported anew
      const auto files = filesOfExamples(places);
      const Evaluation e = Evaluator(files).evaluate(plan, request);
      QVERIFY(isAllDone(e) && e.propProblems.empty());
      QCOMPARE(placedIn(e), placedIn(good));
      const std::string path = dir.filePath(QStringLiteral("plan.arvesk")).toStdString();
      QVERIFY(savePlan(plan, path).has_value());
      const auto read = loadPlan(path);
      QVERIFY(read && formatPlan(*read) == quiet);
    }
    QVERIFY2(Interruptions::count() > before + 50, qPrintable(QString::number(Interruptions::count())));
  }

  /// The clock goes back ten years, or on: what the cache keeps is found, and is not all thrown away.
  void clocksThatJump() {
    QTemporaryDir dir;
    FilePlaces places;
    places.cache = dir.filePath(QStringLiteral("cache")).toStdString();
    const Plan plan = smallPlan();
    EvalRequest request;
    const std::size_t placed = placedIn(Evaluator(filesOfExamples(places)).evaluate(plan, request));
    const auto entries = [&] {
      std::size_t n = 0;
      for (const auto& e : std::filesystem::recursive_directory_iterator(places.cache))
        n += e.is_regular_file() ? 1 : 0;
      return n;
    };
    const std::size_t kept = entries();
    QVERIFY(kept > 5);
    for (const int years : {10, -10}) {
      for (const auto& e : std::filesystem::recursive_directory_iterator(places.cache))
        if (e.is_regular_file())
          std::filesystem::last_write_time(
              e.path(), std::filesystem::file_time_type::clock::now() + std::chrono::hours(24 * 365 * years));
      const Evaluation e = Evaluator(filesOfExamples(places)).evaluate(plan, request);
      QVERIFY(isAllDone(e) && e.propProblems.empty());
      QCOMPARE(placedIn(e), placed);
      QVERIFY2(entries() >= kept, qPrintable(QString::number(entries())));
    }
  }
};

QTEST_GUILESS_MAIN(TestFaults)
#include "tst_faults.moc"
