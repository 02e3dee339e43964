// What a file of volumes holds.
#pragma once

#include "core/spatial/density.h"

namespace arvesk {

/// One grid of a file: a density, or the skin of a signed distance.
struct VolumeGrid {
  std::string name;
  DensityPtr density;
  SurfacePtr skin;
  float voxelSize = 1;     // in units of the file
  std::size_t voxels = 0;  // that hold something of their own
  Box3 bounds;             // of those
};

struct VolumeFile {
  std::vector<VolumeGrid> grids;
};
using VolumeFilePtr = std::shared_ptr<const VolumeFile>;

}  // namespace arvesk
