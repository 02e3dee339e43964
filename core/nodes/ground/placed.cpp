#include "core/nodes/ground/placed.h"

namespace arvesk::nodes {

SurfacePtr place(Surface surface, const Placed& p) {
  if (p.move != Vec3(0) || p.turnDeg != Vec3(0) || p.size != 1) {
    const auto about = [](float deg, const Vec3& axis) { return glm::angleAxis(radians(deg), axis); };
    const Quat turn = about(p.turnDeg.z, {0, 0, 1}) * about(p.turnDeg.y, {0, 1, 0}) * about(p.turnDeg.x, {1, 0, 0});
    surface = transformed(surface, p.move, turn, p.size);
  }
  surface.isShown = p.isShown;
  return std::make_shared<const Surface>(std::move(surface));
}

}  // namespace arvesk::nodes
