// Several sets of points as one. Merge and Output share it.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

/// One after the other. The first keeps its ids, the others are keyed anew with their slot's permanent uid, so that ids
/// stay unique and stay the same when other inputs come or go. Kits are united by prop.
Result<PointsPtr> merged(const EvalContext& ctx, const std::vector<Inputs::Link>& links);

/// The same for points of any ids, which must differ: `idOf` gives that of a point of a part.
Result<PointsPtr> oneAfterTheOther(const EvalContext& ctx, const std::vector<const Points*>& parts,
                                   const std::function<std::uint64_t(std::size_t part, std::size_t i)>& idOf);

}  // namespace arvesk::nodes
