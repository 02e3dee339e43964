// Volumes as triangles: their skin at a voxel size, as one surface.
#pragma once

#include "core/spatial/volume.h"

namespace arvesk {

/// The most voxels that a grid may have.
inline constexpr std::size_t kMostVoxels = 512'000'000;

struct MeshingRule {
  float voxelSize = 0.1F;  // m
  int smoothing = 0;       // rounds
};

/// The volume's skin in triangles about as wide as voxels: depth on a sparse grid near the skin, its zero as a surface
/// (OpenVDB; dual contouring of Nielson, "Dual marching cubes", Visualization, 2004), then smoothed without shrinking
/// (Taubin, "A signal processing approach to fair surface design", SIGGRAPH, 1995). What is thinner than a voxel may be
/// lost. Of a skin with holes that are wider than a few voxels the triangles end around these: there they are closed
/// straight across, and told in `holes`. Fails when the grid would be too large.
Result<SurfacePtr> meshOf(const VolumePtr& volume, const MeshingRule& rule, const Task& task,
                          std::size_t* holes = nullptr);

/// Triangles where a density passes through its edge, looking outward. Null after a cancel.
SurfacePtr levelOf(const Density& density, const Task& task);

}  // namespace arvesk
