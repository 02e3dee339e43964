// Edges of pieces that are not knife-sharp: rounded, and chipped here and there.
#pragma once

#include "core/spatial/breaking.h"

#include <unordered_map>

namespace arvesk {

struct WearRule {
  double width = 0;   // m: radius to which edges are rounded at most; 0: sharp
  double chips = 0;   // share of the edges where twice as much is gone
  double size = 0.2;  // m, from chip to chip
  std::uint32_t seed = 0;
};

struct Worn {
  DVec3 offset{0};  // m
  float wear = 0;   // 1 on the edge, 0 where it ends
};

/// Sides of triangles between two sheets (the skin, or the cut between two pieces), of all pieces: lower place in the
/// upper half.
std::vector<std::uint64_t> edgeSides(const Broken& broken);

/// Of one piece, the places that lie nearer to an edge than it is rounded there: each goes onto the arc that touches
/// both sheets. Hollow edges, and those below 30°, stay.
std::unordered_map<std::uint32_t, Worn> wornPlaces(const Broken& broken, std::uint32_t piece, const WearRule& rule);

}  // namespace arvesk
