// Grids of OpenVDB, and triangles of them. For the few files that include that library: its headers take long.
#pragma once

#include "core/spatial/volume.h"

#include <openvdb/openvdb.h>

namespace arvesk {

/// Sets the library up; from any thread, as often as one likes.
void useOpenVdb();

/// The signed distance to the volume's skin, m, below 0 inside, on a lattice of the world: for `band` voxels on each
/// side of the skin. Fails when there would be too many voxels.
Result<openvdb::FloatGrid::Ptr> distanceGridOf(const VolumePtr& volume, float voxelSize, float band, const Task& task);

/// The same by the triangles of the skin of a volume that is no offset. Null after a cancel.
openvdb::FloatGrid::Ptr skinGridOf(const Volume& volume, const Surface& skin, float voxelSize, float band,
                                   const Task& task);

/// The density at the places of its lattice.
openvdb::FloatGrid::Ptr densityGridOf(const Density& density);

/// Where a grid passes through `level`, as its transform places it, looking to where it is higher.
Surface levelSurfaceOf(const openvdb::FloatGrid& grid, float level);

}  // namespace arvesk
