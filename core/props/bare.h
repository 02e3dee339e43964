// Points that have no prop, and what helps them.
#pragma once

#include <fmt/format.h>

#include <string>

namespace arvesk {

/// Dress, or a look at the one that gave them none.
inline std::string bareAdvice(bool isDressed, const char* before = "this node") {
  return isDressed ? std::string("The card of their Dress says why it gave them none")
                   : fmt::format("Put Dress before {}", before);
}

}  // namespace arvesk
