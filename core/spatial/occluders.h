// What keeps the sky away from a place: a ground and what is set on it, as one Embree scene asked only whether a ray is
// stopped.
#pragma once

#include "core/spatial/surface_index.h"

namespace arvesk {

class Occluders {
 public:
  /// `ground` may be null; `placements` that carry no kit count as balls of their footprint standing on their place.
  /// After a cancel it may not be asked.
  Occluders(const SurfacePtr& ground, const std::vector<PointsPtr>& placements, const Task& task = {});
  Occluders(const Occluders&) = delete;
  Occluders& operator=(const Occluders&) = delete;

  /// Does a ray along unit `direction` meet anything between `from` and `to` m?
  bool isStopped(const Vec3& origin, const Vec3& direction, float from, float to) const;
  RTCSceneTy* scene() const { return m_scene.get(); }
  void countBytes(ByteCounter& counter) const;

 private:
  void add(const Points& placements, const Task& task);

  EmbreeScene m_scene;
  std::size_t m_instanceCount = 0;
  std::vector<SurfacePtr> m_surfaces;                          // kept alive
  std::vector<std::shared_ptr<const SurfaceIndex>> m_indices;  // their scenes are instanced
};

}  // namespace arvesk
