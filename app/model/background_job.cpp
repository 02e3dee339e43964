#include "app/model/background_job.h"

namespace arvesk {

BackgroundJob::BackgroundJob(QObject* parent)
    : QObject(parent), m_thread([this](std::stop_token stop) { work(stop); }) {}

BackgroundJob::~BackgroundJob() {
  cancel();
  m_thread.request_stop();
  m_wake.notify_all();
}

void BackgroundJob::ask(Work work) {
  {
    const std::lock_guard lock(m_mutex);
    m_next = {++m_asked, std::move(work)};
    m_running.request_stop();
  }
  setBusy(true);
  m_wake.notify_all();
}

void BackgroundJob::cancel() {
  {
    const std::lock_guard lock(m_mutex);
    ++m_asked;
    m_next.reset();
    m_running.request_stop();
  }
  setBusy(false);
}

void BackgroundJob::setBusy(bool isBusy) {
  if (isBusy == m_isBusy) return;
  m_isBusy = isBusy;
  Q_EMIT busyChanged();
}

void BackgroundJob::work(std::stop_token stop) {
  setFloatingPointMode();
  yieldToInterface();
  while (!stop.stop_requested()) {
    std::pair<std::uint64_t, Work> question;
    Task task;
    {
      std::unique_lock lock(m_mutex);
      if (!m_wake.wait(lock, stop, [this] { return m_next.has_value(); })) return;
      question = std::move(*m_next);
      m_next.reset();
      m_running = std::stop_source();
      task.stop = m_running.get_token();
    }
    std::function<void()> answer = question.second(task);
    question.second = {};  // what it holds goes on this thread
    QMetaObject::invokeMethod(
        this,
        [this, number = question.first, answer = std::move(answer)] {
          if (number != m_asked) return;
          setBusy(false);
          if (answer) answer();
        },
        Qt::QueuedConnection);
  }
}

}  // namespace arvesk
