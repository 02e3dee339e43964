// Volumes put together, cut to what they have in common, or taken away from each other.
#include "core/spatial/skin.h"

#include <algorithm>
#include <set>

namespace arvesk {
namespace {

/// Of volumes of which one is an offset: by what each of them says.
class CombinedDepth final : public DepthField {
 public:
  CombinedDepth(std::vector<std::shared_ptr<const DepthField>> fields, CombineWay way)
      : m_fields(std::move(fields)), m_way(way) {}
  Depth at(const Vec3& place) const override {
    Depth out = m_fields.front()->at(place);
    for (std::size_t i = 1; i < m_fields.size(); ++i) {
      Depth d = m_fields[i]->at(place);
      if (m_way == CombineWay::Without) d = {-d.meters, -d.outward};
      if (m_way == CombineWay::Together ? d.meters > out.meters : d.meters < out.meters) out = d;
    }
    return out;
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    for (const auto& f : m_fields) f->countBytes(counter);
  }

 private:
  std::vector<std::shared_ptr<const DepthField>> m_fields;
  CombineWay m_way;
};

/// The densities of several volumes as one; bodies among them hold it in, or leave it out.
class DensityMixer {
 public:
  DensityMixer(const std::vector<VolumePtr>& volumes, CombineWay way, const Task& task) : m_way(way), m_task(task) {
    for (std::size_t i = 0; i < volumes.size(); ++i) {
      const bool isTaken = way == CombineWay::Without && i > 0;
      if (volumes[i]->hasDensity()) {
        DensityPtr density = volumes[i]->density(task);
        m_isWhole = m_isWhole && density;
        (isTaken ? m_taken : m_given).push_back(std::move(density));
      } else {
        (isTaken ? m_out : m_in).push_back(volumes[i]);
      }
    }
  }
  DensityPtr mixed() const {
    if (!m_isWhole || m_given.empty()) return nullptr;
    const Density& first = *m_given.front();
    const auto less = [](const IVec3& a, const IVec3& b) {
      return a.z != b.z ? a.z < b.z : a.y != b.y ? a.y < b.y : a.x < b.x;
    };
    std::set<IVec3, decltype(less)> places(first.bricks().begin(), first.bricks().end(), less);
    if (m_way == CombineWay::Together)
      for (std::size_t i = 1; i < m_given.size(); ++i) addPlaces(*m_given[i], first.lattice(), places);
    const auto fill = [&](const IVec3& from, float* values) {
      bool isAny = false;
      for (int z = 0; z < Density::kSide; ++z)
        for (int y = 0; y < Density::kSide; ++y)
          for (int x = 0; x < Density::kSide; ++x) {
            const float v = at(first.worldAt(Vec3(from + IVec3(x, y, z))));
            *values++ = v;
            isAny = isAny || v > 0;
          }
      return isAny;
    };
    const auto out = Density::filled(first.lattice(), {places.begin(), places.end()}, fill, first.look(), m_task);
    return out ? *out : nullptr;
  }

 private:
  float at(const Vec3& place) const {
    float v = m_given.front()->at(place);
    for (std::size_t i = 1; i < m_given.size(); ++i)
      v = m_way == CombineWay::Together ? std::max(v, m_given[i]->at(place)) : std::min(v, m_given[i]->at(place));
    for (const DensityPtr& d : m_taken) v -= d->at(place);
    if (!(v > 0)) return 0;
    const auto holds = [&](const VolumePtr& volume) { return volume->isInside(place); };
    const bool isIn = m_way == CombineWay::Together || std::all_of(m_in.begin(), m_in.end(), holds);
    return isIn && std::none_of(m_out.begin(), m_out.end(), holds) ? v : 0;
  }
  /// Those of the lattice that bricks of another one reach into.
  template <typename Places>
  static void addPlaces(const Density& other, const Density::Lattice& lattice, Places& places) {
    const glm::dmat3 toLattice = glm::inverse(lattice.axes);
    for (const IVec3& brick : other.bricks()) {
      DVec3 low(std::numeric_limits<double>::infinity());
      DVec3 high = -low;
      for (int i = 0; i < 8; ++i) {
        const IVec3 corner = Density::kEdge * (brick + IVec3(i & 1, i >> 1 & 1, i >> 2));
        const DVec3 own = toLattice * (other.lattice().origin + other.lattice().axes * DVec3(corner) - lattice.origin);
        low = glm::min(low, own);
        high = glm::max(high, own);
      }
      const IVec3 from = IVec3(glm::floor(low / static_cast<double>(Density::kEdge)));
      const IVec3 to = IVec3(glm::floor(high / static_cast<double>(Density::kEdge)));
      for (int z = from.z; z <= to.z; ++z)
        for (int y = from.y; y <= to.y; ++y)
          for (int x = from.x; x <= to.x && places.size() <= Density::kMostBricks; ++x) places.insert({x, y, z});
    }
  }

