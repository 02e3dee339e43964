#include "core/spatial/surface_index.h"

#include "core/geometry/faces.h"
#include "core/spatial/embree_scene.h"

#include <embree3/rtcore.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>

namespace arvesk {
namespace {

struct IndexOrProblem {
  Result<std::shared_ptr<const SurfaceIndex>> result;
  void countBytes(ByteCounter& counter) const {
    if (result) (*result)->countBytes(counter);
  }
};

// A grid goes to Embree in blocks of two by two cells. It parts a cell between the other two corners than we do, so the
// columns are handed over mirrored. That index is built six times faster than one of triangles, and rays take as long
// (1025² vertices).
constexpr std::uint32_t kBlock = 2;

std::uint32_t blocksFor(std::uint32_t vertices) { return (vertices - 1 + kBlock - 1) / kBlock; }

/// Cells of a block: first column and row, as handed over, and how many.
struct Block {
  std::uint32_t column, row, columns, rows;
};

Block blockOf(const GridShape& grid, std::uint32_t primitive) {
  const std::uint32_t across = blocksFor(grid.columns);
  const std::uint32_t column = primitive % across * kBlock;
  const std::uint32_t row = primitive / across * kBlock;
  return {column, row, std::min(kBlock, grid.columns - 1 - column), std::min(kBlock, grid.rows - 1 - row)};
}

/// The first of the two faces of a cell, its column as handed over.
std::uint32_t faceOfCell(const GridShape& grid, std::uint32_t mirroredColumn, std::uint32_t row) {
  return (row * (grid.columns - 1) + (grid.columns - 2 - mirroredColumn)) * 2;
}

struct NearestQuery {
  const Vec3* positions;
  const UVec3* triangles;
  GridShape grid;
  Vec3 place;
  SurfaceHit best;

  bool visit(std::uint32_t face) {
    const UVec3 t = triangles[face];
    const Vec3 a = positions[t.x];
    const Vec3 b = positions[t.y];
    const Vec3 c = positions[t.z];
    if (isFarFromPlane(a, b - a, c - a)) return false;
    const Vec2 w = closestWeights(place, a, b, c);
    const float distance = glm::distance(place, a + (b - a) * w.x + (c - a) * w.y);
    // Equal distances (a shared edge) go to the lower face, whatever order the tree is walked in.
    if (distance > best.distance || (distance == best.distance && face >= best.face)) return false;
    best = {distance, face, w};
    return true;
  }

