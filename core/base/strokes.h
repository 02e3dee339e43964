// What a brush left behind: dabs in the order they were made. Places in the world, never on a mesh.
#pragma once

#include "core/base/vec.h"

#include <cstdint>
#include <vector>

namespace arvesk {

struct Dab {
  Vec3 place{0};          // m
  float radius = 1;       // m
  float strength = 1;     // −1 (takes away) to 1 (adds)
  float softness = 0.5F;  // share of the radius over which it fades
  Vec3 side{0};           // normal of the side that it paints, of any length; zero: all sides
  bool operator==(const Dab&) const = default;
};

struct Strokes {
  std::vector<Dab> dabs;
  bool operator==(const Strokes&) const = default;
};

/// Faces picked by hand.
struct FaceList {
  std::vector<std::uint64_t> keys;
  bool operator==(const FaceList&) const = default;
};

}  // namespace arvesk
