// Long work: cancelling, progress and loops over many threads whose result does not depend on how many there are.
// Whoever works within a StopScope ends soon after a cancel without asking: loops, sorts and large arrays throw.
#pragma once

#include <cstddef>
#include <functional>
#include <stop_token>
#include <string>

namespace arvesk {

struct Task {
  std::stop_token stop;
  std::function<void(float)> progress;  // share done, 0 to 1; may be empty; called from any thread

  std::function<void(const std::string&)> doing{};  // what is done that may take long; as above

  bool isCancelled() const { return stop.stop_requested(); }
  void report(float share) const {
    if (progress) progress(share);
  }
};

/// What is done while it lives, in words that follow "…: ", as "reading dunes.tif".
class Doing {
 public:
  Doing(const Task& task, const std::string& what) : m_task(task) {
    if (m_task.doing) m_task.doing(what);
  }
  ~Doing() {
    if (!m_task.doing) return;
    try {
      m_task.doing({});
    } catch (...) {}  // there may be no memory for it, and this is no place to throw
  }
  Doing(const Doing&) = delete;
  Doing& operator=(const Doing&) = delete;

 private:
  const Task& m_task;
};

/// Thrown in the midst of work that is not wanted any more; it ends at the border (base/border.h).
struct Cancelled {};

/// While it lives, loops, sorts and large arrays that the calling thread begins throw Cancelled once `stop` is asked
/// for, on whatever thread they run. For work within the border.
class StopScope {
 public:
  explicit StopScope(std::stop_token stop);
  ~StopScope();
  StopScope(const StopScope&) = delete;
  StopScope& operator=(const StopScope&) = delete;

 private:
  std::stop_token m_before;
};

/// What ends the work of the calling thread.
const std::stop_token& currentStop();
/// Throws Cancelled when it was asked for. For loops that take long and have no pieces.
inline void endIfStopped() {
  if (currentStop().stop_requested()) throw Cancelled();
}
/// The same at turn `i` of a loop whose turns are short: asks now and then.
inline void endIfStoppedAt(std::size_t i) {
  if ((i & 4095U) == 0) endIfStopped();
}

/// Calls body(begin, end) on pieces of [0, count) from many threads; pieces start at multiples of `grain`, whatever the
/// number of threads. Stops handing out pieces after a cancel of `task`, for which the caller checks; one of the
/// StopScope is thrown.
void parallelPieces(const Task& task, std::size_t count, std::size_t grain,
                    const std::function<void(std::size_t, std::size_t)>& body);

/// Sets flush-to-zero and denormals-are-zero on the calling thread and, by an observer, on every worker (as Embree asks
/// for), so that results do not depend on which thread computed them.
void setFloatingPointMode();

/// Lowers the priority of the calling thread and, from now on, of all workers, so that an interface thread is served
/// first whenever it wants to run, even with every core at work.
void yieldToInterface();

/// Runs `body` with at most `threads` workers (0: all of the machine).
void withThreads(int threads, const std::function<void()>& body);

}  // namespace arvesk
