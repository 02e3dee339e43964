// A kd-tree of points: the nearest one, for masks that measure distance. By nanoflann.
#pragma once

#include "core/base/array.h"
#include "core/base/task.h"
#include "core/base/vec.h"

#include <memory>
#include <optional>

namespace arvesk {

class PointTree {
 public:
  /// `radii`: empty for distances to the points themselves, else one per point (m) for distances to disks or balls
  /// about them.
  /// After a cancel it finds nothing.
  PointTree(Array<Vec3> positions, Array<float> radii, Array<std::uint64_t> ids = {}, const Task& task = {});
  ~PointTree();
  PointTree(const PointTree&) = delete;
  PointTree& operator=(const PointTree&) = delete;

  /// Least distance from `place` to a point's rim in m, 0 inside one; `reach` when none is nearer than that.
  /// Distances to rims are exact: a branch is left only when even the largest radius could not make it nearer.
  float distance(const Vec3& place, float reach) const;
  /// The point whose center is nearest; of equally near ones that with the lowest id, or the first when they have none.
  /// None when there are no points.
  std::optional<std::uint32_t> nearest(const Vec3& place) const;
  const Vec3& position(std::uint32_t index) const { return m_positions[index]; }
  bool isEmpty() const { return m_positions.empty(); }
  void countBytes(ByteCounter& counter) const;

 private:
  struct Tree;
  Array<Vec3> m_positions;
  Array<float> m_radii;
  Array<std::uint64_t> m_ids;
  float m_largest = 0;
  std::unique_ptr<Tree> m_tree;
};

}  // namespace arvesk
