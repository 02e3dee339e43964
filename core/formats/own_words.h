// What libraries throw, in words for people: theirs name functions and ranges of vectors.
#pragma once

#include <nlohmann/json.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <new>
#include <stdexcept>
#include <string>
#include <string_view>

namespace arvesk {

/// Why a text is no JSON: the line and column, from 1, of what cannot be read.
inline std::string whyNotJson(const nlohmann::json::exception& e, std::string_view text) {
  const auto* parse = dynamic_cast<const nlohmann::json::parse_error*>(&e);
  if (!parse) return "a value is of another kind than it should be";
  const std::size_t at = std::min(text.size(), parse->byte == 0 ? 0 : parse->byte - 1);
  const std::string_view before = text.substr(0, at);
  const auto line = std::count(before.begin(), before.end(), '\n') + 1;
  const std::size_t lastBreak = before.rfind('\n');
  const std::size_t column = lastBreak == std::string_view::npos ? at + 1 : at - lastBreak;
  if (at >= text.size()) return fmt::format("it breaks off in line {}", line);
  return fmt::format("line {}, column {} is not as JSON is written", line, column);
}

/// Of what a reader threw. Errors of logic are files that name what they do not hold.
inline std::string inOwnWords(const std::exception& e) {
  if (dynamic_cast<const std::bad_alloc*>(&e)) return "there is not enough memory for it";
  if (dynamic_cast<const nlohmann::json::exception*>(&e)) return "its text is not as JSON is written";
  if (dynamic_cast<const std::logic_error*>(&e)) return "it refers to what is not in it";
  if (dynamic_cast<const std::filesystem::filesystem_error*>(&e)) return "a file that it names cannot be reached";
  return e.what();
}

}  // namespace arvesk
