// Points that push each other apart, and slide over time to where that takes them.
#pragma once

#include "core/plan/context.h"

namespace arvesk::nodes {

struct Pushing {
  int rounds = 8;
  float most = 1;  // m that any goes in all
};

/// Where the points go: each round all step by half of each overlap, from the same standing, so that order and threads
/// do not matter. Apart as seen from above. `radius` in m, `effect` as shares. Their own places after a cancel.
Array<Vec3> pushedApart(const EvalContext& ctx, const Points& points, const Array<float>& radius,
                        const Array<float>& effect, const Pushing& how);

/// Of kinds that remember: each goes on from where it was at the frame before toward `position`, no faster than `pace`
/// (m per s): who makes room slides, though the room that it found may jump. What stands still for a while is where it
/// would be without.
void slideOn(const EvalContext& ctx, const Points& points, float pace, Array<Vec3>& position);

}  // namespace arvesk::nodes
