// Masks that look at the ground and at other things near a place.
#pragma once

#include "core/masks/mask.h"
#include "core/spatial/volume.h"

namespace arvesk {

/// Angle in degrees between the ground's normal and `direction` (unit); with `isTwoSided` the smaller of the angles to
/// it and its opposite.
MaskPtr makeFacingMask(SurfacePtr ground, Vec3 direction, bool isTwoSided, Band bandDeg, MaskFinish finish);

struct DistanceRule {
  bool isFromAbove = false;     // x and z only
  bool isToFootprints = false;  // to the points' rims, not their centers
  bool isToOpenEdges = false;   // of the surface, not its faces
  float edgeDeg = 180;          // and to those where faces meet at more than this
};
/// Distance in m to the nearest of `points` and to `surface`, whichever is nearer; `far` when neither is there.
MaskPtr makeDistanceMask(const std::vector<PointsPtr>& points, const SurfacePtr& surface, DistanceRule rule, float far,
                         Band band, MaskFinish finish, const Task& task = {});

enum class RegionShape { Ball, Box, HalfSpace };
struct Region {
  RegionShape shape = RegionShape::Ball;
  Vec3 center{0};
  Vec3 extent{10};  // full size, m; of a ball its diameters
  Quat turn{1, 0, 0, 0};
  float softness = 1;  // m inside the skin over which it fades
};
/// 1 deep inside, 0 outside, smooth over the softness. A half-space is what lies below the region's own x–z plane.
MaskPtr makeRegionMask(Region region, MaskFinish finish);

/// How many of `points` lie within `radius` m, not counting the asked point itself (by id). Softly, each counts
/// (1 − d²/r²)² at a distance of d: wholly at the place, not at all at the radius.
MaskPtr makeCrowdingMask(const std::vector<PointsPtr>& points, float radius, bool isFromAbove, bool isSoft, Band band,
                         MaskFinish finish);

/// Cosine-weighted share of the half sky about world up (or the place's normal) that rays see within `reach` m. `rays`
/// directions from a golden-angle spiral (Swinbank and Purser, "Fibonacci grids", 2006), the same for every place, so
/// that nothing depends on order.
MaskPtr makeOpennessMask(const SurfacePtr& ground, const std::vector<PointsPtr>& placements, int rays, float reach,
                         bool isAboutNormal, Band band, MaskFinish finish, const Task& task = {});

/// Mean height of the ground within `radius` m minus the place's own, along its normal, over the radius: above 0
/// hollow, below 0 ridge. Heights come from rays along the normal, through `samples` places of a disk; places without
/// ground do not count.
MaskPtr makeHollowsMask(SurfacePtr ground, float radius, int samples, Band band, MaskFinish finish);

/// How deep a place lies under the skin of `volume`, m; below 0 outside. `depth` is the volume's own.
MaskPtr makeDepthMask(VolumePtr volume, std::shared_ptr<const DepthField> depth, Band band, MaskFinish finish);
/// How dense it is at a place, per m.
MaskPtr makeDensityMask(DensityPtr density, Band band, MaskFinish finish);

}  // namespace arvesk
