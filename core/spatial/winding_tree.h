// How often a surface that need not be closed winds around a place: for bodies with holes.
#pragma once

#include "core/base/shared_array.h"
#include "core/base/vec.h"

#include <vector>

namespace arvesk {

/// Solid angle of the triangle as seen from `place`, as a share of the whole sphere; above 0 where the place lies
/// behind it (van Oosterom and Strackee, "The solid angle of a plane triangle", IEEE Transactions on Biomedical
/// Engineering, 1983).
double windingOf(const Vec3& place, const Vec3& a, const Vec3& b, const Vec3& c);

/// Sums of `windingOf` over many triangles, far groups of them as one dipole each (Barill, Dickson, Schmidt, Levin and
/// Jacobson, "Fast winding numbers for soups and clouds", ACM Transactions on Graphics, 2018).
class WindingTree {
 public:
  WindingTree() = default;
  WindingTree(SharedArray<Vec3> positions, Array<UVec3> triangles);

  /// About 1 inside, 0 outside, between the two near holes; −1 inside of what is turned round.
  double at(const Vec3& place) const;
  bool isEmpty() const { return m_nodes.empty(); }
  void countBytes(ByteCounter& counter) const;

 private:
  struct Node {
    Vec3 middle{0};  // by area
    Vec3 dipole{0};  // sum of normals by area, m²
    float radius = 0;
    std::uint32_t first = 0;  // triangles of a leaf
    std::uint32_t count = 0;  // 0: an inner node
    std::uint32_t next = 0;   // the second child; the first one follows its parent
  };
  std::uint32_t build(std::uint32_t first, std::uint32_t count);

  SharedArray<Vec3> m_positions;
  Array<UVec3> m_triangles;
  std::vector<Node> m_nodes;
};

}  // namespace arvesk
