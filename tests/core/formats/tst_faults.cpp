// Faults of the machine, put in on purpose: memory that runs out at any moment, calls that signals interrupt, clocks
// that jump. What fails says so, what goes on is right, and afterwards all is as before.
#include "core/base/border.h"
#include "core/base/safe_file.h"
#include "core/formats/exporter.h"
#include "core/formats/plan_file.h"
#include "tests/support/support.h"

#include <sys/time.h>

#include <atomic>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <new>

using namespace arvesk;

namespace {

/// Allocations until one fails; negative: none does. Those of threads of other libraries count too.
std::atomic<long> g_left{-1};
std::atomic<long> g_count{0};

bool isRefused() {
  g_count.fetch_add(1, std::memory_order_relaxed);
  if (g_left.load(std::memory_order_relaxed) < 0) return false;
  return g_left.fetch_sub(1, std::memory_order_relaxed) == 0;
}

void* taken(std::size_t bytes) {
  if (!isRefused())
    if (void* p = std::malloc(bytes > 0 ? bytes : 1)) return p;
  throw std::bad_alloc();
}

}  // namespace

void* operator new(std::size_t bytes) { return taken(bytes); }
void* operator new[](std::size_t bytes) { return taken(bytes); }
void operator delete(void* p) noexcept { std::free(p); }
void operator delete[](void* p) noexcept { std::free(p); }
void operator delete(void* p, std::size_t) noexcept { std::free(p); }
void operator delete[](void* p, std::size_t) noexcept { std::free(p); }

namespace {

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

bool isAllDone(const Evaluation& e) {
  return std::all_of(e.reports.begin(), e.reports.end(), [](const auto& r) {
    return r.second.state == NodeState::Done || r.second.state == NodeState::Skipped;
  });
}

}  // namespace

class TestFaults : public QObject {
  Q_OBJECT

 private Q_SLOTS:
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
    const long before = g_count;
    QVERIFY(evaluate().has_value());
    const long all = g_count - before;
    QVERIFY2(all > 2000, qPrintable(QString::number(all)));
    int failures = 0;
    int unharmed = 0;
    constexpr int kTrials = 300;
    for (int k = 0; k < kTrials; ++k) {
      files->memory().clear();
      // Every place at the beginning, where structures are set up, then spread over the whole.
      g_left = k < 150 ? k : static_cast<long>(mix64(static_cast<std::uint64_t>(k)) % static_cast<std::uint64_t>(all));
      const auto e = evaluate();
      g_left = -1;
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
        for (const Problem& p : e->propProblems) isTold = isTold || p.message.find("memory") != std::string::npos;
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
