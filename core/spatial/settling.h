// Loose things that fall straight until they lie on the ground or on each other.
#pragma once

#include "core/base/task.h"
#include "core/geometry/surface.h"
#include "core/spatial/placed_mesh.h"

namespace arvesk {

struct Settled {
  enum How : std::uint8_t { kOnGround, kOnOthers, kOnNothing };  // what is on nothing stays where it is
  std::vector<DVec3> move;                                       // m, by loose thing
  std::vector<How> how;
};

/// All at once, straight down from where they are: each until it touches the ground (faces that look up), one of
/// `standing`, or another one. What hooks into each other stays so. Nothing goes into another thing that is not in it
/// already. Without `ground` it is level at `floor` m.
Settled letFall(const Task& task, const std::vector<PlacedMesh>& loose, const std::vector<PlacedMesh>& standing,
                const Surface* ground, double floor);

/// One after the other, the lower ones first, from wherever they were put, within each other too: each rolls down what
/// lies there already, where that is steeper than loose stones lie (see Heap), and goes down until it touches the
/// ground, one of `standing`, or one that lies already. What begins within one of these, or under the ground, is lifted
/// onto it, so that none overlap afterward. Bodies count as wholes from above and below, but for those that hook into
/// each other where they are.
Settled settle(const Task& task, const std::vector<PlacedMesh>& loose, const std::vector<PlacedMesh>& standing,
               const Surface* ground, double floor);

}  // namespace arvesk
