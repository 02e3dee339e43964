#include "app/model/worker.h"

#include <QTimer>
#include "app/model/words.h"

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
  m_wake.notify_all();
  setBusy(true);
  stopWhenDue(running, grace);
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

/// All that answering a question takes, there before the question is taken up: then memory may end, and an answer comes
/// out all the same.
struct Worker::Turn {
  std::uint64_t number = 0;
  std::stop_source running;
  Task task{running.get_token(), {}};
  std::mutex throttle;
  std::chrono::steady_clock::time_point lastReport;
  Result<Answer> answer = Answer();
  bool isStopped = false;  // before it was answered
};

namespace {

/// Tried until there is memory for it: what waits for it would wait for ever.
template <typename Make>
void insist(const std::stop_token& stop, const Make& make) {
  while (!stop.stop_requested() && !withinBorder(make)) std::this_thread::sleep_for(std::chrono::milliseconds(20));
}

}  // namespace

void Worker::work(std::stop_token stop) {
  setFloatingPointMode();
  yieldToInterface();
  while (!stop.stop_requested()) {
    std::shared_ptr<Turn> turn;
    insist(stop, [&] {
      turn = std::make_shared<Turn>();
      turn->task.progress = [this, t = turn.get()](float share) { report(*t, share); };
    });
    Work work;
    {
      std::unique_lock lock(m_mutex);
      if (!m_wake.wait(lock, stop, [this] { return m_next.has_value(); })) return;
      turn->number = m_next->first;
      work = std::move(m_next->second);
      m_next.reset();
      m_running = turn->running;
      m_runningNumber = turn->number;
      m_begun = std::chrono::steady_clock::now();
    }
    turn->answer = withinBorder([&] { return work(turn->task); });
    turn->isStopped = turn->task.isCancelled();
    // What the question holds goes on this thread; even that may throw, and is then of no more concern.
    (void)withinBorder([&] { work = {}; });
    insist(stop, [&] { post([this, turn] { deliver(*turn); }); });
  }
}

/// From any thread; thirty times a second are enough.
void Worker::report(Turn& turn, float share) {
  {
    const std::lock_guard lock(turn.throttle);
    const auto now = std::chrono::steady_clock::now();
    if (now - turn.lastReport < std::chrono::milliseconds(33)) return;
    turn.lastReport = now;
  }
  post([this, number = turn.number, share] {
    if (number == m_asked) Q_EMIT progressed(static_cast<double>(share));
  });
}

void Worker::deliver(Turn& turn) {
  if (turn.number != m_asked && (turn.isStopped || turn.number <= m_dropped)) return;
  if (turn.number == m_asked)
    setBusy(false);
  else if (!turn.answer)
    return;
  if (turn.answer) {
    if (*turn.answer) (*turn.answer)();
    return;
  }
  const QString line = lineOf(turn.answer.error());
  Q_EMIT failed(line);
  Q_EMIT WorkerFailures::all().happened(line);
}

}  // namespace arvesk
