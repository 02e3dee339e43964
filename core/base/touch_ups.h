// What a hand changed of single placements that rules made, relative to what was made, as a plan keeps it.
#pragma once

#include "core/base/shared_list.h"
#include "core/base/vec.h"

#include <optional>
#include <string>
#include <string_view>

namespace arvesk {

/// Of one placement.
struct TouchUp {
  std::uint64_t id = 0;    // of its point
  bool isRemoved = false;  // it goes
  bool isKept = false;     // it stays, whatever the rules before or after it say
  bool isFree = false;     // moved through the air, not along the ground
  std::uint32_t was = 0;   // its prop when it was touched, from 1 in TouchUps::props; 0: none
  std::uint32_t prop = 0;  // what it is instead, from 1 in TouchUps::props; 0: what it is
  Vec3 at{0};              // where it stood then, m
  Vec3 move{0};            // m
  float lift = 0;          // m, straight up
  Quat turn{1, 0, 0, 0};   // about its place, in the world
  Vec3 size{1};            // factors
  Vec3 tint{0};            // added: turns of the color wheel, saturation and brightness as shares
  // How it stood then, for a kept one whose rule is gone.
  Quat stood{1, 0, 0, 0};
  Vec3 sized{1};
  Vec3 normal = kUp;  // of its ground; unit length
  float height = 0;   // over that ground, along the normal, m
  bool operator==(const TouchUp&) const = default;
  std::uint64_t hashed() const;

  /// Does it change nothing?
  bool isNothing() const;
};

struct TouchUps {
  SharedList<TouchUp> list;
  std::vector<std::string> props;  // uids in the plan's Kit
  bool operator==(const TouchUps&) const = default;

  /// The number that stands for it, taken up if it is new; 0 for none.
  std::uint32_t numberOf(const std::string& prop);
  /// What the number stands for; empty for none.
  const std::string& propOf(std::uint32_t number) const;
};

/// What cannot be in them: two of one point, numbers of no prop; empty when all is well.
std::string faultOf(const TouchUps& touches);

/// One line for a plan's file, and back: what is as usual at its end is left out. Numbers read back as the same floats;
/// nothing where the line is none.
std::string lineOf(const TouchUp& touch);
std::optional<TouchUp> touchUpIn(std::string_view line);

}  // namespace arvesk
