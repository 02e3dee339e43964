// A range in few words, for the line on a card or tag: "3–9.5", "−2 to 3", "from 3", "up to 2".
#pragma once

#include "core/base/band.h"

#include <fmt/format.h>

#include <string>

namespace arvesk::nodes {

/// `unit` follows the number ("°", " m"). A limit so far out that nothing reaches it is not named.
inline std::string rangeWords(float from, float to, const char* unit) {
  constexpr float kFarOut = 1e5F;
  const auto number = [](float v) { return v < 0 ? fmt::format("\u2212{:g}", -v) : fmt::format("{:g}", v); };
  if (from <= -kFarOut && to >= kFarOut) return "any";
  if (to >= kFarOut) return fmt::format("from {}{}", number(from), unit);
  if (from <= -kFarOut) return fmt::format("up to {}{}", number(to), unit);
  return from < 0 || to < 0 ? fmt::format("{} to {}{}", number(from), number(to), unit)
                            : fmt::format("{}\u2013{}{}", number(from), number(to), unit);
}
inline std::string rangeWords(const Band& band, const char* unit) {
  return rangeWords(band.fullFrom, band.fullTo, unit);
}

}  // namespace arvesk::nodes
