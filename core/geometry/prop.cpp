#include "core/geometry/prop.h"

#include "core/geometry/points.h"

#include <algorithm>

namespace arvesk {

std::shared_ptr<Prop> makeProp(std::string uid, std::string name, SurfacePtr surface) {
  auto prop = std::make_shared<Prop>();
  prop->uid = std::move(uid);
  prop->name = std::move(name);
  float radiusSq = 0;
  for (const Vec3& p : surface->positions) radiusSq = std::max(radiusSq, p.x * p.x + p.z * p.z);
  prop->footprint = std::sqrt(radiusSq);
  prop->height = surface->bounds().extent().y;
  // A node that carries triangles is a part of the prop; the empty ones mark places.
  for (const SceneNode& node : surface->nodes)
    if (std::find(surface->parts.begin(), surface->parts.end(), node.name) == surface->parts.end())
      prop->mounts.push_back(node);
  prop->surface = std::move(surface);
  return prop;
}

const std::string& propUidOf(const Points& points, std::size_t i) {
  static const std::string none;
  const std::int32_t prop = points.prop[i];
  return points.kit && prop != kNoProp ? points.kit->entries[static_cast<std::size_t>(prop)].prop->uid : none;
}

bool arePieces(const Kit& kit) {
  return std::any_of(kit.entries.begin(), kit.entries.end(),
                     [](const KitEntry& e) { return e.prop->piece != nullptr; });
}

std::uint64_t ownerKeyOf(const Points& points, std::size_t i) {
  const std::int32_t prop = points.prop[i];
  if (!points.kit || prop == kNoProp) return 0;
  const PieceOf* piece = points.kit->entries[static_cast<std::size_t>(prop)].prop->piece.get();
  if (!piece) return 0;
  const auto* parents = columnOf<Column<std::uint64_t>>(points.attributes, "parent");
  return hashOf(hashText(piece->owner), parents ? (*parents)[i] : 0);
}

float reachOf(const Prop& prop) {
  struct Reach {
    float meters = 0;
  };
  return prop.surface->derived
      .get<Reach>([&] {
        float squared = 0;
        for (const Vec3& p : prop.surface->positions) squared = std::max(squared, glm::dot(p, p));
        return std::make_shared<const Reach>(Reach{std::sqrt(squared)});
      })
      ->meters;
}

float baseOf(const Prop& prop) {
  struct Base {
    float meters = 0;
  };
  if (prop.base > 0) return std::min(prop.base, prop.footprint);
  if (prop.isMissing) return prop.footprint;
  const float made = prop.surface->derived
                         .get<Base>([&] {
                           const Box3 box = prop.surface->bounds();
                           const float upTo = box.min.y + 0.1F * box.extent().y;
                           float squared = 0;
                           for (const Vec3& p : prop.surface->positions)
                             if (p.y <= upTo) squared = std::max(squared, p.x * p.x + p.z * p.z);
                           return std::make_shared<const Base>(Base{std::sqrt(squared)});
                         })
                         ->meters;
  return std::min(made, prop.footprint);
}

PointsPtr withFootprints(PointsPtr points, Footprint which) {
  if (which == Footprint::Spread || !points->kit) return points;
  std::vector<float> bases;
  for (const KitEntry& e : points->kit->entries) bases.push_back(baseOf(*e.prop));
  Array<float> footprint = points->footprint.copied(points->count);
  for (std::size_t i = 0; i < points->count; ++i)
    if (const std::int32_t prop = points->prop[i]; prop != kNoProp)
      footprint[i] = bases[static_cast<std::size_t>(prop)];
  Points out = *points;
  out.footprint = std::move(footprint);
  return std::make_shared<const Points>(std::move(out));
}

}  // namespace arvesk