  /// True only when the triangle's plane is farther than the best so far: most of what boxes let through ends here.
  /// What is added is well above what rounding does to the two products, slivers included.
  bool isFarFromPlane(const Vec3& a, const Vec3& ab, const Vec3& ac) const {
    const Vec3 from = place - a;
    const Vec3 normal = glm::cross(ab, ac);
    const float along = glm::dot(normal, from);
    const float rounding = 1e-10F * glm::dot(ab, ab) * glm::dot(ac, ac) * glm::dot(from, from);
    return along * along > 1.02F * glm::dot(normal, normal) * best.distance * best.distance + rounding;
  }
};

/// So that places that are as far are met too.
float withHair(float distance) { return distance * 1.000001F; }

bool visitPrimitive(RTCPointQueryFunctionArguments* args) {
  auto* query = static_cast<NearestQuery*>(args->userPtr);
  bool isNearer = false;
  if (query->grid.columns > 0) {
    const Block block = blockOf(query->grid, args->primID);
    for (std::uint32_t y = 0; y < block.rows; ++y)
      for (std::uint32_t x = 0; x < block.columns; ++x) {
        const std::uint32_t face = faceOfCell(query->grid, block.column + x, block.row + y);
        isNearer |= query->visit(face);
        isNearer |= query->visit(face + 1);
      }
  } else {
    isNearer = query->visit(args->primID);
  }
  if (isNearer) args->query->radius = withHair(query->best.distance);
  return isNearer;
}

std::uint32_t spread10(std::uint32_t v) {  // ten bits to every third bit
  v = (v | (v << 16)) & 0x030000FFU;
  v = (v | (v << 8)) & 0x0300F00FU;
  v = (v | (v << 4)) & 0x030C30C3U;
  return (v | (v << 2)) & 0x09249249U;
}

}  // namespace

namespace {
constexpr std::size_t kManyTriangles = 400'000;
}

namespace {

// Embree's own buffers are padded past the end, as its vector loads need.
void fillTriangles(RTCGeometry geometry, const Surface& surface) {
  void* vertices = newEmbreeBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, RTC_FORMAT_FLOAT3, sizeof(Vec3),
                                   surface.positions.size());
  std::memcpy(vertices, surface.positions.data(), surface.positions.size() * sizeof(Vec3));
  void* indices = newEmbreeBuffer(geometry, RTC_BUFFER_TYPE_INDEX, RTC_FORMAT_UINT3, sizeof(UVec3),
                                  surface.triangles.size());
  std::memcpy(indices, surface.triangles.data(), surface.triangles.size() * sizeof(UVec3));
}

void fillGrid(RTCGeometry geometry, const Surface& surface, const GridShape& grid) {
  auto* vertices = static_cast<Vec3*>(
      newEmbreeBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, RTC_FORMAT_FLOAT3, sizeof(Vec3), surface.positions.size()));
  for (std::size_t row = 0; row < grid.rows; ++row) {
    const Vec3* from = surface.positions.data() + row * grid.columns;
    std::reverse_copy(from, from + grid.columns, vertices + row * grid.columns);
  }
  const std::uint32_t count = blocksFor(grid.columns) * blocksFor(grid.rows);
  auto* blocks = static_cast<RTCGrid*>(
      newEmbreeBuffer(geometry, RTC_BUFFER_TYPE_GRID, RTC_FORMAT_GRID, sizeof(RTCGrid), count));
  for (std::uint32_t i = 0; i < count; ++i) {
    const Block b = blockOf(grid, i);
    blocks[i] = {b.row * grid.columns + b.column, grid.columns, static_cast<unsigned short>(b.columns + 1),
                 static_cast<unsigned short>(b.rows + 1)};
  }
}

void passHoles(const RTCFilterFunctionNArguments* args) {  // rays come one at a time
  if (args->valid[0] == 0) return;
  const auto* index = static_cast<const SurfaceIndex*>(args->geometryUserPtr);
  if (index->isHole(RTCHitN_primID(args->hit, args->N, 0), RTCHitN_u(args->hit, args->N, 0),
                    RTCHitN_v(args->hit, args->N, 0)))
    args->valid[0] = 0;
}

}  // namespace

SurfaceIndex::SurfaceIndex(const Surface& surface)
    : m_grid(surface.triangles.size() > kManyTriangles ? gridShapeOf(surface) : GridShape{}),
      m_positions(surface.positions),
      m_triangles(surface.triangles) {
  m_scene = newEmbreeScene();
  // Without the robust flag rays slip through edges.
  rtcSetSceneFlags(m_scene.get(), RTC_SCENE_FLAG_ROBUST);
  const bool isGrid = m_grid.columns > 0;
  // Grounds of millions of triangles are even: the quick builder is nearly as good there.
  if (surface.triangles.size() > kManyTriangles && !isGrid)
    rtcSetSceneBuildQuality(m_scene.get(), RTC_BUILD_QUALITY_LOW);
  if (!surface.triangles.empty()) {
    const EmbreeGeometry geometry = newEmbreeGeometry(isGrid ? RTC_GEOMETRY_TYPE_GRID : RTC_GEOMETRY_TYPE_TRIANGLE);
    if (isGrid)
      fillGrid(geometry.get(), surface, m_grid);
    else
      fillTriangles(geometry.get(), surface);
    if (std::any_of(surface.materials.begin(), surface.materials.end(),
                    [](const Material& m) { return m.cutBelow > 0; })) {
      m_cutOuts = {surface.materials, surface.faceMaterials, surface.uvs, surface.colors};
      rtcSetGeometryUserData(geometry.get(), this);
      rtcSetGeometryIntersectFilterFunction(geometry.get(), &passHoles);
      rtcSetGeometryOccludedFilterFunction(geometry.get(), &passHoles);
    }
    attach(m_scene.get(), geometry);
  }
  commitScene(m_scene.get());
}

