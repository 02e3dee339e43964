#include "app/model/worker.h"

#include <QTimer>

namespace arvesk {

WorkerFailures& WorkerFailures::all() {
  static WorkerFailures failures;
  return failures;
}

Worker::Worker(QObject* parent) : QObject(parent), m_thread([this](std::stop_token stop) { work(stop); }) {}

Worker::~Worker() {
  {
    const std::lock_guard lock(m_mutex);
    m_next.reset();
    m_running.request_stop();
  }
  m_thread.request_stop();
  m_wake.notify_all();
}

void Worker::ask(Work work, std::chrono::milliseconds grace) {
  std::uint64_t running = 0;
  {
    const std::lock_guard lock(m_mutex);
    m_next = {++m_asked, std::move(work)};
    running = m_runningNumber;
  }
  if (grace.count() == 0) m_dropped = m_asked - 1;
  stopWhenDue(running, grace);
  setBusy(true);
  m_wake.notify_all();
}

void Worker::stopWhenDue(std::uint64_t number, std::chrono::milliseconds grace) {
  const std::lock_guard lock(m_mutex);
  if (m_runningNumber != number) return;
  const auto left = grace -
                    std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now() - m_begun);
  if (left.count() <= 0)
    m_running.request_stop();
  else
    QTimer::singleShot(left, this, [this, number] { stopWhenDue(number, {}); });
}

void Worker::cancel() {
  {
    const std::lock_guard lock(m_mutex);
    m_dropped = ++m_asked;
    m_next.reset();
    m_running.request_stop();
  }
  setBusy(false);
}

void Worker::post(std::function<void()> what) {
  QMetaObject::invokeMethod(this, std::move(what), Qt::QueuedConnection);
}

void Worker::setBusy(bool isBusy) {
  if (isBusy == m_isBusy) return;
  m_isBusy = isBusy;
  Q_EMIT busyChanged();
}

void Worker::work(std::stop_token stop) {
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
      m_runningNumber = question.first;
      m_begun = std::chrono::steady_clock::now();
      task.stop = m_running.get_token();
    }
    const std::uint64_t number = question.first;
    std::mutex throttle;
    auto lastReport = std::chrono::steady_clock::time_point();
    task.progress = [&](float share) {  // from any thread; thirty times a second are enough
      {
        const std::lock_guard lock(throttle);
        const auto now = std::chrono::steady_clock::now();
        if (now - lastReport < std::chrono::milliseconds(33)) return;
        lastReport = now;
      }
      post([this, number, share] {
        if (number == m_asked) Q_EMIT progressed(static_cast<double>(share));
      });
    };
    Result<Answer> answer = withinBorder([&] { return question.second(task); });
    // What the question holds goes on this thread; even that may throw, and is then of no more concern.
    (void)withinBorder([&] { question.second = {}; });
    post([this, number, isStopped = task.isCancelled(), answer = std::move(answer)] {
      if (number != m_asked && (isStopped || number <= m_dropped)) return;
      if (number == m_asked)
        setBusy(false);
      else if (!answer)
        return;
      if (answer) {
        if (*answer) (*answer)();
        return;
      }
      const QString line = QString::fromStdString(toLine(answer.error()));
      Q_EMIT failed(line);
      Q_EMIT WorkerFailures::all().happened(line);
    });
  }
}

}  // namespace arvesk
