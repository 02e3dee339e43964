// One question at a time, answered on a thread of its own; a new question cancels the one before.
#pragma once

#include "core/base/task.h"

#include <QObject>

#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

namespace arvesk {

class BackgroundJob : public QObject {
  Q_OBJECT

 public:
  /// Runs on the job's thread; what it returns runs on the thread of this object, unless a newer question came
  /// meanwhile.
  using Work = std::function<std::function<void()>(const Task&)>;

  explicit BackgroundJob(QObject* parent = nullptr);
  ~BackgroundJob() override;
  void ask(Work work);
  void cancel();
  bool isBusy() const { return m_isBusy; }

 Q_SIGNALS:
  void busyChanged();

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
