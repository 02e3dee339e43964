// Sorting of what may be large, over many threads, which ends soon after a cancel (base/task.h).
#pragma once

#include "core/base/task.h"

#include <tbb/parallel_sort.h>

#include <algorithm>

namespace arvesk {
namespace sorting {

/// `before`, which throws Cancelled once the work of the thread that made it is not wanted any more.
template <typename Before>
auto stoppable(Before before) {
  return [before, stop = currentStop()](const auto& a, const auto& b) {
    if (stop.stop_requested()) throw Cancelled();
    return before(a, b);
  };
}

}  // namespace sorting

/// Sorts by `before`, which must tell any two items apart for the result not to depend on the threads.
template <typename Items, typename Before>
void sortLarge(Items& items, Before before) {
  tbb::parallel_sort(items.begin(), items.end(), sorting::stoppable(before));
}

/// The `count` first by `before` to the front, in any order.
template <typename Items, typename Before>
void firstToFront(Items& items, std::size_t count, Before before) {
  std::nth_element(items.begin(), items.begin() + static_cast<std::ptrdiff_t>(count), items.end(),
                   sorting::stoppable(before));
}

}  // namespace arvesk
