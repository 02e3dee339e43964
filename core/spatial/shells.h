// The shells of surfaces: triangles that hang together by their edges, which way they are turned and what lies in what.
#pragma once

#include "core/base/task.h"
#include "core/geometry/surface.h"

namespace arvesk {

struct Shell {
  bool isClosed = false;  // each edge is passed as often one way as the other
  bool isTurned = false;  // its triangles are to be turned round: see turnOutward
  double volume = 0;      // m³, below 0 where the triangles look inward
  Box3 bounds;
};

/// Several surfaces as one, in order, vertices that lie at one place welded within each.
struct Shells {
  SharedArray<Vec3> positions;
  Array<UVec3> triangles;  // those of a shell turned like their neighbors, where
                           // they can be
  Array<std::uint32_t> shellOf;
  Array<std::uint32_t> faceOf;  // triangle → face, counted through all surfaces: faces without area are left out
  std::vector<Shell> list;
};

Shells shellsOf(const std::vector<SurfacePtr>& surfaces);

/// Decides which closed shells are turned round: those that lie in nothing look outward then, and what lies in another
/// keeps the way it is turned against that one, so that hollows stay hollows.
void turnOutward(Shells& shells, const Task& task);

}  // namespace arvesk
