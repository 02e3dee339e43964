// What hovers and what is buried: per placement the gap between its foot and the ground.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/geometry/surface.h"

namespace arvesk {

struct StandingRule {
  float hoverOver = 0.02F;  // m: a lowest gap above this hovers
  float buriedOver = 0.9F;  // share of the placement's own height that may lie below the ground
};

struct StandingFault {
  std::uint32_t layer = 0;  // index into the layers asked about
  std::uint32_t point = 0;
  bool isBuried = false;
  float gap = 0;      // m: of the lowest place of its foot above ground; of buried ones how deep the top lies (below 0)
  float badness = 0;  // worst first: m beyond what is allowed
};

struct StandingReport {
  std::vector<StandingFault> faults;  // worst first, then by layer and point
  std::size_t checked = 0;
  std::size_t onProps = 0;        // stand on other props, not on ground: not checked
  std::size_t inVolumes = 0;      // fill a volume and were never set down: not checked
  std::size_t withoutGround = 0;  // nothing above or below them
  std::size_t inCourses = 0;      // lie in the cells of Courses: not checked for ground, but against their cells
  std::size_t withGaps = 0;       // of those: shorter than their cell by more than a tenth, along a row or across it
  std::size_t overlapping = 0;    // longer by more than a tenth
  std::size_t hovering = 0;
  std::size_t buried = 0;
};

/// Asks for the ground straight under (or over) a few vertices of each placement's foot and top, as turned and sized:
/// the extreme ones of the real mesh along eight directions. The nearest of `grounds` counts.
StandingReport checkStanding(const std::vector<PointsPtr>& layers, const std::vector<SurfacePtr>& grounds,
                             const StandingRule& rule, const Task& task);

}  // namespace arvesk
