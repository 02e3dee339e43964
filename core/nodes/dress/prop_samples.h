// Places on a prop's real mesh, sampled once per prop and carried by every placement of it.
#pragma once

#include "core/geometry/faces.h"
#include "core/plan/context.h"

namespace arvesk::nodes {

struct PropSample {
  Vec3 place{0};          // m, in the prop's space
  Quat turn{1, 0, 0, 0};  // Y along the normal; mount points as they were made
  Vec3 size{1};           // of mount points
  Vec3 normal = kUp;
  Vec2 uv{0};
  std::uint64_t code = 0;        // makes the child's id with the parent's
  std::uint32_t name = 0;        // into the caller's list of names: mount point or part
  std::uint32_t face = kNoFace;  // of the prop's mesh; none for mount points and parts
  Vec2 weights{0};
};

using PropSampleList = std::vector<PropSample>;

enum class SampleOf { Faces, Vertices, Even };

/// One sample per face, per vertex place, or spread evenly `spacing` m apart on the mesh at `size` (factors per axis,
/// above 0). Places are those of the mesh at size 1. `key` draws another even set.
PropSampleList samplesOf(const EvalContext& ctx, const Surface& surface, SampleOf of, const FaceRule& rule,
                         float spacing, const Vec3& size, std::uint64_t key);

}  // namespace arvesk::nodes
