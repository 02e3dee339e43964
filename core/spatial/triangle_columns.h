// Triangles by the columns that they stand in, for one mesh: which of them lie over or under something.
#pragma once

#include "core/base/array.h"
#include "core/spatial/dbox.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace arvesk {

class TriangleColumns {
 public:
  TriangleColumns() = default;
  /// Of `count` triangles, which all lie in `room`; `boxOf` gives the box of each.
  template <typename BoxOf>
  TriangleColumns(std::size_t count, const DBox3& room, BoxOf boxOf) {
    if (count == 0) return;
    m_room = room;
    const double x = room.max.x - room.min.x;
    const double z = room.max.z - room.min.z;
    // About two triangles of a side that looks up in each.
    const double cell = std::max(std::sqrt(x * z / (static_cast<double>(count) / 4 + 1)), std::max(x, z) / 512);
    m_cells[0] = cell > 0 ? static_cast<int>(x / cell) + 1 : 1;
    m_cells[1] = cell > 0 ? static_cast<int>(z / cell) + 1 : 1;
    m_perMeter = cell > 0 ? 1 / cell : 0;
    m_start.assign(static_cast<std::size_t>(m_cells[0]) * static_cast<std::size_t>(m_cells[1]) + 1, 0);
    for (std::size_t t = 0; t < count; ++t) forCells(boxOf(t), [&](std::size_t cellAt) { ++m_start[cellAt + 1]; });
    for (std::size_t c = 1; c < m_start.size(); ++c) m_start[c] += m_start[c - 1];
    m_items.resize(m_start.back());
    Array<std::uint32_t> next(m_start.begin(), m_start.end() - 1);
    for (std::size_t t = 0; t < count; ++t)
      forCells(boxOf(t), [&](std::size_t cellAt) { m_items[next[cellAt]++] = static_cast<std::uint32_t>(t); });
  }

  /// Calls visit(triangle) once for each whose columns may meet those of `box`; `boxOf` gives a triangle's box again.
  template <typename BoxOf, typename Visit>
  void meeting(const DBox3& box, BoxOf boxOf, Visit visit) const {
    if (m_items.empty() || !box.meetsFromAbove(m_room)) return;
    const int fromX = cellOf(box.min.x, 0);
    const int fromZ = cellOf(box.min.z, 1);
    const int toX = cellOf(box.max.x, 0);
    const int toZ = cellOf(box.max.z, 1);
    for (int z = fromZ; z <= toZ; ++z)
      for (int x = fromX; x <= toX; ++x) {
        const std::size_t c = static_cast<std::size_t>(z) * static_cast<std::size_t>(m_cells[0]) +
                              static_cast<std::size_t>(x);
        for (std::uint32_t k = m_start[c]; k < m_start[c + 1]; ++k) {
          const DBox3& its = boxOf(m_items[k]);
          // In the first of the cells that both stand in.
          if (x != std::max(fromX, cellOf(its.min.x, 0)) || z != std::max(fromZ, cellOf(its.min.z, 1))) continue;
          if (its.meetsFromAbove(box)) visit(m_items[k]);
        }
      }
  }

 private:
  int cellOf(double at, int axis) const {
    const double from = axis == 0 ? m_room.min.x : m_room.min.z;
    return static_cast<int>(std::clamp((at - from) * m_perMeter, 0.0, static_cast<double>(m_cells[axis] - 1)));
  }
  template <typename Visit>
  void forCells(const DBox3& b, Visit visit) const {
    for (int z = cellOf(b.min.z, 1); z <= cellOf(b.max.z, 1); ++z)
      for (int x = cellOf(b.min.x, 0); x <= cellOf(b.max.x, 0); ++x)
        visit(static_cast<std::size_t>(z) * static_cast<std::size_t>(m_cells[0]) + static_cast<std::size_t>(x));
  }

  DBox3 m_room;
  int m_cells[2] = {1, 1};  // along x, along z
  double m_perMeter = 0;
  Array<std::uint32_t> m_start;
  Array<std::uint32_t> m_items;
};

}  // namespace arvesk
