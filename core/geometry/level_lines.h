// Level lines of a surface: where it is as high as given levels, as lines that run on over its triangles.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

/// Heights (m, rising) with numbers that count on from `first`.
struct Levels {
  std::int32_t first = 0;
  std::vector<double> heights;
  double heightOf(std::int32_t level) const { return heights[static_cast<std::size_t>(level - first)]; }
};

/// All multiples of `step` (m, above 0) that the surface reaches; the level's number is the multiple. Nothing when
/// there are more than `most`.
std::optional<Levels> levelsByStep(const Surface& surface, double step, double most);

/// Levels that lie `apart` m from each other along the ground, on the mean: the area between two of them is `apart`
/// times the length of a line between them. That is the height h with ∫ a / l dh = a multiple of `apart`, where l is
/// the length of the level line at a height and a the area of the ground per height there (each piece of line over the
/// sine of its slope, as the coarea formula has it). Counted from height 0, or from the end of the ground that is
/// nearest to it. Level areas have no lines and do not count. Nothing when there are more than `most`.
std::optional<Levels> levelsByDistance(const Surface& surface, double apart, double most);

struct LevelPlace {
  Vec3 position{0};
  std::uint32_t triangle = 0;  // that the way from here on lies on
};

struct LevelLine {
  std::int32_t level = 0;
  bool isClosed = false;
  std::vector<LevelPlace> places;  // at least two; of a closed line the last one is the first again
};

/// The lines at all `levels`, with what is higher at their left seen from outside the surface. In order of levels, then
/// as they begin in the surface; a height that is exactly a vertex's counts that vertex as above ("marching" over
/// triangles, so lines never cross or branch on a surface whose edges have two triangles at most). Level areas have no
/// line. More than `most` places: an empty list and `isTooMany` set.
std::vector<LevelLine> levelLinesOf(const Surface& surface, const Levels& levels, double most, bool& isTooMany);

/// Places on a line at a distance (m) from its start, with the triangle that each lies on.
LevelPlace placeOn(const LevelLine& line, double distance);
double lengthOf(const LevelLine& line);

}  // namespace arvesk