bool SurfaceIndex::isHole(std::uint32_t primitive, float u, float v) const {
  const SurfaceHit hit = placeOf(0, primitive, u, v);
  const Material& m = m_cutOuts.materials[m_cutOuts.faceMaterials.empty() ? 0 : m_cutOuts.faceMaterials[hit.face]];
  if (m.cutBelow <= 0) return false;
  const UVec3 t = m_triangles[hit.face];
  const auto at = [&](const auto& values) {
    return values[t.x] * (1 - hit.weights.x - hit.weights.y) + values[t.y] * hit.weights.x +
           values[t.z] * hit.weights.y;
  };
  float alpha = m.baseColor.a;
  if (!m_cutOuts.colors.empty()) alpha *= at(m_cutOuts.colors).a;
  if (m.texture && !m_cutOuts.uvs.empty()) alpha *= m.texture->sampledAlpha(at(m_cutOuts.uvs));
  return alpha < m.cutBelow;
}

SurfaceHit SurfaceIndex::placeOf(float distance, std::uint32_t primitive, float u, float v) const {
  if (m_grid.columns == 0) return {distance, primitive, {u, v}};
  const Block block = blockOf(m_grid, primitive);
  // u and v go once over the whole block.
  const float across = u * static_cast<float>(block.columns);
  const float down = v * static_cast<float>(block.rows);
  const std::uint32_t x = std::min(static_cast<std::uint32_t>(std::max(across, 0.0F)), block.columns - 1);
  const std::uint32_t y = std::min(static_cast<std::uint32_t>(std::max(down, 0.0F)), block.rows - 1);
  const float right = std::clamp(1 - (across - static_cast<float>(x)), 0.0F, 1.0F);  // as our columns run
  const float below = std::clamp(down - static_cast<float>(y), 0.0F, 1.0F);
  const std::uint32_t face = faceOfCell(m_grid, block.column + x, block.row + y);
  if (below >= right) return {distance, face, {below - right, right}};
  return {distance, face + 1, {below, right - below}};
}

void SurfaceIndex::countBytes(ByteCounter& counter) const {
  // What Embree takes cannot be asked per scene; it was measured with its memory monitor (tst_memory watches that):
  // its own copy of the arrays with the tree, by the triangle.
  const std::size_t own = m_positions.size() * sizeof(Vec3) + m_triangles.size() * (m_grid.columns > 0 ? 8 : 76);
  if (!counter.add(this, own)) return;
  m_positions.countBytes(counter);
  m_triangles.countBytes(counter);
  m_cutOuts.faceMaterials.countBytes(counter);
  m_cutOuts.uvs.countBytes(counter);
  m_cutOuts.colors.countBytes(counter);
}

Result<std::shared_ptr<const SurfaceIndex>> SurfaceIndex::of(const Surface& surface) {
  return surface.derived
      .get<IndexOrProblem>([&]() -> std::shared_ptr<const IndexOrProblem> {
        if (auto ok = checkSurface(surface); !ok)
          return std::make_shared<const IndexOrProblem>(IndexOrProblem{Failure(ok.error())});
        return std::make_shared<const IndexOrProblem>(IndexOrProblem{std::make_shared<const SurfaceIndex>(surface)});
      })
      ->result;
}

SurfaceHit SurfaceIndex::first(const Vec3& origin, const Vec3& direction, float reach) const {
  if (!isFinite(origin) || !isFinite(direction)) return {};
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRayHit ray{};
  ray.ray.org_x = origin.x;
  ray.ray.org_y = origin.y;
  ray.ray.org_z = origin.z;
  ray.ray.dir_x = direction.x;
  ray.ray.dir_y = direction.y;
  ray.ray.dir_z = direction.z;
  ray.ray.tnear = 0;
  ray.ray.tfar = reach;
  ray.ray.mask = ~0U;
  ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
  ray.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  rtcIntersect1(m_scene.get(), &context, &ray);
  if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
  return placeOf(ray.ray.tfar, ray.hit.primID, ray.hit.u, ray.hit.v);
}

