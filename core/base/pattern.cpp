#include "core/base/pattern.h"

namespace arvesk {

bool matches(std::string_view pattern, std::string_view text) {
  std::size_t p = 0;
  std::size_t t = 0;
  std::size_t star = std::string_view::npos;
  std::size_t mark = 0;
  while (t < text.size()) {
    if (p < pattern.size() && (pattern[p] == '?' || pattern[p] == text[t]) && pattern[p] != '*') {
      ++p;
      ++t;
    } else if (p < pattern.size() && pattern[p] == '*') {
      star = p++;
      mark = t;
    } else if (star != std::string_view::npos) {  // let the last star take one more character
      p = star + 1;
      t = ++mark;
    } else {
      return false;
    }
  }
  while (p < pattern.size() && pattern[p] == '*') ++p;
  return p == pattern.size();
}

Patterns::Patterns(std::string_view text) {
  Entry entry;
  bool isQuoted = false;
  const auto close = [&] {
    const std::size_t begin = entry.text.find_first_not_of(" \t\n");
    if (entry.isLiteral || begin != std::string::npos) {
      if (!entry.isLiteral) entry.text = entry.text.substr(begin, entry.text.find_last_not_of(" \t\n") - begin + 1);
      m_entries.push_back(std::move(entry));
    }
    entry = {};
  };
  for (const char c : text) {
    if (c == '"') {
      isQuoted = !isQuoted;
      if (isQuoted) entry.text.clear();  // what stands before a quote is space
      entry.isLiteral = true;
    } else if (c == ';' && !isQuoted) {
      close();
    } else if (isQuoted || !entry.isLiteral) {
      entry.text += c;
    }
  }
  close();
}

bool Patterns::Entry::fits(std::string_view name) const { return isLiteral ? name == text : matches(text, name); }

bool Patterns::match(std::string_view name) const {
  for (const Entry& entry : m_entries)
    if (entry.fits(name)) return true;
  return false;
}

std::vector<std::string> Patterns::unmatched(const std::vector<std::string>& names) const {
  std::vector<std::string> out;
  for (const Entry& entry : m_entries) {
    bool isFound = false;
    for (const std::string& name : names) isFound = isFound || entry.fits(name);
    if (!isFound) out.push_back(entry.text);
  }
  return out;
}

}  // namespace arvesk
