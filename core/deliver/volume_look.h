// How a volume is shown: its skin in facets as wide as its voxels, so that coarse shows, and the outline of the true
// body over them.
#pragma once

#include "core/spatial/volume.h"

namespace arvesk {

/// An edge of the skin between two faces: part of the outline where one of them looks at the viewer.
struct SkinEdge {
  Vec3 from;
  Vec3 to;
  Vec3 normal;
  Vec3 other;
};

struct VolumeLook {
  SurfacePtr facets;
  std::vector<SkinEdge> edges;  // none where the skin is an offset, or of too many triangles to be drawn over a picture
  std::vector<std::pair<Vec3, Vec3>> open;  // edges at holes of what it is made of
  std::optional<Problem> problem;           // why there are no facets of its voxel size
  void countBytes(ByteCounter& counter) const {
    counter.add(this, sizeof(*this) + edges.capacity() * sizeof(SkinEdge) + open.capacity() * sizeof(open[0]));
    if (facets) facets->countBytes(counter);
  }
};

/// Made when asked for the first time; null after a cancel. Where there would be too many voxels the facets are the
/// skin's own triangles, of an offset none.
std::shared_ptr<const VolumeLook> lookOf(const VolumePtr& volume, const Task& task);

}  // namespace arvesk
