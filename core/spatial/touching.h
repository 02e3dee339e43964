// Which placements lie against each other, and by how much.
#pragma once

#include "core/base/task.h"
#include "core/spatial/placed_mesh.h"

namespace arvesk {

/// Two placements, a < b.
struct Touch {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  double area = 0;  // m²
};

/// All pairs whose faces look at each other, to within 15°, no farther apart than `gap` m: the area is what they cover
/// of each other there. By a, then b.
std::vector<Touch> touchesOf(const Task& task, const std::vector<PlacedMesh>& meshes, double gap);

}  // namespace arvesk
