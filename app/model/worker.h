// The one way to work off the interface thread: one question at a time, answered on a thread of its own; a new question
// cancels the one before. What throws there becomes a Problem that is told, and never ends the program.
#pragma once

#include "core/base/border.h"
#include "core/base/task.h"

#include <QObject>

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
  /// meanwhile. The task's progress comes out as progressed().
  using Answer = std::function<void()>;
  using Work = std::function<Answer(const Task&)>;

  explicit Worker(QObject* parent = nullptr);
  ~Worker() override;
  void ask(Work work);
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
  void work(std::stop_token stop);
  void setBusy(bool isBusy);

  bool m_isBusy = false;
  std::uint64_t m_asked = 0;  // number of the latest question
  std::mutex m_mutex;
  std::condition_variable_any m_wake;
  std::optional<std::pair<std::uint64_t, Work>> m_next;
  std::stop_source m_running;
  std::jthread m_thread;  // last, so that it ends first
};

}  // namespace arvesk
