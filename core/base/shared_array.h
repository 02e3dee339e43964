// An array that copies share until one of them is changed. Copying is cheap, and whoever holds a copy owns what it
// points into, whatever becomes of the value it came from.
#pragma once

#include "core/base/array.h"
#include "core/base/memory.h"

namespace arvesk {

template <typename T>
class SharedArray {
 public:
  using value_type = T;

  SharedArray() = default;
  SharedArray(Array<T>&& values) : m_values(std::make_shared<Array<T>>(std::move(values))) {}
  SharedArray(std::initializer_list<T> values) : m_values(std::make_shared<Array<T>>(values)) {}

  bool empty() const { return !m_values || m_values->empty(); }
  std::size_t size() const { return m_values ? m_values->size() : 0; }
  const T* data() const { return m_values ? m_values->data() : nullptr; }
  const T* begin() const { return data(); }
  const T* end() const { return data() + size(); }
  const T& operator[](std::size_t i) const { return (*m_values)[i]; }
  const T& front() const { return m_values->front(); }
  const T& back() const { return m_values->back(); }

  /// The array to change: this one's own from now on. Take the reference once, outside of loops over threads.
  Array<T>& edit() {
    if (!m_values)
      m_values = std::make_shared<Array<T>>();
    else if (m_values.use_count() > 1)
      m_values = std::make_shared<Array<T>>(*m_values);
    return *m_values;
  }
  void clear() { m_values.reset(); }
  bool isSharedWith(const SharedArray& other) const { return m_values && m_values == other.m_values; }
  void countBytes(ByteCounter& counter) const {
    counter.add(m_values.get(), m_values ? m_values->capacity() * sizeof(T) : 0);
  }

 private:
  std::shared_ptr<Array<T>> m_values;
};

}  // namespace arvesk
