// Points ride on what bends (Surface::rest). A scattering kind makes its points on a surface or in a volume as it lies
// at rest, whichever moment it is, so they are the same ones, at the same places of the same faces, at all of them;
// then they are carried to where those faces are now, and turn along with them. Points that come in are carried back
// first. What lies within a body keeps its place under the nearest face of its skin. Masks are asked where the points
// are now.
#pragma once

#include "core/plan/node_kind.h"
#include "core/spatial/surface_index.h"

#include <mutex>

namespace arvesk {

/// What `kind` gives of these inputs, riding where it has to.
Result<Outputs> evaluateRiding(const NodeKind& kind, const EvalContext& ctx, const Inputs& inputs,
                               const ParamMap& params);

/// Carries what was made on or in surfaces at rest to where these are now.
class Carrier {
 public:
  struct Bent {
    SurfacePtr rest;
    SurfacePtr now;  // the same faces
  };
  /// Points with a ground record are on that face of the surface.
  static Carrier on(Bent surface) { return Carrier({std::move(surface)}, Trust::All); }
  /// The same where it may be so: else the nearest face carries them.
  static Carrier near(Bent surface) { return Carrier({std::move(surface)}, Trust::WhereLikely); }
  /// Points are carried by the nearest of all faces, whatever their ground record says.
  static Carrier in(std::vector<Bent> surfaces) { return Carrier(std::move(surfaces), Trust::None); }

  /// `points` where they are now. What stood off its face stands off as far, on the same side.
  Points carried(const Task& task, Points points) const;
  void countBytes(ByteCounter& counter) const;

 private:
  /// In the ground record of points.
  enum class Trust { None, WhereLikely, All };
  Carrier(std::vector<Bent> surfaces, Trust trust);
  struct Hold {
    std::size_t surface = 0;
    std::uint32_t face = kNoFace;
    bool isOnIt = false;  // as the ground record says
  };
  Hold holdOf(const Vec3& place, std::uint32_t record) const;
  Hold nearest(const Vec3& place) const;

  /// Of the surfaces at rest; made when a point asks that has no ground record.
  struct Indices {
    std::once_flag once;
    std::vector<std::shared_ptr<const SurfaceIndex>> all;  // null where there is nothing to find
  };
  std::vector<Bent> m_surfaces;
  std::shared_ptr<Indices> m_indices;
  Trust m_trust;
};

}  // namespace arvesk
