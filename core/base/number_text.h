// Numbers typed by people, and told to them: read alike whatever language the machine is set to (the C library's
// readers take a comma for a point there).
#pragma once

#include <charconv>
#include <cmath>
#include <optional>
#include <string>
#include <string_view>

namespace arvesk {

inline std::string_view trimmed(std::string_view text) {
  const std::size_t begin = text.find_first_not_of(" \t\n");
  if (begin == std::string_view::npos) return {};
  return text.substr(begin, text.find_last_not_of(" \t\n") - begin + 1);
}

/// The finite number that `text` is as a whole, with space around it; nothing for anything else.
template <typename T = double>
std::optional<T> numberIn(std::string_view text) {
  text = trimmed(text);
  T out = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
  if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(out)) return {};
  return out;
}

/// The words with their numbers as people read them: 12,345 for 12345 and 1,000,000 for 1e+06. What stands in quotes,
/// and digits that are part of a name, stay.
std::string withGroupedNumbers(std::string_view words);

}  // namespace arvesk
