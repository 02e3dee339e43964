#include "app/model/phrases.h"

#include <algorithm>
#include <array>
#include <cctype>

namespace arvesk {
namespace {

constexpr int kDeepest = 6;
constexpr int kTries = 6;  // patterns that fit the same words

std::size_t lettersIn(std::string_view s) {
  return static_cast<std::size_t>(
      std::count_if(s.begin(), s.end(), [](unsigned char c) { return std::isalpha(c) || c >= 0x80; }));
}

/// The text between gaps, and for each gap whether it is written as a number.
struct Parts {
  std::vector<std::string> pieces{std::string()};
  std::vector<bool> isNumber;
  std::vector<int> number;   // that the gap names, or −1
  std::vector<bool> isName;  // "{=}": never told
};

Parts cutAtGaps(std::string_view s) {
  Parts out;
  for (std::size_t i = 0; i < s.size(); ++i) {
    const bool isDouble = i + 1 < s.size() && s[i + 1] == s[i];
    if ((s[i] == '{' || s[i] == '}') && isDouble) {
      out.pieces.back() += s[i++];
      continue;
    }
    if (s[i] != '{') {
      out.pieces.back() += s[i];
      continue;
    }
    const std::size_t begin = ++i;
    for (int open = 1; i < s.size(); ++i) {
      open += s[i] == '{' ? 1 : s[i] == '}' ? -1 : 0;
      if (open == 0) break;
    }
    const std::string_view spec = s.substr(begin, i - begin);
    out.isNumber.push_back(spec.find(':') != std::string_view::npos);
    out.number.push_back(!spec.empty() && std::isdigit(static_cast<unsigned char>(spec[0])) ? spec[0] - '0' : -1);
    out.isName.push_back(spec.ends_with('='));
    out.pieces.emplace_back();
  }
  return out;
}

bool isNumber(std::string_view s) {
  return !s.empty() &&
         (s.find_first_of("0123456789") != std::string_view::npos || s.ends_with("nan") || s.ends_with("inf")) &&
         s.find_first_not_of("0123456789.,+-eEnaif") == std::string_view::npos;
}

bool isMark(char c) { return c == ' ' || c == ',' || c == ';' || c == ':'; }

}  // namespace

void Phrases::add(std::string_view from, std::string_view to) {
  if (to.empty()) return;
  m_whole.insert_or_assign(std::string(from), std::string(to));
  // Another sentence before and behind is a gap like any other; in the translation too.
  std::string english(from);
  std::string other(to);
  const bool goesOn = isMark(from.front());
  const bool isBegun = from.size() > 1 && from.back() == ' ';
  const int gaps = static_cast<int>(cutAtGaps(from).isNumber.size());
  if (goesOn) {
    english = "{}" + english;
    std::string shifted;  // numbered gaps come one later
    const Parts cut = cutAtGaps(to);
    for (std::size_t k = 0; k < cut.pieces.size(); ++k) {
      shifted += cut.pieces[k];
      if (k >= cut.number.size()) continue;
      shifted += cut.number[k] < 0 ? "{" : "{" + std::to_string(cut.number[k] + 1);
      shifted += cut.isName[k] ? "=}" : "}";
    }
    other = "{" + std::string(cut.number.empty() || cut.number[0] < 0 ? "" : "0") + "}" + shifted;
  }
  if (isBegun) {
    english += "{}";
    other += gaps > 0 && other.find("{0}") != std::string::npos ? "{" + std::to_string(gaps + goesOn) + "}" : "{}";
  }
  Parts cut = cutAtGaps(english);
  if (cut.isNumber.empty()) return;
  Pattern p{std::move(cut.pieces), std::move(cut.isNumber), std::move(other), 0};
  for (const std::string& piece : p.pieces) p.weight += lettersIn(piece);
  if (p.weight > 0) m_patterns.push_back(std::move(p));
}

void Phrases::sort() {
  std::stable_sort(m_patterns.begin(), m_patterns.end(),
                   [](const Pattern& a, const Pattern& b) { return a.weight > b.weight; });
}

bool Phrases::fits(const Pattern& p, std::string_view words, std::vector<std::string_view>& gaps) const {
  const std::string& first = p.pieces.front();
  const std::string& last = p.pieces.back();
  if (words.size() < first.size() + last.size() || !words.starts_with(first) || !words.ends_with(last)) return false;
  gaps.assign(p.isNumber.size(), {});
  const std::size_t end = words.size() - last.size();
  // Depth first: the shortest filling of each gap that lets the rest fit.
  const auto fill = [&](const auto& self, std::size_t gap, std::size_t from) -> bool {
    const auto isRight = [&](std::string_view s) { return !p.isNumber[gap] || isNumber(s); };
    if (gap + 1 == p.isNumber.size()) {
      gaps[gap] = words.substr(from, end - from);
      return from <= end && isRight(gaps[gap]);
    }
    const std::string& next = p.pieces[gap + 1];
    // Two gaps side by side: the first has it all.
    if (next.empty()) {
      for (std::size_t at = end + 1; at-- > from;) {
        gaps[gap] = words.substr(from, at - from);
        if (isRight(gaps[gap]) && self(self, gap + 1, at)) return true;
      }
      return false;
    }
    for (std::size_t at = words.find(next, from); at != std::string_view::npos && at + next.size() <= end;
         at = words.find(next, at + 1)) {
      gaps[gap] = words.substr(from, at - from);
      if (isRight(gaps[gap]) && self(self, gap + 1, at + next.size())) return true;
    }
    return false;
  };
  return fill(fill, 0, first.size());
}

std::string Phrases::said(std::string_view words) const {
  Known known;
  return told(words, 0, known).words;
}

std::vector<std::string> Phrases::unknownIn(std::string_view words) const {
  Known known;
  return told(words, 0, known).unknown;
}

Phrases::Told Phrases::filled(const Pattern& p, const std::vector<std::string_view>& gaps, int depth,
                              Known& known) const {
  const Parts to = cutAtGaps(p.to);
  Told out;
  for (std::size_t k = 0; k < to.pieces.size(); ++k) {
    out.words += to.pieces[k];
    if (k >= to.number.size()) break;
    const std::size_t gap = to.number[k] < 0 ? k : static_cast<std::size_t>(to.number[k]);
    if (gap >= gaps.size()) continue;
    const bool isName = p.pieces[gap].ends_with('"') || to.isName[k];
    const Told in = p.isNumber[gap] || isName ? Told{std::string(gaps[gap]), 0, {}} : told(gaps[gap], depth + 1, known);
    out.words += in.words;
    out.left += in.left;
    out.unknown.insert(out.unknown.end(), in.unknown.begin(), in.unknown.end());
  }
  return out;
}

Phrases::Told Phrases::told(std::string_view words, int depth, Known& known) const {
  if (const auto it = m_whole.find(words); it != m_whole.end()) return {it->second, 0, {}};
  Told best{std::string(words), lettersIn(words), {}};
  if (best.left > 0) best.unknown.emplace_back(words);
  if (words.size() < 2 || depth > kDeepest) return best;
  if (const auto it = known.find(words); it != known.end()) return it->second;
  known.emplace(words, best);  // whoever asks for the same within it
  bool isTold = false;
  const auto take = [&](Told told) {
    if (!isTold || told.left < best.left) best = std::move(told);
    isTold = true;
  };
  std::vector<std::string_view> gaps;
  int tries = 0;
  for (const Pattern& p : m_patterns) {
    if (!fits(p, words, gaps) ||
        std::any_of(gaps.begin(), gaps.end(), [&](auto g) { return g.size() == words.size(); }))
      continue;
    take(filled(p, std::vector<std::string_view>(gaps), depth, known));
    if (best.left == 0 || ++tries == kTries) break;
  }
  // Several sentences in one.
  constexpr std::array<std::string_view, 5> kBetween{" · ", "; ", ". ", ": ", ", "};
  for (const std::string_view mark : kBetween)
    for (std::size_t at = words.find(mark); at != std::string_view::npos && best.left > 0;
         at = words.find(mark, at + 1)) {
      Told a = told(words.substr(0, at), depth + 1, known);
      const Told b = told(words.substr(at + mark.size()), depth + 1, known);
      if (a.left + b.left >= lettersIn(words)) continue;
      a.words += std::string(mark) + b.words;
      a.left += b.left;
      a.unknown.insert(a.unknown.end(), b.unknown.begin(), b.unknown.end());
      take(std::move(a));
    }
  if (!isTold && words.ends_with('.')) {
    best = told(words.substr(0, words.size() - 1), depth + 1, known);
    best.words += '.';
  }
  known.insert_or_assign(std::string(words), best);
  return best;
}

}  // namespace arvesk
