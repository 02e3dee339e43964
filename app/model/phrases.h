// Sentences of one language told in another, where only their patterns are known: "12 points found no ground" by
// "{} points found no ground".
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace arvesk {

/// The core says what it has to say in English, with numbers and names in it already, and does not know who listens.
/// Here its patterns are found again: gaps are what stands in braces in fmt's syntax. A pattern that begins with a
/// space or a mark also continues another sentence ("Vary" + " · turned"), one that ends with a space is continued.
class Phrases {
 public:
  /// `to` has the gaps of `from`, in their order or by their number ({1}). What fills a gap that is written {=} there
  /// is a name and goes over as it is.
  void add(std::string_view from, std::string_view to);
  /// After the last add.
  void sort();
  /// The words as they are where no pattern fits. What fills a gap is told in turn, but for numbers and what stands in
  /// quotes.
  std::string said(std::string_view words) const;
  /// What of it no pattern knows: names, or what was forgotten.
  std::vector<std::string> unknownIn(std::string_view words) const;

 private:
  struct Pattern {
    std::vector<std::string> pieces;  // gaps lie between them
    std::vector<bool> isNumber;       // of each gap
    std::string to;
    std::size_t weight = 0;  // letters; the more, the surer
  };
  struct Told {
    std::string words;
    std::size_t left = 0;              // letters that no pattern knew
    std::vector<std::string> unknown;  // where they stand
  };
  using Known = std::map<std::string, Told, std::less<>>;
  /// Of several patterns the one that leaves the least.
  Told told(std::string_view words, int depth, Known& known) const;
  Told filled(const Pattern& pattern, const std::vector<std::string_view>& gaps, int depth, Known& known) const;
  bool fits(const Pattern& pattern, std::string_view words, std::vector<std::string_view>& gaps) const;

  std::map<std::string, std::string, std::less<>> m_whole;
  std::vector<Pattern> m_patterns;
};

}  // namespace arvesk
