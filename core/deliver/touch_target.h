// One placement that can be touched up: as its rules made it, and as it is shown.
#pragma once

#include "core/base/touch_ups.h"
#include "core/plan/evaluator.h"
#include "core/spatial/ground.h"
#include "core/spatial/surface_index.h"

namespace arvesk {

struct TouchTarget {
  std::uint64_t id = 0;  // that its Touch-ups knows it by
  // As it comes in there.
  Vec3 at{0};
  Quat stood{1, 0, 0, 0};
  Vec3 sized{1};
  Vec3 normal = kUp;
  std::string prop;             // uid, or empty
  std::optional<float> height;  // over the ground that is connected there, m; none where it stands on none
  // As it is shown.
  Vec3 place{0};
  Quat orientation{1, 0, 0, 0};
  Vec3 size{1};

  void showAs(const Points& points, std::size_t i) {
    place = points.position[i];
    orientation = points.orientation[i];
    size = points.size[i];
  }
};

/// What the ground of a Touch-ups finds under points.
class GroundUnder {
 public:
  GroundUnder() = default;
  explicit GroundUnder(SurfacePtr surface);
  GroundUnder(const Evaluation& evaluation, const Link& link)
      : GroundUnder(link.isEmpty() ? nullptr : evaluation.firstOf<SurfacePtr>(link.node)) {}
  /// Of a place near the ground; nothing for what hangs in the air or stands on other things.
  std::optional<GroundPlace> at(const Vec3& place, const Vec3& normal) const;
  std::optional<float> heightOf(const Vec3& place, const Vec3& normal) const;
  const SurfacePtr& surface() const { return m_surface; }
  const std::shared_ptr<const SurfaceIndex>& index() const { return m_index; }

 private:
  SurfacePtr m_surface;
  std::shared_ptr<const SurfaceIndex> m_index;  // null where there is no surface
};

/// Point i of those that come in.
TouchTarget targetOf(const Points& in, std::size_t i, const GroundUnder& ground);
/// One that is kept though its point is gone.
TouchTarget targetOf(const TouchUp& kept, const TouchUps& among, const GroundUnder& ground);

}  // namespace arvesk
