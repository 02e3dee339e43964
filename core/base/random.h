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

/// Uniform between two values by u in [0, 1). With a step: one of from, from ± step … up to `to`, each equally likely,
/// the ends too. `period` (360 of degrees) is where values come round to the same, which then counts once; 0: nowhere.
inline float steppedBetween(float u, float from, float to, float step, float period = 0) {
  if (!(step > 0) || from == to) return from + (to - from) * u;
  const float range = to > from ? to - from : from - to;
  auto count = static_cast<int>(range / step + 1e-3F) + 1;
  if (period > 0 && count > 1) {
    const float last = static_cast<float>(count - 1) * step;
    const float turns = last / period;
    if (turns > 0.5F && turns - static_cast<float>(static_cast<int>(turns + 0.5F)) < 1e-3F &&
        static_cast<float>(static_cast<int>(turns + 0.5F)) - turns < 1e-3F)
      --count;
  }
  const int k = static_cast<int>(u * static_cast<float>(count));
  return from + (to > from ? step : -step) * static_cast<float>(k < count ? k : count - 1);
}

}  // namespace arvesk
