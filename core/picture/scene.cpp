#include "core/picture/scene.h"

#include "core/props/coloring.h"
#include "core/spatial/embree_scene.h"

#include <embree3/rtcore.h>

#include <cstring>
#include <unordered_map>

namespace arvesk {
namespace {

RTCRay toLocal(const RTCRay& ray, const PictureInstance& in) {
  // The direction is not normalized again, so that distances are the same in both spaces.
  const Vec3 origin = in.localTurn * Vec3(ray.org_x, ray.org_y, ray.org_z) + in.localMove;
  const Vec3 direction = in.localTurn * Vec3(ray.dir_x, ray.dir_y, ray.dir_z);
  RTCRay local = ray;
  local.org_x = origin.x;
  local.org_y = origin.y;
  local.org_z = origin.z;
  local.dir_x = direction.x;
  local.dir_y = direction.y;
  local.dir_z = direction.z;
  return local;
}

void boundsOf(const RTCBoundsFunctionArguments* args) {
  const auto* scene = static_cast<const TracedScene*>(args->geometryUserPtr);
  const Box3 box = scene->instanceBounds(args->primID);
  args->bounds_o->lower_x = box.min.x;
  args->bounds_o->lower_y = box.min.y;
  args->bounds_o->lower_z = box.min.z;
  args->bounds_o->upper_x = box.max.x;
  args->bounds_o->upper_y = box.max.y;
  args->bounds_o->upper_z = box.max.z;
}

void intersectInstance(const RTCIntersectFunctionNArguments* args) {
  if (!args->valid[0]) return;
  const auto* scene = static_cast<const TracedScene*>(args->geometryUserPtr);
  auto* outer = reinterpret_cast<RTCRayHit*>(args->rayhit);
  const PictureInstance& in = scene->instances[args->primID];
  RTCRayHit local{};
  local.ray = toLocal(outer->ray, in);
  local.hit.geomID = RTC_INVALID_GEOMETRY_ID;
  local.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcIntersect1(scene->indices[in.shape]->scene(), &context, &local);
  if (local.hit.geomID == RTC_INVALID_GEOMETRY_ID) return;
  outer->ray.tfar = local.ray.tfar;
  outer->hit = local.hit;
  outer->hit.instID[0] = args->primID;
}

void occludedInstance(const RTCOccludedFunctionNArguments* args) {
  if (!args->valid[0]) return;
  const auto* scene = static_cast<const TracedScene*>(args->geometryUserPtr);
  auto* outer = reinterpret_cast<RTCRay*>(args->ray);
  const PictureInstance& in = scene->instances[args->primID];
  RTCRay local = toLocal(*outer, in);
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcOccluded1(scene->indices[in.shape]->scene(), &context, &local);
  if (local.tfar < 0) outer->tfar = -std::numeric_limits<float>::infinity();
}

RTCRay rayOf(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut) {
  RTCRay ray{};
  ray.org_x = origin.x;
  ray.org_y = origin.y;
  ray.org_z = origin.z;
  ray.dir_x = direction.x;
  ray.dir_y = direction.y;
  ray.dir_z = direction.z;
  ray.tfar = reach;
  ray.mask = ~0U;
  if (cut) cut->narrow(origin, direction, ray.tnear, ray.tfar);
  return ray;
}

}  // namespace

Vec3 PictureLight::sunDirection() const {
  const float height = radians(sunHeightDeg);
  return std::cos(height) * headingVector(radians(sunHeadingDeg)) + std::sin(height) * kUp;
}

namespace {

/// Made of a surface, to be looked at.
struct SeenOtherwise {
  SurfacePtr surface;
  void countBytes(ByteCounter& counter) const { surface->countBytes(counter); }
};

/// A prop's massing with its footprints as rings: all of it on the ground, and its base where that is less; a box would
/// hide that one, and carries it on its top.
SurfacePtr massingWithFootprint(const Prop& prop) {
  const std::array rings{prop.footprint, baseOf(prop)};
  std::array<std::uint32_t, 2> bits{};
  std::memcpy(bits.data(), rings.data(), sizeof bits);
  const std::uint64_t key = hashOf(bits[0], bits[1]);
  return massingOf(prop)
      ->derived
      .get<SeenOtherwise>(key,
                          [&] {
                            Surface s = *massingOf(prop);
                            constexpr std::uint32_t kSides = 40;
                            const bool hasColors = !s.colors.empty();
                            const bool hasUvs = !s.uvs.empty();
                            const float top = s.bounds().max.y;
                            const float width = 0.07F * std::max(rings[0], 1e-3F);
                            for (const float outer : rings) {
                              if (&outer != rings.data() && outer > 0.75F * rings[0]) continue;  // nearly the same
                              const auto first = static_cast<std::uint32_t>(s.positions.size());
                              const bool isOnTop = &outer != rings.data() && prop.massing.isBox;
                              const float y = (isOnTop ? top : 0) + 0.3F * width;
                              for (std::uint32_t k = 0; k < kSides; ++k) {
                                const float a = 2 * kPi * static_cast<float>(k) / kSides;
                                for (const float r : {std::max(outer, width), std::max(outer, width) - width}) {
                                  s.positions.edit().push_back({r * std::sin(a), y, r * std::cos(a)});
                                  s.normals.edit().push_back(kUp);
                                  if (hasColors) s.colors.edit().push_back({0.02F, 0.09F, 0.14F, 1});
                                  if (hasUvs) s.uvs.edit().push_back(Vec2(0));
                                }
                                const std::uint32_t i = first + 2 * k;
                                const std::uint32_t next = first + 2 * ((k + 1) % kSides);
                                for (const UVec3& t : {UVec3(i, next, i + 1), UVec3(next, next + 1, i + 1)})
                                  s.triangles.edit().push_back(t);
                              }
                            }
                            const std::size_t boxFaces = massingOf(prop)->faceCount();
                            if (s.faceMaterials.empty()) s.faceMaterials.edit().assign(boxFaces, 0);
                            if (s.materials.empty()) s.materials.emplace_back();
                            Material ring;
                            ring.name = "footprint";
                            ring.baseColor = {0.02F, 0.09F, 0.14F, 1};
                            s.materials.push_back(ring);
                            s.faceMaterials.edit().resize(s.triangles.size(),
                                                          static_cast<std::uint16_t>(s.materials.size() - 1));
                            s.faceParts.clear();
                            auto made = std::make_shared<SeenOtherwise>();
                            made->surface = std::make_shared<const Surface>(std::move(s));
                            return std::shared_ptr<const SeenOtherwise>(made);
                          })
      ->surface;
}

/// Where placements go that are pulled apart: away from the middle of their clump (points of one parent), or of the
/// whole layer; pieces from that of their owner, which goes from the layer's.
class Apart {
 public:
  Apart(const Points& p, float share)
      : m_points(p), m_share(share), m_parents(columnOf<Column<std::uint64_t>>(p.attributes, "parent")) {
    for (std::size_t i = 0; i < p.count; ++i) {
      m_groups[groupOf(i)].add(p.position[i]);
      m_all.add(p.position[i]);
    }
  }
  Vec3 at(std::size_t i) const {
    const Vec3 middle = m_groups.at(groupOf(i)).middle();
    const Vec3 whole = ownerKeyOf(m_points, i) != 0 ? middle - m_all.middle() : Vec3(0);
    return m_points.position[i] + m_share * (m_points.position[i] - middle + whole);
  }

