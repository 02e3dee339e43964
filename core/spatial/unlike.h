// One of several kinds for each point, so that near ones differ as far as can be.
#pragma once

#include "core/base/random.h"
#include "core/base/task.h"
#include "core/geometry/points.h"

#include <functional>

namespace arvesk {

struct UnlikeNeighbors {
  Array<std::int32_t> kind;  // per point, as `choose` says
  std::size_t equal = 0;     // points that have one of their own kind within the distance
};

/// Points choose one after the other, in an order drawn by id: each sees how far the nearest one of every kind is that
/// chose before it, m, infinite beyond `distance`; choose(point, those distances) gives its kind (below 0: none). The
/// result is that of doing so one by one, for any number of threads (rounds as in keepByPriority).
UnlikeNeighbors chooseUnlike(const Task& task, const Points& points, const Draw& order, float distance,
                             std::size_t kinds,
                             const std::function<std::int32_t(std::size_t, const std::vector<float>&)>& choose);

/// How many pairs lie within the distance, from a sample of the points: what to guard against.
double pairsWithin(const Points& points, float distance);

}  // namespace arvesk
