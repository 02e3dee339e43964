// Vertices at one place as one: files split them for normals and uvs, and rounding moves them a little.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

struct Welded {
  Array<std::uint32_t> place;   // vertex → number of its place
  Array<std::uint32_t> vertex;  // place → the first vertex that lies there
  void countBytes(ByteCounter& counter) const {
    counter.add(this, (place.capacity() + vertex.capacity()) * sizeof(std::uint32_t));
  }
};

/// Vertices closer than a millionth of the surface's diagonal count as one. Made when first asked for.
std::shared_ptr<const Welded> weldedOf(const Surface& surface);

/// The edges that only one face has, as pairs of places; edges without length do not count.
std::vector<std::pair<Vec3, Vec3>> openEdges(const Surface& surface);
/// Those, and the ones where two faces meet at more than `degrees`: 90 are those of a box. Faces without area do not
/// count.
std::vector<std::pair<Vec3, Vec3>> edgesOver(const Surface& surface, float degrees);
/// 0 for a closed surface.
std::size_t openEdgeCount(const Surface& surface);

/// One side of one triangle, by the places it joins: the lower one in the upper half.
struct TriangleEdge {
  std::uint64_t places;
  std::uint32_t triangle;
  std::uint32_t corner;  // it runs from this corner to the next
};
/// All sides with length, those between the same places next to each other, then by triangle.
Array<TriangleEdge> edgesByPlace(const Surface& surface, const Welded& welded);

}  // namespace arvesk
