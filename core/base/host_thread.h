// Work in a thread that belongs to somebody else: what the core changes of it is put back.
#pragma once

#include "core/base/task.h"

#include <tbb/task_arena.h>
#include <tbb/task_scheduler_observer.h>
#include <xmmintrin.h>

namespace arvesk {

/// The floating-point mode of a thread as it was, put back at the end.
class KeepsFloatingPointMode {
 public:
  KeepsFloatingPointMode() : m_mode(_mm_getcsr()) {}
  ~KeepsFloatingPointMode() { _mm_setcsr(m_mode); }
  KeepsFloatingPointMode(const KeepsFloatingPointMode&) = delete;
  KeepsFloatingPointMode& operator=(const KeepsFloatingPointMode&) = delete;

 private:
  unsigned m_mode;
};

/// Threads for the core's work apart from the host program's own; when they go back, they are as they came.
class OwnThreads {
 public:
  /// `count` of them, 0: as many as the machine has cores.
  explicit OwnThreads(int count) : m_arena(count > 0 ? count : tbb::task_arena::automatic), m_observer(m_arena) {}
  template <typename Work>
  void run(Work&& work) {
    const KeepsFloatingPointMode kept;
    m_arena.execute(work);
  }

 private:
  class Observer : public tbb::task_scheduler_observer {
   public:
    explicit Observer(tbb::task_arena& arena) : task_scheduler_observer(arena) { observe(true); }
    ~Observer() override { observe(false); }
    void on_scheduler_entry(bool) override { t_mode = _mm_getcsr(); }
    void on_scheduler_exit(bool) override { _mm_setcsr(t_mode); }

   private:
    static inline thread_local unsigned t_mode = 0x1f80;  // what threads begin with
  };
  tbb::task_arena m_arena;
  Observer m_observer;
};

}  // namespace arvesk
