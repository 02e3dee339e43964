// What a hand that sets things one by one may mean by a place near it: a mount point, the next step of a row, an edge.
#pragma once

#include "core/base/hand_points.h"
#include "core/spatial/ground.h"
#include "core/spatial/point_grid.h"

namespace arvesk {

struct Snap {
  enum class To { MountPoint, Row, Edge };
  To to = To::Edge;
  Vec3 place{0};
  std::optional<float> headingDeg;  // of the row, or along the edge
};

class Snaps {
 public:
  Snaps() = default;
  /// `mounts`: places of mount points. Edges are those of `ground` that are open or sharper than 30°; a ground of more
  /// triangles than `mostFaces` has none: nobody sees its edges as such.
  Snaps(const Surface& ground, const std::vector<Vec3>& mounts, const HandPoints& own, const Task& task,
        std::size_t mostFaces = 300'000);
  /// The one that is meant near `place`: a mount point within `within` m, else the step that goes on a row of two of
  /// the hand's points as far apart as they are, else the nearest place of an edge within `within` m.
  std::optional<Snap> near(const Vec3& place, float within) const;

 private:
  struct Edge {
    Vec3 a;
    Vec3 b;
  };
  std::optional<Snap> nextOfRow(const Vec3& place) const;

  PointGrid m_mounts;
  PointGrid m_own;
  std::vector<HandPoint> m_points;
  std::vector<Edge> m_edges;
};

}  // namespace arvesk
