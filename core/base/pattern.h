// Name patterns with * (any text) and ? (any one character).
#pragma once

#include <string_view>

namespace arvesk {

bool matches(std::string_view pattern, std::string_view text);
/// Several patterns, separated by spaces or commas; one that matches is enough.
bool matchesAny(std::string_view patterns, std::string_view text);

}  // namespace arvesk
