// Flat faces between loops of places, as triangles that use exactly those.
#pragma once

#include "core/base/vec.h"

#include <array>
#include <cstdint>
#include <vector>

namespace arvesk {

using Loop = std::vector<std::uint32_t>;

/// Triangles that fill what lies left of the loops: outer ones run counter-clockwise, holes clockwise. `at` gives where
/// a place lies in the plane. Every place of every loop is a corner, every side of a loop is a side of one triangle,
/// also where places lie on one line or the loops are not as they should be: then triangles have no area, or lie over
/// each other. By ears (Meisters, "Polygons have ears", 1975), holes joined to what holds them by bridges (Eberly,
/// "Triangulation by ear clipping", 1998).
std::vector<std::array<std::uint32_t, 3>> fillLoops(const std::vector<Loop>& loops,
                                                    const std::vector<std::vector<glm::dvec2>>& at);

}  // namespace arvesk
