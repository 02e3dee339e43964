// What stands in what: placements whose bodies reach into each other, worst first.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"

namespace arvesk {

struct Meeting {
  struct Side {
    std::uint32_t layer = 0;  // index into the layers asked about
    std::uint32_t point = 0;
    auto operator<=>(const Side&) const = default;
  };
  Side smaller;  // of the two
  Side larger;
  float depth = 0;  // m: the way out of each other
};

struct MeetingReport {
  std::vector<Meeting> worst;  // deepest first, then by layers and points; at most kMost
  static constexpr std::size_t kMost = 2000;
  std::size_t pairs = 0;       // deeper than asked for
  std::size_t placements = 0;  // in any of them
  std::size_t checked = 0;
  std::size_t grown = 0;  // pairs of what grows on a prop with that prop: they belong together and do not count
};

/// By the hulls of their pieces (see Rooms); two count that are `deeperThan` (m) within each other.
MeetingReport checkMeetings(const std::vector<PointsPtr>& layers, float deeperThan, const Task& task);

}  // namespace arvesk
