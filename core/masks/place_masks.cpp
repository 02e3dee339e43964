#include "core/masks/place_masks.h"

#include "core/geometry/welding.h"
#include "core/spatial/ground.h"
#include "core/spatial/occluders.h"
#include "core/spatial/point_grid.h"
#include "core/spatial/point_tree.h"

#include <unordered_map>

namespace arvesk {
namespace {

constexpr float kGoldenAngle = 2.39996323F;

/// `count` places of the unit disk, evenly spread (Vogel, "A better way to construct the sunflower head", 1979).
std::vector<Vec2> sunflower(int count) {
  std::vector<Vec2> out;
  for (int k = 0; k < count; ++k) {
    const float r = std::sqrt((static_cast<float>(k) + 0.5F) / static_cast<float>(count));
    const float angle = static_cast<float>(k) * kGoldenAngle;
    out.push_back(r * Vec2(std::cos(angle), std::sin(angle)));
  }
  return out;
}

Quat frameAbout(const Vec3& normal) { return shortestTurn(kUp, normal); }

class FacingMask final : public BandMask {
 public:
  FacingMask(SurfacePtr ground, Vec3 direction, bool isTwoSided, Band band, MaskFinish finish)
      : BandMask(band, finish), m_ground(std::move(ground)), m_direction(direction), m_isTwoSided(isTwoSided) {}
  bool isSearching() const override { return m_ground != nullptr; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    if (m_ground) m_ground->countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const auto index = m_ground ? SurfaceIndex::of(*m_ground).value_or(nullptr) : nullptr;
    for (std::size_t i = begin; i < end; ++i) {
      Vec3 normal = at.groundNormal[i];
      if (index)
        if (const auto place = groundUnder(*m_ground, *index, at.position[i])) normal = place->normal;
      float angle = degrees(angleBetween(normal, m_direction));
      if (m_isTwoSided) angle = std::min(angle, 180 - angle);
      out[i - begin] = angle;
    }
    return true;
  }

 private:
  SurfacePtr m_ground;
  Vec3 m_direction;
  bool m_isTwoSided;
};

/// Edges as thin triangles, so that the nearest-place query serves them too.
SurfacePtr edgesAsSurface(const Surface& surface, float overDeg, bool isFlat) {
  Surface out;
  for (const auto& [a, b] : edgesOver(surface, overDeg)) {
    const auto first = static_cast<std::uint32_t>(out.positions.size());
    for (const Vec3& p : {a, b}) out.positions.edit().push_back(isFlat ? Vec3(p.x, 0, p.z) : p);
    out.triangles.edit().push_back({first, first + 1, first + 1});
  }
  return std::make_shared<const Surface>(std::move(out));
}

SurfacePtr flattened(const Surface& surface) {
  Surface out;
  out.positions = surface.positions;
  for (Vec3& p : out.positions.edit()) p.y = 0;
  out.triangles = surface.triangles;
  return std::make_shared<const Surface>(std::move(out));
}

class DistanceMask final : public BandMask {
 public:
  DistanceMask(const std::vector<PointsPtr>& points, const SurfacePtr& surface, DistanceRule rule, float far, Band band,
               MaskFinish finish, const Task& task)
      : BandMask(band, finish),
        m_rule(rule),
        m_far(far),
        // What lies beyond the band's end counts 0 wherever it lies, so the search may stop there.
        m_reach(std::min(far, band.fadeOut)) {
    Array<Vec3> positions;
    Array<float> radii;
    for (const PointsPtr& p : points) {
      if (!p) continue;
      for (std::size_t i = 0; i < p->count; ++i) {
        positions.push_back(flat(p->position[i]));
        if (rule.isToFootprints) radii.push_back(p->effectiveFootprint(i));
      }
    }
    m_tree = std::make_unique<PointTree>(std::move(positions), std::move(radii), Array<std::uint64_t>(), task);
    if (surface && surface->faceCount() > 0) {
      m_surface = rule.isToOpenEdges ? edgesAsSurface(*surface, rule.edgeDeg, rule.isFromAbove)
                  : rule.isFromAbove ? flattened(*surface)
                                     : surface;
      if (!m_surface->triangles.empty()) m_index = SurfaceIndex::of(*m_surface).value_or(nullptr);
    }
  }
  bool isSearching() const override { return true; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_tree->countBytes(counter);
    if (m_surface) m_surface->countBytes(counter);
  }
  bool isOfPlaceAlone() const override { return true; }
  /// A distance changes by no more than one goes: where nothing is near the middle, nothing is near the box.
  bool isZeroIn(const Box3& box) const override {
    if (!isZeroBetween(m_far, m_far)) return false;
    const Vec3 middle = flat(box.center());
    const float reach = 1.0001F * (m_reach + 0.5F * glm::length(flat(box.extent()))) + 1e-4F;
    return (m_tree->isEmpty() || m_tree->distance(middle, reach) >= reach) &&
           !(m_index && m_index->nearest(middle, reach).isHit());
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    // "Far" must come out as far even if the search ended at the band's end: past it both count alike.
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3 place = flat(at.position[i]);
      float d = m_tree->isEmpty() ? m_reach : m_tree->distance(place, m_reach);
      if (m_index)
        if (const SurfaceHit hit = m_index->nearest(place, d); hit.isHit()) d = std::min(d, hit.distance);
      out[i - begin] = d < m_reach ? d : m_far;
    }
    return true;
  }

