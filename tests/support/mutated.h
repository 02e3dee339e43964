// Files as a bad disk or an enemy would leave them.
#pragma once

#include "core/base/hash.h"

#include <string>

namespace arvesk::test {

/// A few bytes changed, put in or taken away; always the same for a seed.
inline std::string mutated(std::string bad, std::uint64_t seed) {
  auto random = [&, n = std::uint64_t{0}]() mutable { return mix64(seed * 1000 + n++); };
  for (std::uint64_t k = 0; k < 1 + seed % 4; ++k) {
    // The first bytes hold counts and structure, so they are hit more often.
    const std::size_t front = std::min<std::size_t>(bad.size(), 2000);
    const std::size_t at = random() % (random() % 2 ? front : bad.size());
    switch (random() % 4) {
      case 0: bad[at] = static_cast<char>(random()); break;
      case 1: bad[at] = static_cast<char>(bad[at] ^ (1 << (random() % 8))); break;
      case 2: bad.erase(at, random() % 9); break;
      case 3: bad.insert(at, std::string(random() % 5, static_cast<char>(random()))); break;
    }
  }
  if (seed % 10 == 9) bad.resize(bad.size() / 2);
  return bad;
}

}  // namespace arvesk::test
