#include "core/props/prop.h"

namespace arvesk {

std::shared_ptr<Prop> makeProp(std::string uid, std::string name, SurfacePtr surface) {
  auto prop = std::make_shared<Prop>();
  prop->uid = std::move(uid);
  prop->name = std::move(name);
  float radiusSq = 0;
  for (const Vec3& p : surface->positions) radiusSq = std::max(radiusSq, p.x * p.x + p.z * p.z);
  prop->footprint = std::sqrt(radiusSq);
  prop->height = surface->bounds().extent().y;
  prop->mounts = surface->nodes;
  prop->surface = std::move(surface);
  return prop;
}

}  // namespace arvesk
