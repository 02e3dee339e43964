#include "core/formats/own_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <new>
#include <stdexcept>
#include <vector>

namespace arvesk {
namespace {

/// A reason by what occurs in the library's text, in small letters and without blanks; the first that fits counts.
struct Reason {
  std::string_view part;
  std::string words;
};

const std::vector<Reason>& reasons() {
  static const std::vector<Reason> all = [] {
    const std::string breaksOff = "it breaks off before its end";
    const std::string otherKind = "it is of another kind than its name says";
    const std::string version = "it is of a version that is not read";
    const std::string memory = "there is not enough memory for it";
    const std::string named = "a file that it names cannot be reached";
    return std::vector<Reason>{
        {"outofmemory", memory},  {"bad_alloc", memory},       {"nosuitablereader", otherKind},
        {"magic", otherKind},     {"signature", otherKind},    {"unexpectedend", breaksOff},
        {"endoffile", breaksOff}, {"toosmall", breaksOff},     {"tooshort", breaksOff},
        {"truncated", breaksOff}, {"premature", breaksOff},    {"readerror", breaksOff},
        {"fileversion", version}, {"invalidversion", version}, {"unsupported", "it holds something that is not read"},
        {"toopen", named},        {"nosuchfile", named},       {"fileisempty", "it is empty"}};
  }();
  return all;
}

}  // namespace

std::string whyNotJson(const nlohmann::json::exception& e, std::string_view text) {
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

std::string inOwnWords(const std::exception& e) {
  if (dynamic_cast<const std::bad_alloc*>(&e)) return "there is not enough memory for it";
  if (dynamic_cast<const nlohmann::json::exception*>(&e)) return "its text is not as JSON is written";
  if (dynamic_cast<const std::logic_error*>(&e)) return "it refers to what is not in it";
  if (dynamic_cast<const std::filesystem::filesystem_error*>(&e)) return "a file that it names cannot be reached";
  return inOwnWords(std::string_view(e.what()));
}

std::string inOwnWords(std::string_view libraryText) {
  constexpr std::size_t kLongest = 120;
  std::string line;  // printable, blanks for the rest, and no quotes that would end ours
  for (const char c : libraryText.substr(0, libraryText.find('\n', libraryText.find_first_not_of(" \r\n\t")))) {
    const bool isBlank = static_cast<unsigned char>(c) <= ' ';
    if (isBlank && (line.empty() || line.back() == ' ')) continue;
    if (line.size() >= kLongest && (isBlank || line.size() > 2 * kLongest)) {
      line += "…";
      break;
    }
    line += isBlank ? ' ' : c == '"' ? '\'' : c;
  }
  while (!line.empty() && (line.back() == ' ' || line.back() == '.')) line.pop_back();
  if (line.empty()) return "it is damaged";
  std::string lower;
  for (const char c : line)
    if (c != ' ') lower += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  const auto it = std::find_if(reasons().begin(), reasons().end(),
                               [&](const Reason& r) { return lower.find(r.part) != std::string::npos; });
  return fmt::format("{}; its reader says \"{}\"", it == reasons().end() ? "it is damaged" : it->words, line);
}

}  // namespace arvesk
