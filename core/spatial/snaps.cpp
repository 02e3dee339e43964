#include "core/spatial/snaps.h"

#include "core/geometry/welding.h"

namespace arvesk {
namespace {

PointGrid gridOf(const std::vector<Vec3>& places, float cell) {
  Array<PointGrid::Entry> entries;
  for (std::size_t i = 0; i < places.size(); ++i) entries.push_back({places[i], 0, static_cast<std::uint32_t>(i)});
  return {entries, cell};
}

/// The nearest entry within `reach` that `fits`.
template <typename Fits>
std::optional<PointGrid::Entry> nearestIn(const PointGrid& grid, const Vec3& place, float reach, Fits fits) {
  std::optional<PointGrid::Entry> best;
  float least = reach;
  grid.near(place, reach, [&](const PointGrid::Entry& e) {
    const float d = glm::distance(e.position, place);
    if (d < least && fits(e)) {
      least = d;
      best = e;
    }
    return false;
  });
  return best;
}

}  // namespace

Snaps::Snaps(const Surface& ground, const std::vector<Vec3>& mounts, const HandPoints& own, const Task& task,
             std::size_t mostFaces)
    : m_mounts(gridOf(mounts, 2)), m_points(own.list.all()) {
  std::vector<Vec3> places;
  for (const HandPoint& p : m_points) places.push_back(p.place);
  m_own = gridOf(places, 2);
  if (ground.faceCount() > mostFaces) return;
  const float sharp = std::cos(radians(30));
  const Array<TriangleEdge> edges = edgesByPlace(ground, *weldedOf(ground));
  for (std::size_t from = 0, to = 0; from < edges.size(); from = to) {
    if (task.isCancelled()) return;
    const TriangleEdge& first = edges[from];
    bool isSharp = false;
    for (to = from; to < edges.size() && edges[to].places == first.places; ++to)
      isSharp = isSharp || glm::dot(ground.faceNormal(first.triangle), ground.faceNormal(edges[to].triangle)) < sharp;
    const UVec3& t = ground.triangles[first.triangle];
    const auto k = static_cast<int>(first.corner);
    if (isSharp || to == from + 1) m_edges.push_back({ground.positions[t[k]], ground.positions[t[(k + 1) % 3]]});
  }
}

std::optional<Snap> Snaps::nextOfRow(const Vec3& place) const {
  constexpr float kLongest = 20;  // m between two of a row
  const auto last = nearestIn(m_own, place, kLongest, [](const PointGrid::Entry&) { return true; });
  if (!last) return {};
  // The one before it: of those that lie across from the place, the nearest.
  const Vec3 ahead = directionOr(place - last->position, Vec3(0));
  const auto before = nearestIn(m_own, last->position, kLongest, [&](const PointGrid::Entry& e) {
    return e.index != last->index && glm::dot(directionOr(last->position - e.position, Vec3(0)), ahead) > 0.7F;
  });
  if (!before) return {};
  const Vec3 step = last->position - before->position;
  const Vec3 next = last->position + step;
  if (glm::distance(next, place) > 0.5F * glm::length(step)) return {};
  return Snap{Snap::To::Row, next, m_points[last->index].heading};
}

std::optional<Snap> Snaps::near(const Vec3& place, float within) const {
  if (const auto mount = nearestIn(m_mounts, place, within, [](const PointGrid::Entry&) { return true; }))
    return Snap{Snap::To::MountPoint, mount->position, {}};
  if (const auto row = nextOfRow(place)) return row;
  std::optional<Snap> best;
  float least = within;
  for (const Edge& e : m_edges) {
    const Vec3 way = e.b - e.a;
    const float length = glm::dot(way, way);
    const float t = length > 0 ? std::clamp(glm::dot(place - e.a, way) / length, 0.0F, 1.0F) : 0.0F;
    const Vec3 at = e.a + way * t;
    const float d = glm::distance(at, place);
    if (d >= least) continue;
    least = d;
    best = Snap{Snap::To::Edge, at, degrees(headingOf(way))};
  }
  return best;
}

}  // namespace arvesk