 private:
  Vec3 flat(const Vec3& p) const { return m_rule.isFromAbove ? Vec3(p.x, 0, p.z) : p; }

  DistanceRule m_rule;
  float m_far;
  float m_reach;
  std::unique_ptr<PointTree> m_tree;
  SurfacePtr m_surface;
  std::shared_ptr<const SurfaceIndex> m_index;
};

class RegionMask final : public Mask {
 public:
  RegionMask(const Region& region, MaskFinish finish)
      : m_region(region),
        m_half(0.5F * glm::abs(region.extent)),
        m_perHalf(1.0F / m_half),
        m_back(glm::mat3_cast(glm::conjugate(region.turn))),
        m_finish(finish) {}
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  bool isOfPlaceAlone() const override { return true; }
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const Band band{0, m_region.softness, std::numeric_limits<float>::max(), std::numeric_limits<float>::max()};
    for (std::size_t i = begin; i < end; ++i) {
      const float depth = depthOf(m_back * (at.position[i] - m_region.center));
      out[i - begin] = m_finish.apply(depth <= 0 ? 0.0F : band.weight(depth));
    }
  }

 private:
  /// How deep inside, m; below 0 outside.
  float depthOf(const Vec3& p) const {
    if (m_region.shape == RegionShape::HalfSpace) return -p.y;
    if (m_region.shape == RegionShape::Box) {
      const Vec3 d = m_half - glm::abs(p);
      return std::min({d.x, d.y, d.z});
    }
    if (!(m_half.x > 0) || !(m_half.y > 0) || !(m_half.z > 0)) return -1;
    return (1 - glm::length(p * m_perHalf)) * std::min({m_half.x, m_half.y, m_half.z});
  }

  Region m_region;
  Vec3 m_half;
  Vec3 m_perHalf;
  Mat3 m_back;
  MaskFinish m_finish;
};

