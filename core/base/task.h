// Long work: cancelling, progress and loops over many threads whose result does not depend on how many there are.
#pragma once

#include <cstddef>
#include <functional>
#include <stop_token>

namespace arvesk {

struct Task {
  std::stop_token stop;
  std::function<void(float)> progress;  // share done, 0 to 1; may be empty; called from any thread

  bool isCancelled() const { return stop.stop_requested(); }
  void report(float share) const {
    if (progress) progress(share);
  }
};

/// Calls body(begin, end) on pieces of [0, count) from many threads; pieces start at multiples of `grain`, whatever the
/// number of threads. Stops handing out pieces after a cancel; the caller checks for it.
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