 private:
  struct Group {
    DVec3 sum{0};
    double count = 0;
    void add(const Vec3& p) {
      sum += DVec3(p);
      ++count;
    }
    Vec3 middle() const { return Vec3(sum / count); }
  };
  std::uint64_t groupOf(std::size_t i) const {
    const std::uint64_t owner = ownerKeyOf(m_points, i);
    return owner != 0 ? owner : m_parents ? (*m_parents)[i] : 0;
  }

  const Points& m_points;
  float m_share;
  const Column<std::uint64_t>* m_parents;
  std::unordered_map<std::uint64_t, Group> m_groups;
  Group m_all;
};

/// With its cuts in a color that nothing else has.
SurfacePtr withCutsShown(const SurfacePtr& surface) {
  const auto* cut = columnOf<Column<float>>(surface->vertexAttributes, "cut");
  if (!cut) return surface;
  return surface->derived
      .get<SeenOtherwise>(0,
                          [&] {
                            Surface s = *surface;
                            if (s.materials.empty()) s.materials.emplace_back();
                            if (s.faceMaterials.empty()) s.faceMaterials.edit().assign(s.faceCount(), 0);
                            for (std::size_t f = 0; f < s.faceCount(); ++f) {
                              const UVec3& t = s.triangles[f];
                              if ((*cut)[t.x] + (*cut)[t.y] + (*cut)[t.z] > 2)
                                s.faceMaterials.edit()[f] = static_cast<std::uint16_t>(s.materials.size());
                            }
                            for (std::size_t v = 0; v < s.colors.size(); ++v)
                              if ((*cut)[v] > 0) s.colors.edit()[v] = Vec4(1);
                            Material shown;
                            shown.baseColor = {0.5F, 0.015F, 0.03F, 1};
                            s.materials.push_back(std::move(shown));
                            auto made = std::make_shared<SeenOtherwise>();
                            made->surface = std::make_shared<const Surface>(std::move(s));
                            return std::shared_ptr<const SeenOtherwise>(made);
                          })
      ->surface;
}

}  // namespace

Box3 TracedScene::instanceBounds(std::size_t i) const {
  const PictureInstance& in = instances[i];
  const Box3 local = shapes[in.shape]->bounds();
  const Mat3 worldTurn = glm::inverse(in.localTurn);
  const Vec3 center = worldTurn * (local.center() - in.localMove);
  const Vec3 half = 0.5F * local.extent();
  Vec3 extent(0);
  for (int axis = 0; axis < 3; ++axis) extent += glm::abs(worldTurn[axis]) * half[axis];
  extent *= 1.0001F;  // rounding must not cut off a corner
  return {center - extent, center + extent};
}

namespace {

bool isTracedAlike(const PictureInput& a, const PictureInput& b) {
  return a.grounds == b.grounds && a.isMassing == b.isMassing && a.exploded == b.exploded &&
         a.areCutsShown == b.areCutsShown &&
         std::equal(a.layers.begin(), a.layers.end(), b.layers.begin(), b.layers.end(),
                    [](const PictureLayer& x, const PictureLayer& y) { return x.points == y.points; });
}

/// Adds each surface once.
class Shapes {
 public:
  explicit Shapes(TracedScene& traced) : m_traced(traced) {}
  /// Where it is in the scene; kGround when rays cannot meet it.
  std::uint32_t indexOf(const SurfacePtr& surface, bool isPlaced) {
    const auto [it, isNew] = m_known.emplace(surface.get(), kGround);
    if (isNew)
      if (const auto index = SurfaceIndex::of(*surface)) {
        it->second = static_cast<std::uint32_t>(m_traced.shapes.size());
        m_traced.shapes.push_back(surface);
        m_traced.meanColors.push_back(isPlaced ? meanColorOf(*surface) : Vec3(0.5F));
        m_traced.indices.push_back(*index);
      }
    return it->second;
  }

