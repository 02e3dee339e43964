// What points carry of the surface that they were made on.
#pragma once

#include "core/plan/context.h"

#include <functional>

namespace arvesk::nodes {

/// Names of what a surface has to carry: its vertices' numbers, color, part and material.
std::vector<std::string> carriedNames(const Surface& surface);

/// Gives each point those of them that `isWanted` as they lie at its face, at the weights of the second and third
/// corner.
void carryAttributes(Points& points, const Surface& surface, const Array<std::uint32_t>& face,
                     const std::function<Vec2(std::size_t)>& weightsOf,
                     const std::function<bool(const std::string&)>& isWanted);

}  // namespace arvesk::nodes
