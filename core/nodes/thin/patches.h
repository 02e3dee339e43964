// Patches: points used for the area their footprint covers. Keep in and Keep out share this.
#pragma once

#include "core/plan/context.h"
#include "core/spatial/body.h"
#include "core/spatial/outline.h"
#include "core/spatial/point_grid.h"
#include "core/spatial/surface_index.h"

namespace arvesk::nodes {

struct AreaRule {
  Outline outline;
  float margin = 0;  // m
  bool isFromAbove = true;
  float limit = 0.5F;  // of the mask
};

struct Holder {
  std::size_t set = 0;      // which of the joined point sets
  std::uint32_t index = 0;  // in that set
  std::uint64_t id = 0;
  float distance = std::numeric_limits<float>::infinity();  // normalized: below 1 is inside
};

/// All joined patches, found by place.
class Patches {
 public:
  Patches(const std::vector<PointsPtr>& sets, const AreaRule& rule);
  /// The patch with the smallest normalized distance below 1, ties by the lower id; nothing when none holds the place.
  std::optional<Holder> holderOf(const Vec3& place) const;
  /// Does any patch hold the place?
  bool holds(const Vec3& place) const;
  /// The nearest patch, whether or not it holds the place, within the patches' reach.
  std::optional<Holder> nearestOf(const Vec3& place) const;
  /// Where each patch ends, in its plane or level when seen from above; of `most` at most.
  std::vector<AreaRim> rims(std::size_t most) const;

 private:
  float normalized(const Points& patches, std::uint32_t i, const Vec3& place, float atMost) const;
  std::optional<Holder> nearestOf(const Vec3& place, float below) const;

  std::vector<PointsPtr> m_sets;
  AreaRule m_rule;
  struct Ref {
    std::size_t set;
    std::uint32_t index;
  };
  std::vector<Ref> m_refs;
  std::vector<PointGrid> m_grids;
};

/// Inside of what a surface surrounds (see Body), or under or above it when seen from above.
class InsideTest {
 public:
  /// Inside of nothing after a cancel.
  InsideTest(const SurfacePtr& surface, bool isFromAbove, float margin, const Task& task);
  bool holds(const Vec3& place) const;

 private:
  std::shared_ptr<const SurfaceIndex> m_index;
  std::shared_ptr<const Body> m_body;
  bool m_isFromAbove;
  float m_margin;
};

}  // namespace arvesk::nodes
