// Lines of numbers in files: words parted by blanks; what is as usual at the end is left out.
#pragma once

#include "core/base/number_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>

namespace arvesk {

/// The next word; the line is what comes after it.
inline std::string_view takeWord(std::string_view& line) {
  const std::size_t begin = std::min(line.find_first_not_of(' '), line.size());
  const std::size_t end = std::min(line.find(' ', begin), line.size());
  const std::string_view word = line.substr(begin, end - begin);
  line.remove_prefix(end);
  return word;
}

/// A whole number; false where the next word is none.
template <typename T>
bool takeWhole(std::string_view& line, T& out, int base = 10) {
  const std::string_view word = takeWord(line);
  const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), out, base);
  return !word.empty() && error == std::errc() && end == word.data() + word.size();
}

/// The numbers that the line holds, in place of the first of `out`; false where a word is none, is beyond what is
/// possible, or there are too many.
template <std::size_t N>
bool takeNumbers(std::string_view line, std::array<float, N>& out) {
  constexpr float kFarthest = 1e7F;  // m; what is farther has no place that a float can say
  for (std::size_t i = 0;; ++i) {
    const std::string_view word = takeWord(line);
    if (word.empty()) return true;
    const auto number = i < N ? numberIn<float>(word) : std::nullopt;
    if (!number || std::abs(*number) > kFarthest) return false;
    out[i] = *number;
  }
}

template <std::size_t N>
void writeNumbers(std::string& line, const std::array<float, N>& numbers, const std::array<float, N>& usual) {
  std::size_t count = N;
  while (count > 0 && numbers[count - 1] == usual[count - 1]) --count;
  for (std::size_t i = 0; i < count; ++i) line += fmt::format(" {}", numbers[i] + 0.0F);  // no −0
}

/// Two floats as one number to hash.
inline std::uint64_t bitsOf(float a, float b) {
  std::uint32_t x = 0;
  std::uint32_t y = 0;
  std::memcpy(&x, &a, sizeof x);
  std::memcpy(&y, &b, sizeof y);
  return std::uint64_t{x} << 32 | y;
}

/// The number of an item in a list, from 1; it is taken up if it is new.
template <typename T>
std::uint32_t numberInList(std::vector<T>& list, const T& item) {
  const auto it = std::find(list.begin(), list.end(), item);
  if (it != list.end()) return static_cast<std::uint32_t>(it - list.begin()) + 1;
  list.push_back(item);
  return static_cast<std::uint32_t>(list.size());
}

}  // namespace arvesk
