// What points made about other points carry of them: the parent's id, its attributes, and its tint.
#pragma once

#include "core/geometry/points.h"

namespace arvesk::nodes {

/// Gives `children` the attribute parent (the id) and the parents' attributes as parent-…; tint and patch keep their
/// name. `parentOf`: child × index into `parents`.
void inherit(Points& children, const Points& parents, const Array<std::uint32_t>& parentOf);

}  // namespace arvesk::nodes