  CombineWay m_way;
  const Task& m_task;
  bool m_isWhole = true;
  std::vector<DensityPtr> m_given;  // of the result
  std::vector<DensityPtr> m_taken;  // taken away from it
  std::vector<VolumePtr> m_in;
  std::vector<VolumePtr> m_out;
};

class Combined final : public Volume {
 public:
  Combined(std::vector<VolumePtr> volumes, CombineWay way, float voxelSize)
      : m_volumes(std::move(volumes)), m_way(way), m_voxelSize(voxelSize), m_bounds(m_volumes.front()->bounds()) {
    for (std::size_t i = 1; i < m_volumes.size(); ++i) {
      const Box3 other = m_volumes[i]->bounds();
      if (way == CombineWay::Together) m_bounds.add(other);
      if (way != CombineWay::Common) continue;
      m_bounds = {glm::max(m_bounds.min, other.min), glm::min(m_bounds.max, other.max)};
      if (glm::any(glm::greaterThan(m_bounds.min, m_bounds.max))) m_bounds = {};
    }
  }
  Box3 bounds() const override { return m_bounds; }
  bool isInside(const Vec3& place) const override {
    const auto is = [&](const VolumePtr& v) { return v->isInside(place); };
    switch (m_way) {
      case CombineWay::Together: return std::any_of(m_volumes.begin(), m_volumes.end(), is);
      case CombineWay::Common: return std::all_of(m_volumes.begin(), m_volumes.end(), is);
      case CombineWay::Without:
        return is(m_volumes.front()) && std::none_of(m_volumes.begin() + 1, m_volumes.end(), is);
    }
    return false;
  }
  Side sideOf(const Box3& box) const override {
    if (!m_bounds.overlaps(box)) return Side::Outside;
    // One that decides, or all that agree.
    const Side deciding = m_way == CombineWay::Together ? Side::Inside : Side::Outside;
    const Side other = deciding == Side::Inside ? Side::Outside : Side::Inside;
    bool doAllAgree = true;
    for (std::size_t i = 0; i < m_volumes.size(); ++i) {
      Side side = m_volumes[i]->sideOf(box);
      if (m_way == CombineWay::Without && i > 0 && side != Side::Mixed)
        side = side == Side::Inside ? Side::Outside : Side::Inside;
      if (side == deciding) return deciding;
      doAllAgree = doAllAgree && side == other;
    }
    return doAllAgree ? other : Side::Mixed;
  }
  std::shared_ptr<const DepthField> depth(const Task& task) const override {
    if (!isOffset()) return skinDepthOf(*this, task);
    return derived.get<CombinedDepth>([&]() -> std::shared_ptr<const CombinedDepth> {
      std::vector<std::shared_ptr<const DepthField>> fields;
      for (const VolumePtr& v : m_volumes) {
        fields.push_back(v->depth(task));
        if (!fields.back()) return nullptr;
      }
      return std::make_shared<const CombinedDepth>(std::move(fields), m_way);
    });
  }
  void addSurfaces(std::vector<SurfacePtr>& out) const override {
    for (const VolumePtr& v : m_volumes) v->addSurfaces(out);
  }
  bool isOffset() const override {
    return std::any_of(m_volumes.begin(), m_volumes.end(), [](const VolumePtr& v) { return v->isOffset(); });
  }
  bool hasDensity() const override {
    if (m_way == CombineWay::Without) return m_volumes.front()->hasDensity();
    return std::any_of(m_volumes.begin(), m_volumes.end(), [](const VolumePtr& v) { return v->hasDensity(); });
  }
  DensityPtr density(const Task& task) const override {
    if (!hasDensity()) return nullptr;
    return derived.get<Density>([&] { return DensityMixer(m_volumes, m_way, task).mixed(); });
  }
  BodyFrame frame() const override { return m_volumes.front()->frame(); }
  float voxelSize() const override { return m_voxelSize; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    for (const VolumePtr& v : m_volumes) v->countBytes(counter);
    derived.countBytes(counter);
  }

 private:
  std::vector<VolumePtr> m_volumes;
  CombineWay m_way;
  float m_voxelSize;
  Box3 m_bounds;
};

}  // namespace

VolumePtr makeCombined(std::vector<VolumePtr> volumes, CombineWay way, float voxelSize) {
  ARVESK_ASSERT(!volumes.empty(), "there is something to combine");
  VolumePtr out = std::make_shared<const Combined>(volumes, way, voxelSize);
  if (std::none_of(volumes.begin(), volumes.end(), [](const VolumePtr& v) { return v->makeAtRest != nullptr; }))
    return out;
  return bending(std::move(out), [volumes = std::move(volumes), way, voxelSize](const Task& task) -> Result<VolumePtr> {
    std::vector<VolumePtr> rest;
    for (const VolumePtr& v : volumes) {
      auto one = v->makeAtRest ? v->makeAtRest(task) : Result<VolumePtr>(v);
      if (!one) return one;
      rest.push_back(std::move(*one));
    }
    return VolumePtr(std::make_shared<const Combined>(std::move(rest), way, voxelSize));
  });
}

}  // namespace arvesk
