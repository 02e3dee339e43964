// Meshes of placements where they stand.
#pragma once

#include "core/geometry/points.h"
#include "core/geometry/prop.h"
#include "core/spatial/triangle_columns.h"

#include <array>

namespace arvesk {

struct PlacedTriangle {
  std::array<DVec3, 3> corner;  // m, world; counter-clockwise from outside, also of mirrored placements
  DBox3 box;
  DVec3 area() const { return 0.5 * glm::cross(corner[1] - corner[0], corner[2] - corner[0]); }  // m², outward
};

/// Many of them are held at once: triangles are made of their corners when they are asked for.
class PlacedMesh {
 public:
  PlacedMesh() = default;
  PlacedMesh(Array<DVec3> places, Array<UVec3> triangles);

  bool isEmpty() const { return m_triangles.empty(); }
  std::size_t count() const { return m_triangles.size(); }
  const DBox3& box() const { return m_box; }
  PlacedTriangle triangle(std::size_t i) const {
    const UVec3& t = m_triangles[i];
    PlacedTriangle out{{m_places[t.x], m_places[t.y], m_places[t.z]}, {}};
    for (const DVec3& c : out.corner) out.box.add(c);
    return out;
  }
  /// Calls visit(triangle) once for each that stands in the columns of `of`.
  template <typename Visit>
  void over(const DBox3& of, Visit visit) const {
    PlacedTriangle now;
    m_columns.meeting(
        of,
        [&](std::uint32_t t) -> const DBox3& {
          now = triangle(t);
          return now.box;
        },
        [&](std::uint32_t) { visit(now); });
  }
  void move(const DVec3& way);

 private:
  Array<DVec3> m_places;
  Array<UVec3> m_triangles;
  DBox3 m_box;
  TriangleColumns m_columns;
};

/// Of placement i; empty where it has no prop, or one that is missing.
PlacedMesh placedMesh(const Points& points, std::size_t i);

}  // namespace arvesk
