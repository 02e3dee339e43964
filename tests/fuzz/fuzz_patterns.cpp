// Name patterns: the first line is the patterns, the others are names.
#include "core/base/pattern.h"
#include "tests/fuzz/fuzz.h"

#include <vector>

using namespace arvesk;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  std::vector<std::string> lines(1);
  for (const char c : fuzz::textOf(data, size))
    if (c == '\n')
      lines.emplace_back();
    else
      lines.back().push_back(c);
  const Patterns patterns(lines.front());
  const std::vector<std::string> names(lines.begin() + 1, lines.end());
  const std::vector<std::string> left = patterns.unmatched(names);
  (void)nearestName(lines.front(), names);
  for (const std::string& name : names) {
    if (patterns.match(name)) fuzz::require(!patterns.isEmpty(), "what matches is an entry");
    fuzz::require(Patterns(asLiteral(name)).match(name) || name.empty(), "a literal fits its name");
    fuzz::require(Patterns(asTyped(name)).match(name) || name.empty(), "what is typed fits its name");
    for (const std::string& other : names)
      if (other != name) fuzz::require(!Patterns(asLiteral(name)).match(other), "and no other");
  }
  return 0;
}
