#include "core/base/task.h"

#include "core/base/border.h"
#include "core/base/number_text.h"
#include "core/base/reserve.h"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#include <tbb/task_scheduler_observer.h>

#include <pmmintrin.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>
#include <xmmintrin.h>

#include <atomic>

namespace arvesk {
namespace {

void setModeOfThisThread() {
  _MM_SET_FLUSH_ZERO_MODE(_MM_FLUSH_ZERO_ON);
  _MM_SET_DENORMALS_ZERO_MODE(_MM_DENORMALS_ZERO_ON);
}

std::atomic<bool> g_workersYield{false};

void lowerPriorityOfThisThread() {
  thread_local bool isLowered = false;
  if (isLowered) return;
  isLowered = true;
  // On Linux a priority belongs to a thread, named by its id.
  ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), 10);
}

class ModeObserver : public tbb::task_scheduler_observer {
 public:
  ModeObserver() { observe(true); }
  void on_scheduler_entry(bool isWorker) override {
    setModeOfThisThread();
    if (isWorker && g_workersYield) lowerPriorityOfThisThread();
  }
};

}  // namespace

static thread_local std::stop_token t_stop;  // see StopScope

namespace {

/// `words()`, or what takes no memory at all where there is none for them.
template <typename Words>
Problem said(const Words& words) {
  try {
    return words();
  } catch (const std::bad_alloc&) {
    Problem p;
    p.code = ProblemCode::TooMany;
    p.message = "out of memory";  // kept within the string itself
    return p;
  }
}

Problem overMemoryLimitInWords(const OverMemoryLimit& e) {
  const auto mb = [](std::size_t bytes) { return static_cast<double>(bytes) / (1 << 20); };
  return problem(ProblemCode::TooMany,
                 fmt::format("needs {:.0f} MB more, and {:.0f} of the {:.0f} MB that the program may use are taken",
                             mb(e.wanted), mb(e.taken), mb(e.limit)),
                 "Lower densities or counts, or allow more memory (--memory)");
}

}  // namespace

Problem outOfMemory() {
  (void)hasReserve();  // what failed has let go of what it held
  return said([] {
    return problem(ProblemCode::TooMany, "not enough memory", "Lower densities or counts, or close other programs");
  });
}

Problem overMemoryLimit(const OverMemoryLimit& e) {
  return said([&] { return overMemoryLimitInWords(e); });
}

StopScope::StopScope(std::stop_token stop) : m_before(std::exchange(t_stop, std::move(stop))) {}
StopScope::~StopScope() { t_stop = std::move(m_before); }
const std::stop_token& currentStop() { return t_stop; }

std::string toLine(const Problem& p) {
  std::string line = withGroupedNumbers(p.message);
  if (!p.where.empty()) line = fmt::format("{}: {}", p.where, line);
  if (!p.advice.empty()) line += fmt::format(". {}", withGroupedNumbers(p.advice));
  return line;
}

void setFloatingPointMode() {
  setModeOfThisThread();
  static ModeObserver observer;
}

void yieldToInterface() {
  g_workersYield = true;
  lowerPriorityOfThisThread();
}

void parallelPieces(const Task& task, std::size_t count, std::size_t grain,
                    const std::function<void(std::size_t, std::size_t)>& body) {
  ARVESK_ASSERT(grain > 0, "grain must be above 0");
  const std::size_t pieces = (count + grain - 1) / grain;
  const std::stop_token stop = currentStop();
  const auto run = [&](std::size_t piece) {
    if (stop.stop_requested()) throw Cancelled();
    if (task.isCancelled()) return;
    body(piece * grain, std::min(count, (piece + 1) * grain));
  };
  if (pieces <= 1) {
    if (pieces == 1) run(0);
    return;
  }
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, pieces, 1), [&](const tbb::blocked_range<std::size_t>& r) {
    setModeOfThisThread();  // a worker may come from an arena that nobody observes
    const StopScope scope(stop);
    for (std::size_t i = r.begin(); i != r.end(); ++i) run(i);
  });
}

void withThreads(int threads, const std::function<void()>& body) {
  setFloatingPointMode();
  if (threads <= 0) {
    body();
    return;
  }
  // The arena alone does not raise the machine's default, so tests on small machines ask for it too.
  tbb::global_control control(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads));
  tbb::task_arena arena(threads);
  arena.execute(body);
}

}  // namespace arvesk
