// Level lines of a surface: where it is as high as multiples of a step, as lines that run on over its triangles.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

struct LevelPlace {
  Vec3 position{0};
  std::uint32_t triangle = 0;  // that the way from here on lies on
};

struct LevelLine {
  std::int32_t level = 0;  // its height is that times the step
  bool isClosed = false;
  std::vector<LevelPlace> places;  // at least two; of a closed line the last one is the first again
};

/// Level lines at all multiples of `step` (m, above 0) counted from height 0, with what is higher at their left seen
/// from outside the surface. In order of levels, then as they begin in the surface; a height that is exactly a vertex's
/// counts that vertex as above ("marching" over triangles, so lines never cross or branch on a surface whose edges have
/// two triangles at most). Level areas have no line. More than `most` places: an empty list and `isTooMany` set.
std::vector<LevelLine> levelLinesOf(const Surface& surface, float step, double most, bool& isTooMany);

/// Places on a line at a distance (m) from its start, with the triangle that each lies on.
LevelPlace placeOn(const LevelLine& line, double distance);
double lengthOf(const LevelLine& line);

}  // namespace arvesk
