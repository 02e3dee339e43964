#include "core/deliver/touch_target.h"

#include "core/geometry/prop.h"
#include "core/spatial/hand_ground.h"

namespace arvesk {

GroundUnder::GroundUnder(SurfacePtr surface) : m_surface(std::move(surface)) {
  if (!m_surface) return;
  if (const auto made = SurfaceIndex::of(*m_surface))
    m_index = *made;
  else
    m_surface.reset();  // both or none: who has a surface looks things up in its index
}

std::optional<GroundPlace> GroundUnder::at(const Vec3& place, const Vec3& normal) const {
  constexpr float kNear = 3;  // m; sunk into it, or lifted off it
  return m_index ? groundOfHand(*m_surface, *m_index, place, normal, kNear) : std::nullopt;
}

std::optional<float> GroundUnder::heightOf(const Vec3& place, const Vec3& normal) const {
  const auto found = at(place, normal);
  return found ? std::optional(glm::dot(place - found->position, found->normal)) : std::nullopt;
}

TouchTarget targetOf(const Points& in, std::size_t i, const GroundUnder& ground) {
  TouchTarget t;
  t.id = in.id[i];
  t.at = in.position[i];
  t.stood = in.orientation[i];
  t.sized = in.size[i];
  t.normal = directionOr(in.groundNormal[i], kUp);
  t.prop = propUidOf(in, i);
  t.height = ground.heightOf(t.at, t.normal);
  return t;
}

TouchTarget targetOf(const TouchUp& kept, const TouchUps& among, const GroundUnder& ground) {
  TouchTarget t;
  t.id = kept.id;
  t.at = kept.at;
  t.stood = kept.stood;
  t.sized = kept.sized;
  t.normal = kept.normal;
  t.prop = among.propOf(kept.was);
  t.height = ground.heightOf(t.at, t.normal);
  return t;
}

}  // namespace arvesk
