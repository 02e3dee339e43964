// What breaks loose with what is hit: by what each piece lies against, and what holds the whole.
#pragma once

#include "core/spatial/touching.h"

namespace arvesk {

enum class Follows {
  None,      // what is hit, and nothing else
  Unheld,    // and what nothing holds any more
  Weakened,  // and what lost too much of its hold, again and again; and what nothing holds then
};

struct HoldRule {
  Follows follows = Follows::Unheld;
  double lostShare = 0.5;  // of Weakened: of the area that a piece lies against others with
  double leastArea = 0;    // m²: pieces that meet by less do not hold each other
};

enum class Broke : std::uint8_t { No, Hit, Follows };

/// By piece. `isHeld`: by itself, such as by the ground. What was held by nothing before stays where it is.
std::vector<Broke> brokenLoose(const std::vector<Touch>& touches, const std::vector<std::uint8_t>& isHit,
                               const std::vector<std::uint8_t>& isHeld, const HoldRule& rule);

/// Which hang together, by number of the group; areas below the least do not count.
std::vector<std::uint32_t> groupsOf(const std::vector<Touch>& touches, std::size_t count, double leastArea);

}  // namespace arvesk
