// Things that are computed from an immutable value when first asked for, and live as long as it does (an index, a table
// of areas).
#pragma once

#include <tbb/task_arena.h>

#include <memory>
#include <mutex>
#include <typeindex>
#include <unordered_map>

namespace arvesk {

class Derived {
 public:
  /// The one T of the value; `build` returns a shared_ptr<const T> and runs at most once at a time.
  template <typename T, typename Build>
  std::shared_ptr<const T> get(Build&& build) {
    std::shared_ptr<Slot> slot;
    {
      const std::lock_guard lock(m_mutex);
      std::shared_ptr<Slot>& entry = m_slots[std::type_index(typeid(T))];
      if (!entry) entry = std::make_shared<Slot>();
      slot = entry;
    }
    // Isolated: a thread that waits inside `build` must not steal a task that asks for the same slot.
    std::shared_ptr<const void> result;
    tbb::this_task_arena::isolate([&] {
      const std::lock_guard lock(slot->mutex);
      if (!slot->value) slot->value = build();
      result = slot->value;
    });
    return std::static_pointer_cast<const T>(result);
  }

 private:
  struct Slot {
    std::mutex mutex;
    std::shared_ptr<const void> value;
  };
  std::mutex m_mutex;
  std::unordered_map<std::type_index, std::shared_ptr<Slot>> m_slots;
};

}  // namespace arvesk
