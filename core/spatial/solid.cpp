// The inside of surfaces as a volume, and what grows, shrinks or hollows it out by depth.
#include "core/spatial/posed.h"
#include "core/spatial/skin.h"
#include "core/spatial/surface_index.h"

namespace arvesk {
namespace {

/// Moments of the vertices with weights by their number: they turn along with the body whatever its shape, change
/// smoothly when it bends, and no two of them are ever equally far or long.
BodyFrame frameOf(const std::vector<SurfacePtr>& surfaces) {
  DVec3 middle(0);
  double count = 0;
  for (const SurfacePtr& s : surfaces)
    for (const Vec3& p : s->positions) middle += DVec3(p), ++count;
  if (count == 0) return {};
  middle /= count;
  DVec3 first(0);
  DVec3 second(0);
  std::uint64_t number = 0;
  for (const SurfacePtr& s : surfaces)
    for (const Vec3& p : s->positions) {
      const std::uint64_t bits = mix64(++number);
      const DVec3 from = DVec3(p) - middle;
      first += from * (unitDouble(bits) - 0.5);
      second += from * (unitDouble(mix64(bits)) - 0.5);
    }
  const double length = glm::length(first);
  if (!(length > 0)) return {middle, glm::dmat3(1)};
  const DVec3 x = first / length;
  const DVec3 across = second - x * glm::dot(second, x);
  if (!(glm::length(across) > 1e-9 * length)) return {middle, glm::dmat3(1)};
  const DVec3 y = glm::normalize(across);
  return {middle, glm::dmat3(x, y, glm::cross(x, y))};
}

class Solid final : public Volume {
 public:
  Solid(std::vector<SurfacePtr> surfaces, std::shared_ptr<const Body> body, float voxelSize)
      : m_surfaces(std::move(surfaces)), m_body(std::move(body)), m_voxelSize(voxelSize) {}
  Box3 bounds() const override { return m_body->bounds(); }
  bool isInside(const Vec3& place) const override { return m_body->isInside(place); }
  Side sideOf(const Box3& box) const override { return m_body->sideOf(box); }
  std::shared_ptr<const DepthField> depth(const Task& task) const override { return skinDepthOf(*this, task); }
  void addSurfaces(std::vector<SurfacePtr>& out) const override {
    out.insert(out.end(), m_surfaces.begin(), m_surfaces.end());
  }
  bool hasLooseSkin() const override { return !m_body->isClosed(); }
  BodyFrame frame() const override { return frameOf(m_surfaces); }
  float voxelSize() const override { return m_voxelSize; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_body->countBytes(counter);
    for (const SurfacePtr& s : m_surfaces) s->countBytes(counter);
    derived.countBytes(counter);
  }

 private:
  std::vector<SurfacePtr> m_surfaces;
  std::shared_ptr<const Body> m_body;
  float m_voxelSize;
};

/// Depth under a skin that lies `grow` further out; in a shell, to the nearer of its two sides.
Depth offsetDepth(Depth d, const SolidRule& rule) {
  d.meters += rule.grow;
  if (!rule.isShell) return d;
  const float outer = d.meters - rule.depths.from;
  const float inner = rule.depths.to - d.meters;
  return outer <= inner ? Depth{outer, d.outward} : Depth{inner, -d.outward};
}

class OffsetDepth final : public DepthField {
 public:
  OffsetDepth(std::shared_ptr<const DepthField> base, const SolidRule& rule) : m_base(std::move(base)), m_rule(rule) {}
  Depth at(const Vec3& place) const override { return offsetDepth(m_base->at(place), m_rule); }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_base->countBytes(counter);
  }

 private:
  std::shared_ptr<const DepthField> m_base;
  SolidRule m_rule;
};

/// What lies between depths of another volume.
class Offset final : public Volume {
 public:
  Offset(VolumePtr base, std::shared_ptr<const DepthField> depth, const SolidRule& rule)
      : m_base(std::move(base)), m_depth(std::make_shared<const OffsetDepth>(std::move(depth), rule)), m_rule(rule) {
    m_bounds = m_base->bounds();
    if (m_bounds.isEmpty()) return;
    const float out = std::max(rule.grow - (rule.isShell ? rule.depths.from : 0.0F), 0.0F);
    m_bounds = withRounding({m_bounds.min - out, m_bounds.max + out});
  }
  Box3 bounds() const override { return m_bounds; }
  bool isInside(const Vec3& place) const override { return m_bounds.holds(place) && m_depth->at(place).meters >= 0; }
  Side sideOf(const Box3& box) const override {
    if (!m_bounds.overlaps(box)) return Side::Outside;
    const float d = m_depth->at(box.center()).meters;
    const float reach = 0.50001F * glm::length(box.extent());
    return d >= reach ? Side::Inside : d < -reach ? Side::Outside : Side::Mixed;
  }
  std::shared_ptr<const DepthField> depth(const Task&) const override { return m_depth; }
  void addSurfaces(std::vector<SurfacePtr>& out) const override { m_base->addSurfaces(out); }
  bool isOffset() const override { return true; }
  bool hasLooseSkin() const override { return m_base->hasLooseSkin(); }
  BodyFrame frame() const override { return m_base->frame(); }
  float voxelSize() const override { return m_base->voxelSize(); }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_base->countBytes(counter);
    m_depth->countBytes(counter);
    derived.countBytes(counter);
  }

 private:
  VolumePtr m_base;
  std::shared_ptr<const DepthField> m_depth;
  SolidRule m_rule;
  Box3 m_bounds;
};

/// Far from its origin a body at rest would be known less exactly than where it was moved to.
bool isRestExact(const Surface& surface) {
  if (!surface.atRest.isKnown()) return false;
  Box3 box;
  for (const Vec3& p : surface.atRest.positions) box.add(p);
  const Vec3 far = glm::max(glm::abs(box.min), glm::abs(box.max));
  const Vec3 size = box.extent();
  return std::max({far.x, far.y, far.z}) <= 4 * std::max({size.x, size.y, size.z});
}

Result<VolumePtr> solidOf(const std::vector<SurfacePtr>& surfaces, const SolidRule& rule, const Task& task) {
  if (surfaces.size() == 1 && isRestExact(*surfaces.front())) {
    auto atRest = solidAtRest(*surfaces.front(), rule,
                              [&](const SurfacePtr& surface) { return makeSolid({surface}, rule, task); });
    return atRest ? Result<VolumePtr>(makePosed(std::move(*atRest), surfaces.front())) : atRest;
  }
  auto body = Body::of(surfaces, task);
  if (!body) return Failure(body.error());
  VolumePtr solid = std::make_shared<const Solid>(surfaces, *body, rule.voxelSize);
  if (!rule.isShell && rule.grow == 0) return solid;
  auto depth = solid->depth(task);
  if (!depth) return Failure(cancelled());
  return std::make_shared<const Offset>(std::move(solid), std::move(depth), rule);
}

}  // namespace

Result<VolumePtr> makeSolid(const std::vector<SurfacePtr>& surfaces, const SolidRule& rule, const Task& task) {
  auto solid = solidOf(surfaces, rule, task);
  const bool bends = std::any_of(surfaces.begin(), surfaces.end(),
                                 [](const SurfacePtr& s) { return !s->rest.empty(); });
  if (!solid || !bends) return solid;
  return bending(std::move(*solid), [surfaces, rule](const Task& later) {
    std::vector<SurfacePtr> rest;
    for (const SurfacePtr& s : surfaces) rest.push_back(s->rest.empty() ? s : restOf(*s));
    return solidOf(rest, rule, later);
  });
}

}  // namespace arvesk
