// Distances to triangles on a sparse grid, by OpenVDB. A file of its own: the converter's header takes a minute.
#include "core/spatial/distance_grid.h"

#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/SignedFloodFill.h>

namespace arvesk {
namespace {

/// Triangles in numbers of the grid, as the library asks for them.
struct Triangles {
  const Surface& skin;
  double voxel;
  std::size_t polygonCount() const { return skin.faceCount(); }
  std::size_t pointCount() const { return skin.positions.size(); }
  static std::size_t vertexCount(std::size_t) { return 3; }
  void getIndexSpacePoint(std::size_t face, std::size_t corner, openvdb::Vec3d& out) const {
    const Vec3& p = skin.positions[skin.triangles[face][static_cast<int>(corner)]];
    out = openvdb::Vec3d(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)) / voxel;
  }
};

struct Stopper {
  const Task& task;
  std::stop_token scope = currentStop();
  void start(const char* = nullptr) const {}
  void end() const {}
  bool wasInterrupted(int = -1) const { return task.isCancelled() || scope.stop_requested(); }
};

}  // namespace

openvdb::FloatGrid::Ptr skinGridOf(const Volume& volume, const Surface& skin, float voxelSize, float band,
                                   const Task& task) {
  const auto voxel = static_cast<double>(voxelSize);
  const auto transform = openvdb::math::Transform::createLinearTransform(voxel);
  Stopper stopper{task};
  // Its own signs are wrong for one voxel in a hundred (measured), and smoothing what crosses itself moves the skin.
  const auto grid = openvdb::tools::meshToVolume<openvdb::FloatGrid>(
      stopper, Triangles{skin, voxel}, *transform, band, band,
      openvdb::tools::UNSIGNED_DISTANCE_FIELD | openvdb::tools::DISABLE_RENORMALIZATION);
  endIfStopped();
  if (task.isCancelled()) return nullptr;
  std::vector<openvdb::FloatGrid::TreeType::LeafNodeType*> leaves;
  grid->tree().getNodes(leaves);
  parallelPieces(task, leaves.size(), 4, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i)
      for (auto value = leaves[i]->beginValueOn(); value; ++value) {
        const openvdb::Coord c = value.getCoord();
        if (volume.isInside(voxelSize * Vec3(c.x(), c.y(), c.z()))) value.setValue(-*value);
      }
  });
  if (task.isCancelled()) return nullptr;
  grid->setGridClass(openvdb::GRID_LEVEL_SET);
  openvdb::tools::signedFloodFill(grid->tree());
  return grid;
}

}  // namespace arvesk
