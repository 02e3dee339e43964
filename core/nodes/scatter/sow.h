// Scattering on surfaces: the two ways of Sow on surface, apart from its declaration so that they can be tested and
// measured alone.
#pragma once

#include "core/plan/context.h"

namespace arvesk {

/// Points on faces, as structure of arrays; `code` is the ordinal within the face (or a path, for gap fillers).
struct Sown {
  Array<Vec3> position;
  Array<std::uint32_t> face;
  Array<Vec2> weights;  // barycentric
  Array<std::uint64_t> code;
  Array<std::uint64_t> id;  // hash(node, face, code)
  std::size_t size() const { return position.size(); }
};

/// Independent points, `density` per m² of `areas` (one per face, m²). Face f gets floor(density × area + u) points
/// with a fixed u in [0, 1) of its own, so a higher density only adds. Positions by folding the unit square (Turk,
/// "Generating random points in triangles", Graphics Gems, 1990).
Sown sowFree(const Task& task, const Surface& surface, const Array<float>& areas, double density, std::uint64_t nodeUid,
             Draw draw);

/// The same points with their ground records, made in one pass: what a density without "where" needs.
Points sowFreePoints(const Task& task, const Surface& surface, const Array<float>& areas, double density,
                     std::uint64_t nodeUid, Draw draw, float footprint);

/// The same, with "where" applied piece by piece, so that millions of candidates that do not stay take no memory.
/// `keeps` gets the candidates of some faces and says which stay; `candidates` becomes the number of all.
using KeepsCandidates = std::function<Array<std::uint8_t>(const Sown& candidates)>;
/// `isBarren` is asked first, of whole faces with the number of their candidates: where it says that none would stay,
/// none is made.
using IsBarren = std::function<bool(std::uint32_t face, std::uint32_t count)>;
Sown sowFreeWhere(const Task& task, const Surface& surface, const Array<float>& areas, double density,
                  std::uint64_t nodeUid, Draw draw, const KeepsCandidates& keeps, const IsBarren& isBarren,
                  std::size_t& candidates);

/// The density at which ordinal `code` of `face` appears; orders candidates so that an exact total nests.
double appearsAt(const Surface& surface, std::uint32_t face, std::uint64_t code, const Array<float>& areas, Draw draw);

/// No two points closer than half the sum of their spacings, and no room left for more (to within small gaps): dart
/// throwing on dense candidates, then darts only where nothing reaches yet, on triangles split in four (after Ebeida et
/// al., "A simple algorithm for maximal Poisson-disk sampling in high dimensions", Eurographics 2012; here on surface
/// triangles, with each round's darts decided by priority). `spacingOf` gives the spacing of places in m; all results
/// lie in [least, most].
using SpacingOf = std::function<void(const Sown& at, Array<float>& out)>;
Sown sowEven(const Task& task, const Surface& surface, const Array<float>& areas, float least, float most,
             bool isFromAbove, const SpacingOf& spacingOf, std::uint64_t nodeUid, Draw draw);

/// Points with ground records.
Points pointsFrom(const Task& task, const Surface& surface, Sown sown, float footprint);

}  // namespace arvesk
