// Where points that a hand made stand now: they go along with the piece of ground that they were put on, then find the
// side of the ground that they stood on.
#pragma once

#include "core/base/hand_points.h"
#include "core/spatial/ground.h"

namespace arvesk {

/// How the piece of ground with this key lies; as it was made where the surface says nothing of it. None when the
/// surface has no such piece.
std::optional<GroundPiece> pieceOf(const Surface& ground, std::uint32_t key);

/// Takes place, normal and heading along from where the piece lay to where it lies now.
void followGround(HandPoint& point, const GroundPiece& then, const Surface& ground);

/// The nearest place of the ground along the vertical (along the normal where that is more than 60° from it) whose face
/// looks to the side of `normal`; where none does within `reach` m, the nearest of all. A place that is still where it
/// was stays the same to the bit.
std::optional<GroundPlace> groundOfHand(const Surface& ground, const SurfaceIndex& index, const Vec3& place,
                                        const Vec3& normal, float reach);

/// As `groundOfHand`, along `axis` (unit length).
std::optional<GroundPlace> groundOnLine(const Surface& ground, const SurfaceIndex& index, const Vec3& place,
                                        const Vec3& axis, float reach);

/// Puts the point there, rounded to a tenth of a millimeter, and says on which piece.
void standOn(HandPoints& points, HandPoint& point, const GroundPlace& place, const Surface& ground);

/// The points as they stand on this ground now, so that they can be worked on where they are seen; those that find none
/// stay as they were.
HandPoints settled(HandPoints points, const Surface& ground, const SurfaceIndex& index, float reach);

}  // namespace arvesk
