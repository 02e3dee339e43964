#include "core/nodes/ground/placed.h"

namespace arvesk::nodes {

Quat turnOf(const Placed& p) { return arvesk::turnOf(p.turnDeg); }

SurfacePtr place(Surface surface, const Placed& p) {
  if (p.move != Vec3(0) || p.turnDeg != Vec3(0) || p.size != 1) {
    surface = transformed(surface, p.move, turnOf(p), p.size);
  }
  surface.isShown = p.isShown;
  return std::make_shared<const Surface>(std::move(surface));
}

}  // namespace arvesk::nodes
