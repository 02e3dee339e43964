#include "core/spatial/body.h"

#include "core/geometry/welding.h"
#include "core/spatial/embree_scene.h"
#include "core/spatial/shells.h"
#include "core/spatial/surface_index.h"

#include <embree3/rtcore.h>

#include <algorithm>
#include <atomic>

namespace arvesk {

/// A walk along one axis, and how often the shells wound around its beginning more than around its end.
struct Body::Segment {
  Vec3 from;
  int axis = 0;
  bool isForward = true;
  float to = 0;  // along the axis
  int winding = 0;
};

namespace {

/// A ray that takes what it meets along.
struct WalkContext {
  RTCIntersectContext base;
  const Body* body = nullptr;
  Body::Segment* segment = nullptr;
};

void boundsOf(const RTCBoundsFunctionArguments* args) {
  const Box3 box = static_cast<const Body*>(args->geometryUserPtr)->boxOf(args->primID);
  RTCBounds& out = *args->bounds_o;
  out.lower_x = box.min.x;
  out.lower_y = box.min.y;
  out.lower_z = box.min.z;
  out.upper_x = box.max.x;
  out.upper_y = box.max.y;
  out.upper_z = box.max.z;
}

/// Never stops the ray: all that it meets counts.
void meet(const RTCOccludedFunctionNArguments* args) {
  if (args->valid[0] == 0) return;
  auto* walk = reinterpret_cast<WalkContext*>(args->context);
  walk->body->cross(args->primID, *walk->segment);
}

constexpr int kLeastCells = 8;
constexpr int kMostCells = 128;

/// What no triangle parts winds alike: regions are found from runs of cells along x that touch each other across rows,
/// and each is asked once, of its first cell.
template <typename Ask>
void fillRegions(const glm::ivec3& cells, Array<std::int16_t>& winding, std::int16_t touched, const Ask& ask,
                 const Task& task) {
  struct Run {
    int from;
    int to;  // one after its last
    std::uint32_t before;
  };
  std::vector<Run> runs;
  const auto rows = static_cast<std::size_t>(cells.y) * static_cast<std::size_t>(cells.z);
  std::vector<std::uint32_t> first(rows + 1, 0);
  const auto regionOf = [&](std::uint32_t run) {
    while (runs[run].before != run) run = runs[run].before = runs[runs[run].before].before;
    return run;
  };
  const auto join = [&](std::size_t row, std::size_t other) {
    std::uint32_t a = first[row];
    std::uint32_t b = first[other];
    while (a < first[row + 1] && b < first[other + 1]) {
      if (runs[a].from < runs[b].to && runs[b].from < runs[a].to) {
        const std::uint32_t one = regionOf(a);
        const std::uint32_t two = regionOf(b);
        runs[std::max(one, two)].before = std::min(one, two);
      }
      ++(runs[a].to < runs[b].to ? a : b);
    }
  };
  for (std::size_t row = 0; row < rows && !task.isCancelled(); ++row) {
    const std::int16_t* row0 = winding.data() + row * static_cast<std::size_t>(cells.x);
    for (int x = 0; x < cells.x; ++x) {
      if (row0[x] == touched) continue;
      const int from = x;
      while (x < cells.x && row0[x] != touched) ++x;
      runs.push_back({from, x, static_cast<std::uint32_t>(runs.size())});
    }
    first[row + 1] = static_cast<std::uint32_t>(runs.size());
    if (row % static_cast<std::size_t>(cells.y) > 0) join(row, row - 1);
    if (row >= static_cast<std::size_t>(cells.y)) join(row, row - static_cast<std::size_t>(cells.y));
  }
  if (task.isCancelled()) return;
  std::vector<std::int16_t> windingOf(runs.size(), 0);
  for (std::size_t row = 0; row < rows && !task.isCancelled(); ++row)
    for (std::uint32_t run = first[row]; run < first[row + 1]; ++run) {
      const std::uint32_t region = regionOf(run);
      if (region == run) {  // the first of its region
        const glm::ivec3 cell(runs[run].from, static_cast<int>(row) % cells.y, static_cast<int>(row) / cells.y);
        windingOf[run] = ask(cell);
      }
      const std::size_t at = row * static_cast<std::size_t>(cells.x);
      std::fill(winding.begin() + static_cast<std::ptrdiff_t>(at) + runs[run].from,
                winding.begin() + static_cast<std::ptrdiff_t>(at) + runs[run].to, windingOf[region]);
    }
}

}  // namespace

Result<std::shared_ptr<const Body>> Body::of(const std::vector<SurfacePtr>& surfaces, const Task& task) {
  std::shared_ptr<Body> body(new Body());
  Array<Vec3> openPositions;
  Array<UVec3> openTriangles;
  for (const SurfacePtr& surface : surfaces)
    if (auto ok = checkSurface(*surface); !ok) return Failure(ok.error());
  Shells shells = shellsOf(surfaces);
  turnOutward(shells, task);
  for (std::size_t t = 0; t < shells.triangles.size(); ++t) {
    const Shell& shell = shells.list[shells.shellOf[t]];
    UVec3 v = shells.triangles[t];
    if (shell.isTurned) std::swap(v.y, v.z);
    (shell.isClosed ? body->m_triangles : openTriangles).push_back(v);
    for (int k = 0; k < 3; ++k) body->m_bounds.add(shells.positions[v[k]]);
  }
  if (task.isCancelled()) return Failure(cancelled());
  if (!openTriangles.empty()) body->m_open = WindingTree(shells.positions, std::move(openTriangles));
  body->m_positions = shells.positions;
  body->makeScene();
  body->makeGrid(task);
  if (task.isCancelled()) return Failure(cancelled());
  return std::shared_ptr<const Body>(body);
}

Box3 Body::boxOf(std::uint32_t triangle) const {
  Box3 box;
  for (int k = 0; k < 3; ++k) box.add(m_positions[m_triangles[triangle][k]]);
  return withRounding(box);
}

void Body::makeScene() {
  m_scene = newEmbreeScene();
  rtcSetSceneFlags(m_scene.get(), RTC_SCENE_FLAG_ROBUST);
  if (!m_triangles.empty()) {
    const EmbreeGeometry geometry = newEmbreeGeometry(RTC_GEOMETRY_TYPE_USER);
    rtcSetGeometryUserPrimitiveCount(geometry.get(), static_cast<unsigned>(m_triangles.size()));
    rtcSetGeometryUserData(geometry.get(), this);
    rtcSetGeometryBoundsFunction(geometry.get(), &boundsOf, nullptr);
    rtcSetGeometryOccludedFunction(geometry.get(), &meet);
    attach(m_scene.get(), geometry);
  }
  commitScene(m_scene.get());
}

/// Counts a crossing of the walk with a triangle exactly: seen along the axis, a place on an edge belongs to one of the
/// two triangles that share it, whichever way they are asked (the sums of one are those of the other with the sign
/// turned, and ties go by the direction of the edge).
void Body::cross(std::uint32_t triangle, Segment& segment) const {
  const UVec3 v = m_triangles[triangle];
  const int a1 = (segment.axis + 1) % 3;
  const int a2 = (segment.axis + 2) % 3;
  struct Corner {
    double u, v, along;
  };
  std::array<Corner, 3> c;
  for (int k = 0; k < 3; ++k) {
    const Vec3& p = m_positions[v[k]];
    c[static_cast<std::size_t>(k)] = {static_cast<double>(p[a1]) - static_cast<double>(segment.from[a1]),
                                      static_cast<double>(p[a2]) - static_cast<double>(segment.from[a2]),
                                      static_cast<double>(p[segment.axis])};
  }
  const auto edge = [](const Corner& a, const Corner& b) { return a.u * b.v - a.v * b.u; };
  const double e0 = edge(c[1], c[2]);
  const double e1 = edge(c[2], c[0]);
  const double e2 = edge(c[0], c[1]);
  const double area = e0 + e1 + e2;
  if (area == 0) return;
  // Ties as if the walk went by a hair to the one side of the edge.
  const auto isLeft = [](double e, const Corner& a, const Corner& b) {
    if (e != 0) return e > 0;
    return b.v != a.v ? b.v > a.v : b.u > a.u;
  };
  const bool l0 = isLeft(e0, c[1], c[2]);
  const bool l1 = isLeft(e1, c[2], c[0]);
  const bool l2 = isLeft(e2, c[0], c[1]);
  if (l0 != l1 || l1 != l2) return;
  const double along = (e0 * c[0].along + e1 * c[1].along + e2 * c[2].along) / area;
  const auto from = static_cast<double>(segment.from[segment.axis]);
  const auto to = static_cast<double>(segment.to);
  if (segment.isForward ? along <= from || along > to : along >= from || along < to) return;
  // The normal's part along the axis has the sign of the area; out of a shell is one time around.
  segment.winding += (l0 == segment.isForward) ? 1 : -1;
}

/// How often the closed shells wind around `place` more than around where the walk along `axis` ends.
int Body::windingFrom(const Vec3& place, int axis, float to) const {
  Segment segment{place, axis, to >= place[axis], to, 0};
  WalkContext walk;
  rtcInitIntersectContext(&walk.base);
  walk.body = this;
  walk.segment = &segment;
  RTCRay ray{};
  ray.org_x = place.x;
  ray.org_y = place.y;
  ray.org_z = place.z;
  Vec3 direction(0);
  direction[axis] = segment.isForward ? 1.0F : -1.0F;
  ray.dir_x = direction.x;
  ray.dir_y = direction.y;
  ray.dir_z = direction.z;
  ray.tnear = 0;
  ray.tfar = std::abs(to - place[axis]) * 1.00001F;
  ray.mask = ~0U;
  rtcOccluded1(m_scene.get(), &walk.base, &ray);
  return segment.winding;
}

glm::ivec3 Body::cellOf(const Vec3& place) const {
  return glm::clamp(glm::ivec3(glm::floor((place - m_corner) / m_cell)), glm::ivec3(0), m_cells - 1);
}

std::size_t Body::indexOf(const glm::ivec3& cell) const {
  return static_cast<std::size_t>(cell.x) +
         static_cast<std::size_t>(m_cells.x) * (static_cast<std::size_t>(cell.y) +
                                                static_cast<std::size_t>(m_cells.y) * static_cast<std::size_t>(cell.z));
}

Vec3 Body::middleOf(const glm::ivec3& cell) const { return m_corner + m_cell * (Vec3(cell) + 0.5F); }

void Body::makeGrid(const Task& task) {
  if (m_triangles.empty()) return;
  Box3 box;
  for (const UVec3& t : m_triangles)
    for (int k = 0; k < 3; ++k) box.add(m_positions[t[k]]);
  const float longest = std::max({box.extent().x, box.extent().y, box.extent().z, 1e-12F});
  const int cells = std::clamp(static_cast<int>(std::sqrt(static_cast<double>(m_triangles.size())) * 0.6), kLeastCells,
                               kMostCells);
  m_cell = longest * 1.0001F / static_cast<float>(cells);
  // One cell more on every side, which nothing touches.
  m_cells = glm::ivec3(glm::ceil(box.extent() / m_cell)) + 3;
  m_corner = box.center() - 0.5F * m_cell * Vec3(m_cells);
  m_winding.assign(indexOf(m_cells - 1) + 1, 0);

  parallelPieces(task, m_triangles.size(), 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t t = begin; t < end; ++t) {
      const UVec3 v = m_triangles[t];
      const Vec3 a = m_positions[v.x];
      const Vec3 normal = glm::cross(m_positions[v.y] - a, m_positions[v.z] - a);
      const Box3 around = boxOf(static_cast<std::uint32_t>(t));
      const Vec3 slack(0.001F * m_cell);
      const glm::ivec3 from = cellOf(around.min - slack);
      const glm::ivec3 to = cellOf(around.max + slack);
      const float reach = 0.501F * m_cell * (std::abs(normal.x) + std::abs(normal.y) + std::abs(normal.z));
      for (int z = from.z; z <= to.z; ++z)
        for (int y = from.y; y <= to.y; ++y)
          for (int x = from.x; x <= to.x; ++x)
            if (std::abs(glm::dot(normal, middleOf({x, y, z}) - a)) <= reach)
              std::atomic_ref(m_winding[indexOf({x, y, z})]).store(kTouched, std::memory_order_relaxed);
    }
  });

  fillRegions(
      m_cells, m_winding, kTouched,
      [&](const glm::ivec3& cell) {
        return static_cast<std::int16_t>(std::clamp(windingFrom(middleOf(cell), 0, m_corner.x), -30000, 30000));
      },
      task);
}

