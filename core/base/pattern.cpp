#include "core/base/pattern.h"

#include <algorithm>
#include <numeric>

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
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (isQuoted && c == '"' && i + 1 < text.size() && text[i + 1] == '"') {
      entry.text += c;
      ++i;
    } else if (c == '"') {
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

std::string asLiteral(std::string_view name) {
  std::string out = "\"";
  for (const char c : name) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

std::string asTyped(std::string_view name) {
  const bool isPlain = !name.empty() && name.find_first_of(";*?\"\t\n") == std::string_view::npos &&
                       name.front() != ' ' && name.back() != ' ';
  return isPlain ? std::string(name) : asLiteral(name);
}

bool Patterns::Entry::fits(std::string_view name) const { return isLiteral ? name == text : matches(text, name); }

bool Patterns::match(std::string_view name) const {
  for (const Entry& entry : m_entries)
    if (entry.fits(name)) return true;
  return false;
}

std::string Patterns::toggled(const std::string& name, const std::vector<std::string>& known) const {
  std::vector<std::string> out;
  const auto put = [&](const std::string& entry) {
    if (std::find(out.begin(), out.end(), entry) == out.end()) out.push_back(entry);
  };
  for (const Entry& entry : m_entries) {
    if (!entry.fits(name)) {
      put(entry.isLiteral ? asTyped(entry.text) : entry.text);
      continue;
    }
    for (const std::string& other : known)
      if (other != name && entry.fits(other)) put(asTyped(other));
  }
  if (!match(name)) put(asTyped(name));
  std::string words;
  for (const std::string& entry : out) words += (words.empty() ? "" : "; ") + entry;
  return words;
}

std::string nearestName(std::string_view wanted, const std::vector<std::string>& names) {
  std::string best;
  std::size_t fewest = std::max<std::size_t>(1, wanted.size() / 3) + 1;
  for (const std::string& name : names) {
    std::vector<std::size_t> last;
    std::vector<std::size_t> above(name.size() + 1);
    std::vector<std::size_t> row(name.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 1; i <= wanted.size(); ++i) {
      last = above;
      above = row;
      row[0] = i;
      for (std::size_t k = 1; k <= name.size(); ++k) {
        row[k] = std::min({above[k] + 1, row[k - 1] + 1, above[k - 1] + (wanted[i - 1] == name[k - 1] ? 0 : 1)});
        if (i > 1 && k > 1 && wanted[i - 1] == name[k - 2] && wanted[i - 2] == name[k - 1])
          row[k] = std::min(row[k], last[k - 2] + 1);
      }
    }
    if (row.back() >= fewest) continue;
    fewest = row.back();
    best = name;
  }
  return best;
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
