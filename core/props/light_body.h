// Light convex bodies of props, for what falls and collides elsewhere.
#pragma once

#include "core/geometry/prop.h"

namespace arvesk {

/// The convex hull of a prop, closed, faces outward, about its pivot in meters; of at most `mostCorners` corners, then
/// of those that lie farthest out in as many directions all around. By Quickhull (Barber, Dobkin and Huhdanpaa, "The
/// Quickhull algorithm for convex hulls", 1996; libqhull). Null where all its vertices lie in one plane.
SurfacePtr lightBodyOf(const Prop& prop, std::size_t mostCorners = 64);

}  // namespace arvesk
