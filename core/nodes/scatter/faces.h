// Faces as people see them: two triangles that follow each other in the file and make one flat convex quad are one
// face.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk::nodes {

struct Face {
  std::array<std::uint32_t, 4> corners{};  // vertices, counter-clockwise
  int cornerCount = 3;
  std::uint32_t firstTriangle = 0;
  int triangleCount = 1;
};

/// Flat to within 1°, so that ground that was modeled in quads counts as such and curved skin stays triangles.
std::vector<Face> facesOfSurface(const Surface& surface);

/// Area-weighted middle and summed area (m²) of a face.
struct FaceMiddle {
  Vec3 place{0};
  Vec3 normal = kUp;
  float area = 0;
};
FaceMiddle middleOf(const Surface& surface, const Face& face);

}  // namespace arvesk::nodes
