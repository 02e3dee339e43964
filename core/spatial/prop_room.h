// The room that a prop's geometry takes in its own space: its box, and the hulls of its pieces.
#pragma once

#include "core/geometry/prop.h"

namespace arvesk {

/// A convex body through corners of the mesh.
struct HullPiece {
  std::vector<Vec3> corners;  // m, in the prop's space
  Vec3 middle{0};             // of its box
  float radius = 0;           // m about the middle
  float thinnest = 0;         // m: the smallest half extent of its box
};

struct PropRoom {
  Vec3 middle{0};       // m: of the box about the geometry
  Vec3 half{0};         // m
  float footprint = 0;  // m: radius about the pivot as seen from above
  std::vector<HullPiece> pieces;
  void countBytes(ByteCounter& counter) const;
};

/// Of all of the prop, or of its base (its lowest tenth). At most 32 pieces: of a prop with more, those that lie
/// together make one hull; and a hull goes through at most some 130 corners, the outermost in directions spread evenly.
/// Pieces are found only when they are asked for. Made when first asked for.
std::shared_ptr<const PropRoom> roomOf(const Prop& prop, Footprint which, bool withPieces);

}  // namespace arvesk
