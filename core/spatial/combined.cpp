// Volumes put together, cut to what they have in common, or taken away from each other.
#include "core/spatial/skin.h"

#include <algorithm>

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
  return std::make_shared<const Combined>(std::move(volumes), way, voxelSize);
}

}  // namespace arvesk
