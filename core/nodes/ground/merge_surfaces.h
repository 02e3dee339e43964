// Several surfaces as one; Merge surfaces and Output share it.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

/// Names and materials stay apart. Fails when there would be more of them, or more vertices, than a surface can hold.
Result<SurfacePtr> mergedSurfaces(const EvalContext& ctx, const std::vector<Inputs::Link>& links);

}  // namespace arvesk::nodes
