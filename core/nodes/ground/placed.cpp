#include "core/nodes/ground/placed.h"

namespace arvesk::nodes {

Quat turnOf(const Placed& p) { return arvesk::turnOf(p.turnDeg); }

SurfacePtr place(Surface surface, const Placed& p, bool isBody) {
  if (p.size != 1) surface = transformed(surface, Vec3(0), Quat(1, 0, 0, 0), p.size);
  surface.isShown = p.isShown;
  if (p.move == Vec3(0) && p.turnDeg == Vec3(0)) return std::make_shared<const Surface>(std::move(surface));
  const Quat turn = turnOf(p);
  const auto out = std::make_shared<Surface>(transformed(surface, p.move, turn, 1));
  if (isBody)
    out->atRest = AtRest(surface.positions,
                         {DVec3(p.move), glm::dmat3(glm::mat3_cast(glm::normalize(glm::dquat(turn))))});
  return out;
}

}  // namespace arvesk::nodes
