// A grid of points with radii, for questions about what lies near. Cells are dense where the box allows, hashed where
// it does not.
#pragma once

#include "core/base/array.h"
#include "core/base/hash.h"
#include "core/base/task.h"
#include "core/base/vec.h"

#include <algorithm>

namespace arvesk {

class PointGrid {
 public:
  struct Entry {
    Vec3 position;
    float radius;
    std::uint32_t index;  // the caller's
  };

  PointGrid() = default;
  /// `cell`: edge in m, above 0.
  PointGrid(const Array<Entry>& points, float cell) : m_cell(cell), m_perMeter(1.0F / cell) {
    for (const Entry& e : points) {
      m_box.add(e.position);
      m_largestRadius = std::max(m_largestRadius, e.radius);
    }
    if (points.empty()) return;
    const Vec3 extent = m_box.extent();
    for (int axis = 0; axis < 3; ++axis)
      m_cells[axis] = static_cast<std::int64_t>(std::min(extent[axis] * m_perMeter, 2e6F)) + 1;
    // Points on ground lie in one layer: where columns along the flattest axis hold few points, one cell spans all of
    // it.
    const int flattest = extent.x < extent.y ? (extent.x < extent.z ? 0 : 2) : (extent.y < extent.z ? 1 : 2);
    const double columns = static_cast<double>(m_cells[(flattest + 1) % 3]) *
                           static_cast<double>(m_cells[(flattest + 2) % 3]);
    if (static_cast<double>(points.size()) < 6 * columns) m_cells[flattest] = 1;
    const double dense = static_cast<double>(m_cells[0]) * static_cast<double>(m_cells[1]) *
                         static_cast<double>(m_cells[2]);
    std::size_t slots = 1024;
    while (slots < points.size()) slots *= 2;
    m_isDense = dense <= static_cast<double>(slots) * 4;
    if (m_isDense) slots = static_cast<std::size_t>(dense);
    m_mask = slots - 1;
    m_start.assign(slots + 1, 0);
    Array<std::uint32_t> slotOfPoint(points.size());
    for (std::size_t i = 0; i < points.size(); ++i) {
      endIfStoppedAt(i);
      slotOfPoint[i] = static_cast<std::uint32_t>(slotOf(cellOf(points[i].position)));
      ++m_start[slotOfPoint[i] + 1];
    }
    for (std::size_t s = 1; s <= slots; ++s) m_start[s] += m_start[s - 1];
    m_entries.resize(points.size());
    Array<std::uint32_t> next(m_start.begin(), m_start.end() - 1);
    for (std::size_t i = 0; i < points.size(); ++i) {
      endIfStoppedAt(i);
      m_entries[next[slotOfPoint[i]]++] = points[i];
    }
  }

  bool isEmpty() const { return m_entries.empty(); }
  void countBytes(ByteCounter& counter) const {
    counter.add(this, m_entries.capacity() * sizeof(Entry) + m_start.capacity() * sizeof(std::uint32_t));
  }
  float largestRadius() const { return m_largestRadius; }
  /// In order of cells, so that neighbors in the array are neighbors in space.
  const Array<Entry>& entries() const { return m_entries; }

  /// Calls visit(entry) for every entry whose cell is within `reach` of `position` (and possibly others, and possibly
  /// twice), until it returns true.
  template <typename Visit>
  bool near(const Vec3& position, float reach, Visit&& visit) const {
    if (m_entries.empty()) return false;
    if (glm::any(glm::lessThan(position + Vec3(reach), m_box.min)) ||
        glm::any(glm::greaterThan(position - Vec3(reach), m_box.max)))
      return false;
    const Cell from = cellOf(position - Vec3(reach));
    const Cell to = cellOf(position + Vec3(reach));
    for (std::int64_t z = from.z; z <= to.z; ++z)
      for (std::int64_t y = from.y; y <= to.y; ++y) {
        if (m_isDense) {  // cells along x follow each other in the array
          const std::size_t last = m_start[slotOf({to.x, y, z}) + 1];
          for (std::size_t e = m_start[slotOf({from.x, y, z})]; e < last; ++e)
            if (visit(m_entries[e])) return true;
          continue;
        }
        for (std::int64_t x = from.x; x <= to.x; ++x) {
          const std::size_t slot = slotOf({x, y, z});
          for (std::uint32_t e = m_start[slot]; e < m_start[slot + 1]; ++e)
            if (visit(m_entries[e])) return true;
        }
      }
    return false;
  }

 private:
  struct Cell {
    std::int64_t x, y, z;
  };

  std::int64_t along(float offset, int axis) const {
    const float cell = std::clamp(offset * m_perMeter, 0.0F, static_cast<float>(m_cells[axis] - 1));
    return static_cast<std::int64_t>(cell);
  }
  Cell cellOf(const Vec3& p) const {
    return {along(p.x - m_box.min.x, 0), along(p.y - m_box.min.y, 1), along(p.z - m_box.min.z, 2)};
  }
  std::size_t slotOf(const Cell& c) const {
    const std::int64_t index = c.x + m_cells[0] * (c.y + m_cells[1] * c.z);
    return m_isDense ? static_cast<std::size_t>(index)
                     : static_cast<std::size_t>(mix64(static_cast<std::uint64_t>(index))) & m_mask;
  }

  float m_cell = 1;
  float m_perMeter = 1;
  float m_largestRadius = 0;
  Box3 m_box;
  std::int64_t m_cells[3] = {1, 1, 1};
  bool m_isDense = true;
  std::size_t m_mask = 0;
  Array<std::uint32_t> m_start;
  Array<Entry> m_entries;
};

}  // namespace arvesk
