// Bodies for tests of what is inside, and how often a surface winds around a place, reckoned in long form.
#pragma once

#include "tests/support/support.h"

namespace arvesk::test {

SurfacePtr published(Surface s);
SurfacePtr turnedRound(const SurfacePtr& s);
SurfacePtr moved(const SurfacePtr& s, const Vec3& way, float size = 1);
/// Without some of its faces.
SurfacePtr without(const SurfacePtr& s, std::size_t first, std::size_t count);
/// A ball with bumps, out of shape but whole.
SurfacePtr pebble(int divisions);
/// Times a closed surface winds around a place: the sum of all solid angles, in long form with angles at the corners of
/// the spherical triangle (Girard's theorem), so that nothing is shared with what is tested.
double windingBySum(const Surface& s, const Vec3& place);
/// m³, by the divergence theorem.
double volumeOf(const Surface& closed);

}  // namespace arvesk::test
