// Draws of one node: pure functions of seed, node, point id and the name of what is drawn. Never a stream, so that
// adding, removing or moving one point changes no other point's values.
#pragma once

#include "core/base/hash.h"

namespace arvesk {

class Draw {
 public:
  /// `planSeed` is 0 for a node whose seed is locked; `purpose` names the parameter (and component) that is drawn.
  constexpr Draw(std::uint64_t planSeed, std::uint64_t nodeSeed, std::uint64_t nodeUid, std::string_view purpose)
      : m_key(hashOf(planSeed, nodeSeed, nodeUid, hashText(purpose))) {}

  constexpr std::uint64_t bits(std::uint64_t pointId) const {
    return mix64(m_key ^ pointId);
  }  // the key is mixed already
  constexpr float unit(std::uint64_t pointId) const { return unitFloat(bits(pointId)); }
  /// Uniform between two values, whichever is larger.
  constexpr float between(std::uint64_t pointId, float a, float b) const { return a + (b - a) * unit(pointId); }

 private:
  std::uint64_t m_key;
};

}  // namespace arvesk