 private:
  TracedScene& m_traced;
  std::map<const Surface*, std::uint32_t> m_known;
};

/// The instances of everything; null after a cancel.
std::shared_ptr<TracedScene> placed(const PictureInput& in, const Task& task) {
  auto traced = std::make_shared<TracedScene>();
  Shapes known(*traced);
  for (std::size_t g = 0; g < in.grounds.size(); ++g) {
    const std::uint32_t shape = known.indexOf(in.areCutsShown ? withCutsShown(in.grounds[g]) : in.grounds[g], false);
    if (shape == kGround) continue;
    traced->instances.push_back({Mat3(1), Vec3(0), shape, kGround, static_cast<std::uint32_t>(g)});
    traced->bounds.add(in.grounds[g]->bounds());
  }
  for (std::size_t l = 0; l < in.layers.size(); ++l) {
    const Points& p = *in.layers[l].points;
    if (!p.kit) continue;
    std::vector<std::uint32_t> shapes;
    for (const KitEntry& e : p.kit->entries)
      shapes.push_back(known.indexOf(in.isMassing                       ? massingWithFootprint(*e.prop)
                                     : e.prop->massing.isShown          ? massingOf(*e.prop)
                                     : in.areCutsShown && e.prop->piece ? withCutsShown(e.prop->surface)
                                                                        : e.prop->surface,
                                     true));
    const std::optional<Apart> apart = in.exploded > 0 ? std::optional<Apart>(std::in_place, p, in.exploded)
                                                       : std::nullopt;
    for (std::size_t i = 0; i < p.count; ++i) {
      if ((i & 4095U) == 0 && task.isCancelled()) return nullptr;
      if (p.prop[i] == kNoProp) continue;
      const std::uint32_t shape = shapes[static_cast<std::size_t>(p.prop[i])];
      const Vec3 size = p.size[i];
      if (shape == kGround || size.x == 0 || size.y == 0 || size.z == 0) continue;
      const Mat3 back = glm::mat3_cast(glm::conjugate(p.orientation[i]));
      const Mat3 localTurn(back[0] / size, back[1] / size, back[2] / size);
      const Vec3 at = apart ? apart->at(i) : p.position[i];
      traced->instances.push_back(
          {localTurn, -(localTurn * at), shape, static_cast<std::uint32_t>(l), static_cast<std::uint32_t>(i)});
      traced->triangles += traced->shapes[shape]->faceCount();
    }
  }
  return traced;
}

}  // namespace

Result<std::shared_ptr<const PictureScene>> PictureScene::build(PictureInput input, const Task& task,
                                                                const std::shared_ptr<const PictureScene>& before) {
  std::shared_ptr<PictureScene> scene(new PictureScene());
  scene->m_input = std::move(input);
  std::erase_if(scene->m_input.hazes, [](const DensityPtr& d) { return d->bricks().empty(); });
  for (const DensityPtr& d : scene->m_input.hazes) scene->m_hazeBounds.add(d->bounds());
  if (before && isTracedAlike(scene->m_input, before->m_input)) {
    scene->m_traced = before->m_traced;
    return scene;
  }
  const std::shared_ptr<TracedScene> traced = placed(scene->m_input, task);
  if (!traced) return Failure(cancelled());
  traced->scene = newEmbreeScene();
  rtcSetSceneBuildQuality(traced->scene.get(),
                          traced->instances.size() > 300'000 ? RTC_BUILD_QUALITY_LOW : RTC_BUILD_QUALITY_MEDIUM);
  if (!traced->instances.empty()) {
    const EmbreeGeometry geometry = newEmbreeGeometry(RTC_GEOMETRY_TYPE_USER);
    rtcSetGeometryUserPrimitiveCount(geometry.get(), static_cast<unsigned>(traced->instances.size()));
    rtcSetGeometryUserData(geometry.get(), traced.get());
    rtcSetGeometryBoundsFunction(geometry.get(), &boundsOf, nullptr);
    rtcSetGeometryIntersectFunction(geometry.get(), &intersectInstance);
    rtcSetGeometryOccludedFunction(geometry.get(), &occludedInstance);
    attach(traced->scene.get(), geometry);
  }
  commitScene(traced->scene.get(), task);
  if (task.isCancelled()) return Failure(cancelled());
  if (traced->bounds.isEmpty())
    for (std::size_t i = 0; i < traced->instances.size(); ++i) traced->bounds.add(traced->instanceBounds(i));
  scene->m_traced = traced;
  return scene;
}

PictureRayHit PictureScene::first(const Vec3& origin, const Vec3& direction, const Cut* cut, float reach) const {
  if (!isFinite(origin) || !isFinite(direction)) return {};
  RTCRayHit ray{};
  ray.ray = rayOf(origin, direction, reach, cut);
  if (ray.ray.tfar < ray.ray.tnear) return {};
  ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
  ray.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcIntersect1(m_traced->scene.get(), &context, &ray);
  if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
  const SurfaceHit place = m_traced->indices[instance(ray.hit.instID[0]).shape]->placeOf(ray.ray.tfar, ray.hit.primID,
                                                                                         ray.hit.u, ray.hit.v);
  return {place.distance, ray.hit.instID[0], place.face, place.weights};
}

std::optional<Vec3> PictureScene::groundNear(const Vec3& place, const Vec3& up, float reach) const {
  const Vec3 from = place + reach * up;
  float nearest = 2 * reach;
  std::optional<Vec3> found;
  for (const PictureInstance& in : m_traced->instances) {
    if (in.layer != kGround) break;  // grounds come first, as they are
    const SurfaceHit hit = m_traced->indices[in.shape]->first(from, -up, nearest);
    if (!hit.isHit()) continue;
    nearest = hit.distance;
    found = from - hit.distance * up;
  }
  return found;
}

bool PictureScene::isBlocked(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut) const {
  RTCRay ray = rayOf(origin, direction, reach, cut);
  if (ray.tfar < ray.tnear) return false;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcOccluded1(m_traced->scene.get(), &context, &ray);
  return ray.tfar < 0;
}

}  // namespace arvesk
