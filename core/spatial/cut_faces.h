// What the cuts of a broken body are like: how fine their triangles are, and how rough.
#pragma once

#include "core/spatial/worn_edges.h"

namespace arvesk {

struct CutRule {
  double longest = 0;    // m: no side of a cut's triangle is longer; 0: as it comes
  double roughness = 0;  // m: how far places of a cut are moved at most, about; 0: flat
  double size = 0.2;     // m, of the largest bumps
  std::uint32_t seed = 0;
  WearRule wear;
  std::size_t triangles = 0;  // longer sides stay when there are about so many in all; 0: none stay
};

/// Splits cuts until no side is longer than wanted, and moves what lies within the body by noise in all three
/// directions, less toward the skin, which stays as it is. What two pieces share is split and moved once, so they fit
/// as before, and their volumes add up to the same. By bisection of the longest side (Rivara, "Algorithms for
/// refining triangular grids suitable for adaptive and multigrid techniques", 1984), of equal ones that of the lower
/// places. Where edges are to be worn (see wornPlaces), places are put in rows along them, on the skin too.
/// Fails with TooMany above `mostTriangles`.
Result<void> shapeCuts(Broken& broken, const CutRule& rule, std::size_t mostTriangles);

}  // namespace arvesk