class CrowdingMask final : public BandMask {
 public:
  CrowdingMask(const std::vector<PointsPtr>& points, float radius, bool isFromAbove, bool isSoft, Band band,
               MaskFinish finish)
      : BandMask(band, finish), m_radius(radius), m_isFromAbove(isFromAbove), m_isSoft(isSoft) {
    Array<PointGrid::Entry> entries;
    for (const PointsPtr& p : points) {
      if (!p) continue;
      for (std::size_t i = 0; i < p->count; ++i) {
        entries.push_back({flat(p->position[i]), 0, static_cast<std::uint32_t>(m_ids.size())});
        m_ids.push_back(p->id[i]);
      }
    }
    m_grid = PointGrid(entries, radius);
  }
  bool isSearching() const override { return true; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this) + m_ids.capacity() * sizeof(std::uint64_t));
    m_grid.countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3 place = flat(at.position[i]);
      const std::uint64_t self = at.id[i];
      // The grid may hand out an entry twice where hashed cells share a slot: entries count once, by index.
      struct Found {
        std::uint64_t id;
        std::uint32_t index;
        float share;  // of it that counts
        bool operator<(const Found& o) const { return id != o.id ? id < o.id : index < o.index; }
        bool operator==(const Found& o) const { return index == o.index; }
      };
      thread_local std::vector<Found> found;
      found.clear();
      const float most = m_radius * m_radius;
      m_grid.near(place, m_radius, [&](const PointGrid::Entry& e) {
        const Vec3 d = e.position - place;
        const float squared = glm::dot(d, d);
        const float share = m_isSoft ? (1 - squared / most) * (1 - squared / most) : 1.0F;
        if (squared <= most && m_ids[e.index] != self) found.push_back({m_ids[e.index], e.index, share});
        return false;
      });
      std::sort(found.begin(), found.end());  // sums of floats depend on their order
      found.erase(std::unique(found.begin(), found.end()), found.end());
      float sum = 0;
      for (const Found& f : found) sum += f.share;
      out[i - begin] = sum;
    }
    return true;
  }

 private:
  Vec3 flat(const Vec3& p) const { return m_isFromAbove ? Vec3(p.x, 0, p.z) : p; }

  float m_radius;
  bool m_isFromAbove;
  bool m_isSoft;
  PointGrid m_grid;
  Array<std::uint64_t> m_ids;
};

class OpennessMask final : public BandMask {
 public:
  OpennessMask(const SurfacePtr& ground, const std::vector<PointsPtr>& placements, int rays, float reach,
               bool isAboutNormal, Band band, MaskFinish finish, const Task& task)
      : BandMask(band, finish), m_occluders(ground, placements, task), m_reach(reach), m_isAboutNormal(isAboutNormal) {
    // A disk lifted onto the half ball has the cosine's weight (Malley's method).
    for (const Vec2& p : sunflower(rays))
      m_directions.push_back({p.x, std::sqrt(std::max(0.0F, 1 - glm::dot(p, p))), p.y});
  }
  bool isSearching() const override { return true; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_occluders.countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3 normal = at.groundNormal[i];
      const Quat turn = m_isAboutNormal ? frameAbout(normal) : Quat(1, 0, 0, 0);
      // A little above the ground, so that the face itself does not stop its rays.
      const Vec3 origin = at.position[i] + normal * kLift;
      int stopped = 0;
      for (const Vec3& d : m_directions)
        stopped += m_occluders.isStopped(origin, m_isAboutNormal ? turn * d : d, 0, m_reach);
      out[i - begin] = 1 - static_cast<float>(stopped) / static_cast<float>(m_directions.size());
    }
    return true;
  }

 private:
  static constexpr float kLift = 0.002F;  // m
  Occluders m_occluders;
  std::vector<Vec3> m_directions;
  float m_reach;
  bool m_isAboutNormal;
};

class HollowsMask final : public BandMask {
 public:
  HollowsMask(SurfacePtr ground, float radius, int samples, Band band, MaskFinish finish)
      : BandMask(band, finish), m_ground(std::move(ground)), m_radius(radius), m_disk(sunflower(samples)) {}
  bool isSearching() const override { return true; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_ground->countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const auto index = SurfaceIndex::of(*m_ground).value_or(nullptr);
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3 normal = at.groundNormal[i];
      const Quat turn = frameAbout(normal);
      float sum = 0;
      int count = 0;
      for (const Vec2& p : m_disk) {
        if (!index) break;
        const Vec3 from = at.position[i] + turn * Vec3(p.x * m_radius, 0, p.y * m_radius);
        const SurfaceHit hit = groundHit(*index, from, SetDownWay::NearestAlong, -normal, 2 * m_radius);
        if (!hit.isHit()) continue;
        sum -= hit.distance;
        ++count;
      }
      out[i - begin] = count > 0 ? sum / static_cast<float>(count) / m_radius : 0;
    }
    return true;
  }

 private:
  SurfacePtr m_ground;
  float m_radius;
  std::vector<Vec2> m_disk;
};