SurfaceHit SurfaceIndex::nearest(const Vec3& position, float reach, std::uint32_t guess) const {
  if (!isFinite(position)) return {};
  NearestQuery query{m_positions.data(), m_triangles.data(), m_grid, position, {}};
  query.best.distance = reach;
  RTCPointQueryContext context;
  rtcInitPointQueryContext(&context);
  RTCPointQuery pointQuery{};
  pointQuery.x = position.x;
  pointQuery.y = position.y;
  pointQuery.z = position.z;
  pointQuery.radius = reach;
  if (guess != kNoFace && query.visit(guess)) pointQuery.radius = withHair(query.best.distance);
  rtcPointQuery(m_scene.get(), &pointQuery, &context, &visitPrimitive, &query);
  return query.best;
}

std::shared_ptr<const AreaTable> areaTableOf(const Surface& surface) {
  return surface.derived.get<AreaTable>([&] {
    auto table = std::make_shared<AreaTable>();
    table->area.resize(surface.faceCount());
    table->areaAbove.resize(surface.faceCount());
    parallelPieces({}, surface.faceCount(), 65536, [&](std::size_t begin, std::size_t end) {
      for (std::size_t f = begin; f < end; ++f) {
        const UVec3 t = surface.triangles[f];
        const Vec3 cross = glm::cross(surface.positions[t.y] - surface.positions[t.x],
                                      surface.positions[t.z] - surface.positions[t.x]);
        table->area[f] = 0.5F * glm::length(cross);
        table->areaAbove[f] = 0.5F * std::max(0.0F, cross.y);
      }
    });
    for (std::size_t f = 0; f < surface.faceCount(); ++f) {
      table->total += static_cast<double>(table->area[f]);
      table->totalAbove += static_cast<double>(table->areaAbove[f]);
    }
    return std::shared_ptr<const AreaTable>(table);
  });
}

std::shared_ptr<const FaceRuns> faceRunsOf(const Surface& surface) {
  return surface.derived.get<FaceRuns>([&] {
    auto runs = std::make_shared<FaceRuns>();
    const std::size_t count = surface.faceCount();
    runs->box.resize((count + FaceRuns::kFaces - 1) / FaceRuns::kFaces);
    parallelPieces({}, runs->box.size(), 1024, [&](std::size_t begin, std::size_t end) {
      for (std::size_t r = begin; r < end; ++r) {
        Box3 box;
        for (std::size_t f = r * FaceRuns::kFaces; f < std::min(count, (r + 1) * FaceRuns::kFaces); ++f) {
          const UVec3 t = surface.triangles[f];
          for (const std::uint32_t v : {t.x, t.y, t.z}) box.add(surface.positions[v]);
        }
        runs->box[r] = withRounding(box);
      }
    });
    return std::shared_ptr<const FaceRuns>(runs);
  });
}

Array<std::uint32_t> mortonOrder(const Column<Vec3>& positions, std::size_t count) {
  Box3 box;
  for (std::size_t i = 0; i < count; ++i)
    if (isFinite(positions[i])) box.add(positions[i]);
  const Vec3 scale = Vec3(1023.0F) / glm::max(box.extent(), Vec3(1e-9F));
  struct Keyed {
    std::uint32_t key;
    std::uint32_t index;
  };
  Array<Keyed> a(count);
  Array<Keyed> b(count);
  endIfStopped();
  for (std::size_t i = 0; i < count; ++i) {
    const Vec3 q = isFinite(positions[i]) ? (positions[i] - box.min) * scale : Vec3(0);
    a[i] = {spread10(static_cast<std::uint32_t>(q.x)) | spread10(static_cast<std::uint32_t>(q.y)) << 1 |
                spread10(static_cast<std::uint32_t>(q.z)) << 2,
            static_cast<std::uint32_t>(i)};
  }
  for (const unsigned shift : {0U, 10U, 20U}) {  // radix sort, ten bits at a time, keeps the order of equal keys
    endIfStopped();
    std::array<std::uint32_t, 1025> start{};
    for (const Keyed& k : a) ++start[((k.key >> shift) & 1023U) + 1];
    for (std::size_t i = 1; i < start.size(); ++i) start[i] += start[i - 1];
    endIfStopped();
    for (const Keyed& k : a) b[start[(k.key >> shift) & 1023U]++] = k;
    a.swap(b);
  }
  Array<std::uint32_t> order(count);
  for (std::size_t i = 0; i < count; ++i) order[i] = a[i].index;
  return order;
}

}  // namespace arvesk
