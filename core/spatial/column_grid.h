// Boxes by the columns that they stand in: what lies over or under something is asked of these.
#pragma once

#include "core/base/hash.h"
#include "core/spatial/placed_mesh.h"

#include <algorithm>
#include <unordered_map>

namespace arvesk {

class ColumnGrid {
 public:
  /// For boxes about as large as these.
  explicit ColumnGrid(const std::vector<DBox3>& like) {
    double sum = 0;
    std::size_t count = 0;
    for (const DBox3& b : like) {
      if (b.isEmpty()) continue;
      sum += std::max(b.max.x - b.min.x, b.max.z - b.min.z);
      ++count;
    }
    m_cell = count > 0 && sum > 0 ? sum / static_cast<double>(count) : 1;
  }

  void add(std::uint32_t index, const DBox3& box) {
    if (box.isEmpty()) return;
    // One that stands in very many columns is asked by itself.
    if ((box.max.x - box.min.x) * (box.max.z - box.min.z) > 4096 * m_cell * m_cell) {
      m_large.push_back({index, box});
      return;
    }
    forCells(box, [&](std::uint64_t cell) { m_cells[cell].push_back({index, box}); });
  }

  /// Those added whose boxes meet the columns of `box`, rising, each once. Thread safe.
  std::vector<std::uint32_t> meeting(const DBox3& box) const {
    std::vector<std::uint32_t> out;
    const auto take = [&](const std::vector<Entry>& entries) {
      for (const Entry& e : entries)
        if (e.box.meetsFromAbove(box)) out.push_back(e.index);
    };
    take(m_large);
    if (!box.isEmpty()) {
      const double columns = ((box.max.x - box.min.x) / m_cell + 1) * ((box.max.z - box.min.z) / m_cell + 1);
      if (columns > 4 * static_cast<double>(m_cells.size()))
        for (const auto& [cell, entries] : m_cells) take(entries);
      else
        forCells(box, [&](std::uint64_t cell) {
          if (const auto found = m_cells.find(cell); found != m_cells.end()) take(found->second);
        });
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
  }

 private:
  struct Entry {
    std::uint32_t index;
    DBox3 box;
  };
  template <typename Visit>
  void forCells(const DBox3& box, Visit visit) const {
    const auto of = [&](double at) { return static_cast<std::int64_t>(std::floor(at / m_cell)); };
    for (std::int64_t x = of(box.min.x); x <= of(box.max.x); ++x)
      for (std::int64_t z = of(box.min.z); z <= of(box.max.z); ++z)
        visit(hashOf(static_cast<std::uint64_t>(x), static_cast<std::uint64_t>(z)));
  }

  double m_cell = 1;  // m
  std::unordered_map<std::uint64_t, std::vector<Entry>> m_cells;
  std::vector<Entry> m_large;
};

}  // namespace arvesk