class DepthMask final : public BandMask {
 public:
  DepthMask(VolumePtr volume, std::shared_ptr<const DepthField> depth, Band band, MaskFinish finish)
      : BandMask(band, finish), m_volume(std::move(volume)), m_depth(std::move(depth)) {}
  bool isSearching() const override { return true; }
  bool isOfPlaceAlone() const override { return true; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_volume->countBytes(counter);
    m_depth->countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) out[i - begin] = m_depth->at(at.position[i]).meters;
    return true;
  }
  /// Depth changes by no more than one goes.
  bool isZeroIn(const Box3& box) const override {
    const float middle = m_depth->roughAt(box.center());
    const float reach = 0.50001F * glm::length(box.extent()) + 1e-6F * glm::length(box.center());
    return isZeroBetween(middle < 0 ? std::numeric_limits<float>::lowest() : middle - reach, middle + reach);
  }

 private:
  VolumePtr m_volume;
  std::shared_ptr<const DepthField> m_depth;
};

class DensityMask final : public BandMask {
 public:
  DensityMask(DensityPtr density, Band band, MaskFinish finish)
      : BandMask(band, finish), m_density(std::move(density)) {}
  bool isOfPlaceAlone() const override { return true; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_density->countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) out[i - begin] = m_density->at(at.position[i]);
    return true;
  }

 private:
  DensityPtr m_density;
};

}  // namespace

MaskPtr makeFacingMask(SurfacePtr ground, Vec3 direction, bool isTwoSided, Band band, MaskFinish finish) {
  return std::make_shared<FacingMask>(std::move(ground), direction, isTwoSided, band, finish);
}
MaskPtr makeDistanceMask(const std::vector<PointsPtr>& points, const SurfacePtr& surface, DistanceRule rule, float far,
                         Band band, MaskFinish finish, const Task& task) {
  return std::make_shared<DistanceMask>(points, surface, rule, far, band, finish, task);
}
MaskPtr makeRegionMask(Region region, MaskFinish finish) { return std::make_shared<RegionMask>(region, finish); }
MaskPtr makeCrowdingMask(const std::vector<PointsPtr>& points, float radius, bool isFromAbove, bool isSoft, Band band,
                         MaskFinish finish) {
  return std::make_shared<CrowdingMask>(points, radius, isFromAbove, isSoft, band, finish);
}
MaskPtr makeOpennessMask(const SurfacePtr& ground, const std::vector<PointsPtr>& placements, int rays, float reach,
                         bool isAboutNormal, Band band, MaskFinish finish, const Task& task) {
  return std::make_shared<OpennessMask>(ground, placements, rays, reach, isAboutNormal, band, finish, task);
}
MaskPtr makeHollowsMask(SurfacePtr ground, float radius, int samples, Band band, MaskFinish finish) {
  return std::make_shared<HollowsMask>(std::move(ground), radius, samples, band, finish);
}

MaskPtr makeDepthMask(VolumePtr volume, std::shared_ptr<const DepthField> depth, Band band, MaskFinish finish) {
  return std::make_shared<const DepthMask>(std::move(volume), std::move(depth), band, finish);
}
MaskPtr makeDensityMask(DensityPtr density, Band band, MaskFinish finish) {
  return std::make_shared<const DensityMask>(std::move(density), band, finish);
}

}  // namespace arvesk
