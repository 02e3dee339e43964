// A pair of functions to compare, and made-up inputs. Names are "subject/ours" and "subject/baseline".
#pragma once

#include "core/geometry/points.h"
#include "core/geometry/surface.h"

#include <benchmark/benchmark.h>

#include <functional>
#include <string>

namespace arvesk::bench {

/// `wanted`: "≥ 25×" and the like, as it stands in the issue; `isFaster` tells whether the ratio is baseline/ours or
/// ours/baseline.
struct Pair {
  std::string subject;
  std::string baseline;  // what it is measured against
  bool isFaster;         // true: how many times faster; false: how many times the baseline's time
  double limit;
  std::function<void()> ours;
  std::function<void()> reference;
};
void add(Pair pair);

void addSow();
void addClearance();
void addSetDown();
void addNoise();
void addMasks();
void addPicture();
void addDressing();
void addEvaluation();
void addBody();
void addBreaking();
void addByHand();
void addCourses();
void addVolumes();
void addHaze();
void addTime();
void addPlaying();

/// Hilly ground of 2 · n² triangles over `extent` m.
SurfacePtr ground(int n, float extent);
/// Points over `extent` × `extent` m with footprints between two radii.
Points points(std::size_t count, float extent, float smallest, float largest);

}  // namespace arvesk::bench
