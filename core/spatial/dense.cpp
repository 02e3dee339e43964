// A density as a volume: inside is what is denser than its edge.
#include "core/spatial/coherent_nearest.h"
#include "core/spatial/meshing.h"
#include "core/spatial/volume.h"

namespace arvesk {
namespace {

/// By the triangles at the edge, its sign by what is inside.
class DenseDepth final : public DepthField {
 public:
  DenseDepth(DensityPtr density, SurfacePtr skin, std::shared_ptr<const SurfaceIndex> index)
      : m_density(std::move(density)), m_skin(std::move(skin)), m_nearest(std::move(index)) {}
  Depth at(const Vec3& place) const override {
    const bool isInside = m_density->at(place) > m_density->look().edge;
    const SurfaceHit hit = m_nearest.at(place);
    if (!hit.isHit()) return {isInside ? 0 : std::numeric_limits<float>::lowest(), kUp};
    const Vec3 toSkin = m_skin->positionAt(hit.face, hit.weights) - place;
    const Vec3 face = m_skin->faceNormal(hit.face);
    return {isInside ? hit.distance : -hit.distance, directionOr(isInside ? toSkin : -toSkin, face)};
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_skin->countBytes(counter);
  }

 private:
  DensityPtr m_density;
  SurfacePtr m_skin;
  CoherentNearest m_nearest;
};

class Dense final : public Volume {
 public:
  Dense(DensityPtr density, const BodyFrame& frame) : m_density(std::move(density)), m_frame(frame) {}
  Box3 bounds() const override { return m_density->bounds(); }
  bool isInside(const Vec3& place) const override { return m_density->at(place) > m_density->look().edge; }
  Side sideOf(const Box3& box) const override { return m_density->sideOf(box); }
  std::shared_ptr<const DepthField> depth(const Task& task) const override {
    return derived.get<DepthField>([&]() -> std::shared_ptr<const DepthField> {
      SurfacePtr skin = levelOf(*m_density, task);
      if (!skin) return nullptr;
      auto index = SurfaceIndex::of(*skin);
      return index ? std::make_shared<const DenseDepth>(m_density, std::move(skin), *index) : nullptr;
    });
  }
  void addSurfaces(std::vector<SurfacePtr>&) const override {}
  bool isOffset() const override { return true; }
  BodyFrame frame() const override { return m_frame; }
  float voxelSize() const override { return m_density->voxelSize(); }
  bool hasDensity() const override { return true; }
  DensityPtr density(const Task&) const override { return m_density; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_density->countBytes(counter);
    derived.countBytes(counter);
  }

 private:
  DensityPtr m_density;
  BodyFrame m_frame;
};

}  // namespace

VolumePtr makeDense(DensityPtr density, const BodyFrame& frame) {
  return std::make_shared<const Dense>(std::move(density), frame);
}

}  // namespace arvesk
