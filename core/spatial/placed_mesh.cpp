#include "core/spatial/placed_mesh.h"

namespace arvesk {

PlacedMesh::PlacedMesh(Array<DVec3> places, Array<UVec3> triangles)
    : m_places(std::move(places)), m_triangles(std::move(triangles)) {
  for (std::size_t t = 0; t < m_triangles.size(); ++t) m_box.add(triangle(t).box);
  m_columns = TriangleColumns(m_triangles.size(), m_box, [&](std::size_t t) { return triangle(t).box; });
}

void PlacedMesh::move(const DVec3& way) {
  for (DVec3& p : m_places) p += way;
  if (isEmpty()) return;
  m_box = {};
  for (std::size_t t = 0; t < m_triangles.size(); ++t) m_box.add(triangle(t).box);
  m_columns = TriangleColumns(m_triangles.size(), m_box, [&](std::size_t t) { return triangle(t).box; });
}

PlacedMesh placedMesh(const Points& points, std::size_t i) {
  const std::int32_t entry = points.kit ? points.prop[i] : kNoProp;
  if (entry == kNoProp) return {};
  const Prop& prop = *points.kit->entries[static_cast<std::size_t>(entry)].prop;
  if (prop.isMissing) return {};
  const Surface& mesh = *prop.surface;
  const DVec3 at(points.position[i]);
  const glm::dmat3 turn = glm::mat3_cast(glm::dquat(points.orientation[i]));
  const DVec3 size(points.size[i]);
  Array<DVec3> places;
  places.reserve(mesh.positions.size());
  for (const Vec3& p : mesh.positions) places.push_back(at + turn * (size * DVec3(p)));
  const bool isMirrored = size.x * size.y * size.z < 0;
  Array<UVec3> triangles;
  triangles.reserve(mesh.triangles.size());
  for (const UVec3& t : mesh.triangles) triangles.push_back(isMirrored ? UVec3(t.x, t.z, t.y) : t);
  return {std::move(places), std::move(triangles)};
}

}  // namespace arvesk
