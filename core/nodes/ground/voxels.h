// Voxel sizes of nodes that give volumes: how finely these are drawn and made into surfaces.
#pragma once

#include "core/geometry/welding.h"
#include "core/plan/node_kind.h"

#include <fmt/format.h>

namespace arvesk::nodes {

template <typename P>
ParamSpec voxelSizeParam(const char* id, float P::*member) {
  return param(id, member, ARVESK_TEXT("node", "Voxel size"),
               ARVESK_TEXT("node", "How finely it is drawn and made into a surface; points do not depend on it."))
      .in(Unit::Meter)
      .hard(0.0005, 1e3)
      .usual(0.01, 2, 0.01);
}

/// Names the open edges of what a volume is made of, if there are any.
inline void warnOfOpenEdges(const EvalContext& ctx, const Volume& volume) {
  if (!volume.hasLooseSkin()) return;  // closed, all of it
  std::vector<SurfacePtr> surfaces;
  volume.addSurfaces(surfaces);
  for (const SurfacePtr& surface : surfaces) {
    const auto open = openEdges(*surface);
    if (open.empty()) continue;
    const Vec3 at = 0.5F * (open.front().first + open.front().second);
    const std::string name = surface->name.empty() ? "the surface" : surface->name;
    ctx.warn(open.size() == 1 ? fmt::format("1 open edge in {}, at {:.2f}, {:.2f}, {:.2f}", name, at.x, at.y, at.z)
                              : fmt::format("{} open edges in {}, the first at {:.2f}, {:.2f}, {:.2f}", open.size(),
                                            name, at.x, at.y, at.z),
             "Near holes inside and outside are told apart by how much of the body surrounds a place; close them to be "
             "exact. Put the node in Site to see them");
  }
}

/// "62×40×51 voxels, 3.1 MB": as many as its bounds hold, and what it takes now.
inline std::string voxelWords(const Volume& volume) {
  const Vec3 cells = glm::ceil(volume.bounds().extent() / volume.voxelSize());
  ByteCounter counter;
  volume.countBytes(counter);
  return fmt::format("{:.0f}×{:.0f}×{:.0f} voxels, {:.3g} MB", cells.x, cells.y, cells.z,
                     static_cast<double>(counter.bytes()) / 1e6);
}

}  // namespace arvesk::nodes
