// Arrays that are not filled with zeros when they grow, and columns that are shared between values and may be constant.
#pragma once

#include "core/base/memory.h"
#include "core/base/result.h"

#include <cstddef>
#include <cstdint>
#include <memory>
#include <type_traits>
#include <utility>
#include <vector>

namespace arvesk {

/// Memory for arrays, with large blocks kept for reuse and counted (base/memory.h). Throws std::bad_alloc, among it
/// OverMemoryLimit, and Cancelled in the place of large blocks that nobody waits for any more (base/task.h).
void* allocateBytes(std::size_t bytes);
/// `bytes` as they were asked for.
void freeBytes(void* p, std::size_t bytes) noexcept;
/// Gives what is kept for reuse back to the system; after much was let go.
void releaseFreeBlocks();

/// Default-initializes instead of zeroing: at ten million points page faults on fresh memory dominate.
template <typename T>
struct UninitializedAllocator : std::allocator<T> {
  template <typename U>
  struct rebind {
    using other = UninitializedAllocator<U>;
  };
  using std::allocator<T>::allocator;
  T* allocate(std::size_t count) { return static_cast<T*>(allocateBytes(count * sizeof(T))); }
  void deallocate(T* p, std::size_t count) { freeBytes(p, count * sizeof(T)); }
  template <typename U, typename... Args>
  void construct(U* p, Args&&... args) {
    if constexpr (sizeof...(Args) == 0 && std::is_trivially_destructible_v<U>)
      ::new (static_cast<void*>(p)) U;
    else
      ::new (static_cast<void*>(p)) U(std::forward<Args>(args)...);
  }
};

template <typename T>
using Array = std::vector<T, UninitializedAllocator<T>>;

/// One value per point, or one value for all of them. Immutable once made; copies share the array.
template <typename T>
class Column {
 public:
  Column() : m_constant{} {}
  explicit Column(T constant) : m_constant(constant) {}
  Column(Array<T>&& values) : m_constant{}, m_values(std::make_shared<const Array<T>>(std::move(values))) {}

  bool isConstant() const { return !m_values; }
  const T& constant() const { return m_constant; }
  const T& operator[](std::size_t i) const { return m_values ? (*m_values)[i] : m_constant; }
  /// The array; the column must not be constant.
  const Array<T>& values() const {
    ARVESK_ASSERT(m_values, "a constant column has no array");
    return *m_values;
  }
  const void* identity() const { return m_values.get(); }
  void countBytes(ByteCounter& counter) const {
    if (m_values) counter.add(m_values.get(), m_values->capacity() * sizeof(T));
  }

  /// The values at `indices`, in that order.
  Column gathered(const Array<std::uint32_t>& indices) const {
    if (!m_values) return *this;
    Array<T> out(indices.size());
    for (std::size_t i = 0; i < indices.size(); ++i) out[i] = (*m_values)[indices[i]];
    return Column(std::move(out));
  }
  /// A changeable copy of all `count` values.
  Array<T> copied(std::size_t count) const {
    if (m_values) return *m_values;
    Array<T> out;
    out.assign(count, m_constant);
    return out;
  }

 private:
  T m_constant;
  std::shared_ptr<const Array<T>> m_values;
};

}  // namespace arvesk
