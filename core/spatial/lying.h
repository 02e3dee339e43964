// The flat sides on which a prop can lie.
#pragma once

#include "core/geometry/prop.h"

namespace arvesk {

struct FlatSide {
  Vec3 outward;    // unit, in the prop's space
  float area = 0;  // m², at size 1, of the faces that look that way and lie outermost
};

/// Sides that nothing of the prop stands out of by more than a fiftieth of its diagonal, the largest first; at most 6,
/// none less than a third of the first. Empty where it has none, as of a ball of fine triangles.
std::vector<FlatSide> flatSidesOf(const Prop& prop);

}  // namespace arvesk
