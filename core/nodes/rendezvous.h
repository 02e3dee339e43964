// One of several by lot and weight, so that a change of one weight moves as few points as can be.
#pragma once

#include "core/base/random.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

namespace arvesk::nodes {

/// Weighted rendezvous (Thaler and Ravishankar 1998; weights after Schindelhauer and Schomaker 2005): the smallest
/// −ln(u)/weight wins, u drawn by id and key. Another one, or a larger weight, moves points only to it; a smaller
/// weight moves only its own.
class Rendezvous {
 public:
  explicit Rendezvous(const Draw& draw) : m_draw(draw) {}
  /// `key` says who it is, whatever its place in the list; it is as likely as `weight` against the sum of all.
  void add(std::uint64_t key, float weight) { m_entries.push_back({key, weight}); }

  /// Place in the list of who gets `id`; −1 when no weight is above 0 or `allows(place)` lets none in.
  template <typename Allows>
  std::int32_t chosen(std::uint64_t id, Allows allows) const {
    std::int32_t best = -1;
    float bestScore = std::numeric_limits<float>::infinity();
    for (std::size_t k = 0; k < m_entries.size(); ++k) {
      if (!(m_entries[k].weight > 0) || !allows(k)) continue;
      const float score = -std::log(std::max(m_draw.unit(id ^ m_entries[k].key), 0x1p-25F)) / m_entries[k].weight;
      if (score < bestScore) {
        bestScore = score;
        best = static_cast<std::int32_t>(k);
      }
    }
    return best;
  }
  std::int32_t chosen(std::uint64_t id) const {
    return chosen(id, [](std::size_t) { return true; });
  }

 private:
  struct Entry {
    std::uint64_t key;
    float weight;
  };
  Draw m_draw;
  std::vector<Entry> m_entries;
};

}  // namespace arvesk::nodes
