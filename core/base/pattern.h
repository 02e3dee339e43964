// Name patterns, one grammar everywhere: entries separated by ";", * for any text and ? for any one character; in
// double quotes everything is meant as it stands, and two of them are one.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace arvesk {

class Patterns {
 public:
  Patterns() = default;
  explicit Patterns(std::string_view text);
  /// One that fits is enough.
  bool match(std::string_view name) const;
  bool isEmpty() const { return m_entries.empty(); }
  /// The entries that fit none of `names`, as they were typed.
  std::vector<std::string> unmatched(const std::vector<std::string>& names) const;
  /// Patterns that mean `name` where these do not, or the other way round, and of the other `known` names the same as
  /// these: a name that * or ? covers is taken out by naming the others.
  std::string toggled(const std::string& name, const std::vector<std::string>& known) const;

 private:
  struct Entry {
    std::string text;
    bool isLiteral = false;
    bool fits(std::string_view name) const;
  };
  std::vector<Entry> m_entries;
};

/// The pattern that fits `name` and nothing else.
std::string asLiteral(std::string_view name);
/// As `asLiteral` where the grammar asks for it, else the name itself.
std::string asTyped(std::string_view name);

/// The one of `names` that is most like a misspelled `wanted`: fewest letters put in, taken out, changed or swapped
/// (Damerau, "A technique for computer detection and correction of spelling errors", 1964), a third of them at most.
/// Empty: none is.
std::string nearestName(std::string_view wanted, const std::vector<std::string>& names);

bool matches(std::string_view pattern, std::string_view text);
inline bool matchesAny(std::string_view patterns, std::string_view text) { return Patterns(patterns).match(text); }

}  // namespace arvesk
