// What belongs together, found by what joins it: union-find (Tarjan, "Efficiency of a good but not linear set union
// algorithm", 1975).
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <numeric>
#include <vector>

namespace arvesk {

class Groups {
 public:
  explicit Groups(std::size_t count) : m_parent(count) { std::iota(m_parent.begin(), m_parent.end(), 0U); }
  /// The first of the group that `i` is in.
  std::uint32_t rootOf(std::uint32_t i) {
    while (m_parent[i] != i) i = m_parent[i] = m_parent[m_parent[i]];
    return i;
  }
  void join(std::uint32_t a, std::uint32_t b) {
    a = rootOf(a);
    b = rootOf(b);
    if (a != b) m_parent[std::max(a, b)] = std::min(a, b);
  }

 private:
  std::vector<std::uint32_t> m_parent;
};

}  // namespace arvesk