bool Body::isInside(const Vec3& place) const {
  if (!isFinite(place)) return false;
  if (!m_winding.empty() && !glm::any(glm::lessThanEqual(place, m_corner)) &&
      !glm::any(glm::greaterThanEqual(place, m_corner + m_cell * Vec3(m_cells)))) {
    const glm::ivec3 home = cellOf(place);
    int winding = m_winding[indexOf(home)];
    // From a cell that something touches to the nearest one that nothing does: the border is.
    for (int far = 1; winding == kTouched; ++far)
      for (int way = 0; way < 6 && winding == kTouched; ++way) {
        const int axis = way / 2;
        glm::ivec3 cell = home;
        cell[axis] += way % 2 == 0 ? far : -far;
        if (cell[axis] < 0 || cell[axis] >= m_cells[axis]) continue;
        const std::int16_t known = m_winding[indexOf(cell)];
        if (known != kTouched) winding = known + windingFrom(place, axis, middleOf(cell)[axis]);
      }
    if (winding != 0) return true;
  }
  return !m_open.isEmpty() && m_bounds.holds(place) && std::abs(m_open.at(place)) > 0.5;
}

Side Body::sideOf(const Box3& box) const {
  if (!withRounding(m_bounds).overlaps(box)) return Side::Outside;
  if (m_winding.empty()) return Side::Mixed;
  const Box3 grid{m_corner, m_corner + m_cell * Vec3(m_cells)};
  const glm::ivec3 from = cellOf(box.min - 0.001F * m_cell);
  const glm::ivec3 to = cellOf(box.max + 0.001F * m_cell);
  // What reaches beyond the grid is outside of the closed shells there, as the grid's rim is.
  const bool isBeyond = !grid.holds(box.min) || !grid.holds(box.max);
  const bool isIn = !isBeyond && m_winding[indexOf(from)] != 0;
  if (!isIn && !m_open.isEmpty()) return Side::Mixed;
  for (int z = from.z; z <= to.z; ++z)
    for (int y = from.y; y <= to.y; ++y)
      for (int x = from.x; x <= to.x; ++x) {
        const std::int16_t winding = m_winding[indexOf({x, y, z})];
        if (winding == kTouched || (winding != 0) != isIn) return Side::Mixed;
      }
  return isIn ? Side::Inside : Side::Outside;
}

void Body::countBytes(ByteCounter& counter) const {
  // A user geometry's tree takes about as much as its boxes (32 bytes) and nodes.
  counter.add(this, sizeof(*this) + m_triangles.capacity() * (sizeof(UVec3) + 64) +
                        m_winding.capacity() * sizeof(std::int16_t));
  m_positions.countBytes(counter);
  m_open.countBytes(counter);
}

}  // namespace arvesk
