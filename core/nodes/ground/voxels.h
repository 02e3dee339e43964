// Voxel sizes of nodes that give volumes: how finely these are drawn and made into surfaces.
#pragma once

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

/// "62×40×51 voxels, 3.1 MB": as many as its bounds hold, and what it takes now.
inline std::string voxelWords(const Volume& volume) {
  const Vec3 cells = glm::ceil(volume.bounds().extent() / volume.voxelSize());
  ByteCounter counter;
  volume.countBytes(counter);
  return fmt::format("{:.0f}×{:.0f}×{:.0f} voxels, {:.3g} MB", cells.x, cells.y, cells.z,
                     static_cast<double>(counter.bytes()) / 1e6);
}

}  // namespace arvesk::nodes
