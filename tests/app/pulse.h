// Whether an event loop keeps turning.
#pragma once

#include <QCoreApplication>
#include <QElapsedTimer>
#include <QTimer>

#include <algorithm>
#include <ctime>
#include <iterator>
#include <limits>
#include <random>
#include <vector>

namespace arvesk::test {

/// Processor time of this thread so far, in ms.
inline double ownWork() {
  timespec t{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) * 1e3 + static_cast<double>(t.tv_nsec) / 1e6;
}

/// What `act` takes of this thread's own time, in ms: the least of five. Only what it takes each time is its own.
template <typename Act>
double leastWorkOf(Act&& act) {
  double least = std::numeric_limits<double>::max();
  for (int i = 0; i < 5; ++i) {
    const double before = ownWork();
    act();
    least = std::min(least, ownWork() - before);
  }
  return least;
}

/// Own work, in ms, of sorting 131072 numbers: what this machine can do just now. 9 to 15 ms were measured on one and
/// the same machine, at different hours; the window may work four times as long at a stretch.
inline double workOfSorting() {
  std::minstd_rand random(7);
  std::vector<double> numbers(1u << 17);
  for (double& number : numbers) number = static_cast<double>(random());
  const double before = ownWork();
  std::sort(numbers.begin(), numbers.end());
  return ownWork() - before;
}

/// A timer that asks to be called every 5 ms; how late it comes is how long the loop was held up. Beside it, how much
/// of that the thread itself was at work: a busy machine can make any thread wait. It can make it seem to work too (a
/// processor that is shared out to several machines goes on counting for the one that waits), so work is held against
/// sorting, done right before and after, and one stall proves nothing: whoever judges tries again, and what stalls each
/// time is a fault of ours.
class Pulse {
 public:
  Pulse() : m_sorting(workOfSorting()), m_work(ownWork()) {
    m_timer.setTimerType(Qt::PreciseTimer);
    QObject::connect(&m_timer, &QTimer::timeout, [this] {
      const double work = ownWork();
      m_gaps.push_back(m_clock.restart());
      if (m_gaps.back() > 50 && work - m_work > 25) m_turns.push_back({work - m_work, m_during});
      m_work = work;
    });
    m_clock.start();
    m_timer.start(5);
  }
  const std::vector<qint64>& gaps() const { return m_gaps; }
  struct Stall {
    double ms;  // of own work
    const char* during;
  };
  /// Turns of more work than four times the sorting's.
  std::vector<Stall> stalls() const {
    const double most = 4 * std::max(m_sorting, workOfSorting());
    std::vector<Stall> found;
    std::copy_if(m_turns.begin(), m_turns.end(), std::back_inserter(found),
                 [&](const Stall& turn) { return turn.ms > most; });
    return found;
  }
  /// 0 without a stall.
  double longestStall() const {
    double most = 0;
    for (const Stall& stall : stalls()) most = std::max(most, stall.ms);
    return most;
  }
  /// What is done from now on, to be told with a stall; ends the turn before.
  void during(const char* what) {
    QCoreApplication::processEvents();
    m_during = what;
  }

 private:
  QTimer m_timer;
  QElapsedTimer m_clock;
  std::vector<qint64> m_gaps;
  std::vector<Stall> m_turns;  // long enough to be one
  const char* m_during = "";
  double m_sorting;
  double m_work;
};

}  // namespace arvesk::test
