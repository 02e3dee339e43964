// Things that are computed from an immutable value when first asked for, and live as long as it does (an index, a table
// of areas). A copy of the value starts without any: what was derived belongs to the one that it was made from.
#pragma once

#include "core/base/memory.h"

#include <tbb/task_arena.h>

#include <memory>
#include <mutex>
#include <type_traits>
#include <typeindex>

namespace arvesk {

template <typename T>
concept CountsBytes = requires(const T& value, ByteCounter& counter) {
  value.countBytes(counter);
};

class Derived {
 public:
  Derived() = default;
  Derived(const Derived&) {}
  Derived& operator=(const Derived& other) {
    if (this == &other) return *this;
    const std::lock_guard lock(m_mutex);
    m_slots.clear();
    return *this;
  }
  ~Derived() = default;

  /// The one T of the value for `key`, which holds all that T depends on besides the value. `build` returns a
  /// shared_ptr<const T> and runs at most once at a time.
  template <typename T, typename Build>
  std::shared_ptr<const T> get(std::uint64_t key, Build&& build) const {
    static_assert(CountsBytes<T> || std::is_trivially_copyable_v<T>, "what hangs on a value is counted with it");
    std::shared_ptr<Slot> slot;
    {
      const std::lock_guard lock(m_mutex);
      const std::pair<std::type_index, std::uint64_t> place{std::type_index(typeid(T)), key};
      auto it = m_slots.find(place);
      if (it == m_slots.end()) it = m_slots.emplace(place, std::make_shared<Slot>()).first;  // whole, or none of it
      slot = it->second;
    }
    // Isolated: a thread that waits inside `build` must not steal a task that asks for the same slot.
    std::shared_ptr<const void> result;
    tbb::this_task_arena::isolate([&] {
      const std::lock_guard lock(slot->mutex);
      if (!slot->value) {
        slot->value = build();
        slot->count = [](const void* value, ByteCounter& counter) {
          if constexpr (CountsBytes<T>)
            static_cast<const T*>(value)->countBytes(counter);
          else
            counter.add(value, sizeof(T));
        };
      }
      result = slot->value;
    });
    return std::static_pointer_cast<const T>(result);
  }
  template <typename T, typename Build>
  std::shared_ptr<const T> get(Build&& build) const {
    return get<T>(0, std::forward<Build>(build));
  }

  /// What was derived so far; what another thread is just making counts next time.
  void countBytes(ByteCounter& counter) const {
    std::vector<std::shared_ptr<Slot>> slots;
    {
      const std::lock_guard lock(m_mutex);
      for (const auto& [key, slot] : m_slots) slots.push_back(slot);
    }
    for (const auto& slot : slots) {
      const std::unique_lock lock(slot->mutex, std::try_to_lock);
      if (lock && slot->value) slot->count(slot->value.get(), counter);
    }
  }

 private:
  struct Slot {
    std::mutex mutex;
    std::shared_ptr<const void> value;
    void (*count)(const void* value, ByteCounter& counter) = nullptr;
  };
  mutable std::mutex m_mutex;
  mutable std::map<std::pair<std::type_index, std::uint64_t>, std::shared_ptr<Slot>> m_slots;
};

}  // namespace arvesk
