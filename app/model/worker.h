// The one way to work off the interface thread: one question at a time, answered on a thread of its own; a new question
// cancels the one before, at once or when that has had its time. What throws there becomes a Problem that is told, and
// never ends the program.
#pragma once

#include "core/base/border.h"
#include "core/base/task.h"

#include <QObject>

#include <chrono>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

namespace arvesk {

/// Where all workers tell what went wrong, for the window's message line.
/// The interface's own failures come this way too.
class WorkerFailures : public QObject {
  Q_OBJECT

 public:
  static WorkerFailures& all();

 Q_SIGNALS:
  void happened(const QString& line);
};

class Worker : public QObject {
  Q_OBJECT

 public:
  /// Runs on the worker's thread; what it returns runs on the thread of this object, unless a newer question came
  /// meanwhile that does not let it pass. The task's progress comes out as progressed().
  using Answer = std::function<void()>;
  using Work = std::function<Answer(const Task&)>;

  explicit Worker(QObject* parent = nullptr);
  ~Worker() override;
  /// What is under way has `grace` from its beginning to be answered, and its answer comes then. So questions that come
  /// faster than they are answered, as while something is dragged, do not keep each other from ever being answered.
  void ask(Work work, std::chrono::milliseconds grace = {});
  void cancel();
  /// Until the latest question is answered, cancelled or has failed.
  bool isBusy() const { return m_isBusy; }
  /// From within work: `what` runs on the thread of this object, whether or not a newer question came.
  void post(std::function<void()> what);

 Q_SIGNALS:
  void busyChanged();
  void progressed(double share);
  void failed(const QString& line);

 private:
  struct Turn;
  void work(std::stop_token stop);
  void report(Turn& turn, float share);
  void deliver(Turn& turn);
  void setBusy(bool isBusy);
  void stopWhenDue(std::uint64_t number, std::chrono::milliseconds grace);

  bool m_isBusy = false;
  std::uint64_t m_asked = 0;    // number of the latest question
  std::uint64_t m_dropped = 0;  // up to this one they are not to be answered any more
  std::mutex m_mutex;
  std::condition_variable_any m_wake;
  std::optional<std::pair<std::uint64_t, Work>> m_next;
  std::stop_source m_running;
  std::uint64_t m_runningNumber = 0;
  std::chrono::steady_clock::time_point m_begun;  // of the one that is under way
  std::jthread m_thread;                          // last, so that it ends first
};

}  // namespace arvesk
