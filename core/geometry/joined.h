// Several sets of points as one.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"

#include <functional>
#include <vector>

namespace arvesk {

/// One after the other; attributes are united, kits by prop. `idOf` gives the id of a point of a part; all must differ.
/// Null after a cancel.
PointsPtr oneAfterTheOther(const Task& task, const std::vector<const Points*>& parts,
                           const std::function<std::uint64_t(std::size_t part, std::size_t i)>& idOf);

/// A filter's points and what it left out, with those that a hand keeps on the side of what stays; both as they were
/// where none is left out.
void keepWhatIsKept(const Task& task, PointsPtr& staying, PointsPtr& leftOut);

}  // namespace arvesk
