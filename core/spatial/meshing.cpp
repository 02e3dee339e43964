#include "core/spatial/meshing.h"

#include "core/spatial/distance_grid.h"
#include "core/spatial/posed.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>
#include <openvdb/tools/SignedFloodFill.h>
#include <openvdb/tools/VolumeToMesh.h>

#include <algorithm>
#include <atomic>
#include <map>
#include <mutex>
#include <unordered_map>

namespace arvesk {
namespace {

using Grid = openvdb::FloatGrid;
using Leaf = Grid::TreeType::LeafNodeType;

constexpr int kEdge = 8;       // voxels along a block of the grid
constexpr float kBand = 1.8F;  // voxels on each side of the skin that triangles need: where values of one cell differ
                               // in sign, none is farther
constexpr std::size_t kPerBlock = std::size_t{kEdge} * kEdge * kEdge;

/// Blocks of the grid near the skin, found from large boxes to small ones.
class Blocks {
 public:
  Blocks(const Volume& volume, const DepthField& depth, float voxel, float band, const Task& task)
      : m_volume(volume), m_depth(depth), m_voxel(voxel), m_band(band), m_task(task) {}

  std::vector<IVec3> find() {
    const Box3 box = m_volume.bounds();
    if (box.isEmpty()) return {};
    const float edge = m_voxel * kEdge;
    const IVec3 from = IVec3(glm::floor(box.min / edge)) - 1;
    const IVec3 to = IVec3(glm::floor(box.max / edge)) + 1;
    int size = 1;
    while (size < std::max({to.x - from.x, to.y - from.y, to.z - from.z}) + 1) size *= 2;
    std::vector<std::pair<IVec3, int>> open{{from, size}};
    // Level by level, so that threads share each.
    while (!open.empty() && open.front().second > 1 && !m_task.isCancelled()) {
      std::vector<std::array<std::pair<IVec3, int>, 8>> children(open.size());
      Array<std::uint8_t> isNear(open.size() * 8);
      parallelPieces(m_task, open.size(), 8, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          const int half = open[i].second / 2;
          for (std::size_t k = 0; k < 8; ++k) {
            const auto bit = [k](unsigned b) { return static_cast<int>(k >> b & 1U); };
            children[i][k] = {open[i].first + half * IVec3(bit(0), bit(1), bit(2)), half};
            isNear[i * 8 + k] = isNearSkin(children[i][k].first, half);
          }
        }
      });
      std::vector<std::pair<IVec3, int>> next;
      for (std::size_t i = 0; i < open.size(); ++i)
        for (std::size_t k = 0; k < 8; ++k)
          if (isNear[i * 8 + k]) next.push_back(children[i][k]);
      open = std::move(next);
      if (open.size() * kPerBlock > kMostVoxels * 8) break;
    }
    std::vector<IVec3> out;
    for (const auto& [place, at] : open) out.push_back(place);
    return out;
  }

 private:
  bool isNearSkin(const IVec3& block, int size) const {
    const float edge = m_voxel * kEdge * static_cast<float>(size);
    const Vec3 middle = m_voxel * kEdge * Vec3(block) + 0.5F * edge;
    return std::abs(m_depth.roughAt(middle)) <= 0.87F * edge + (m_band + 1) * m_voxel;
  }

  const Volume& m_volume;
  const DepthField& m_depth;
  float m_voxel;
  float m_band;
  const Task& m_task;
};

/// Fills a block of the grid cube by cube, halved until they lie off the skin as a whole: a depth says how far off the
/// next one can be.
class BlockFiller {
 public:
  BlockFiller(Leaf& leaf, const DepthField& depth, float voxel, float band)
      : m_leaf(leaf), m_depth(depth), m_voxel(voxel), m_band(band * voxel) {
    fill(IVec3(0), kEdge);
  }

 private:
  Vec3 at(const IVec3& v) const {
    const openvdb::Coord o = m_leaf.origin();
    return m_voxel * Vec3(IVec3(o.x(), o.y(), o.z()) + v);
  }
  void set(const IVec3& v, float depth) {
    const auto offset = Leaf::coordToOffset(openvdb::Coord(v.x, v.y, v.z));
    if (std::abs(depth) < m_band)
      m_leaf.setValueOn(offset, -depth);
    else
      m_leaf.setValueOff(offset, depth > 0 ? -m_band : m_band);
  }
  void fill(const IVec3& from, int size) {
    if (size == 1) return set(from, m_depth.at(at(from)).meters);
    const float half = 0.5F * static_cast<float>(size - 1) * m_voxel;
    const float middle = m_depth.roughAt(at(from) + half);
    if (std::abs(middle) > m_band + 1.75F * half) {
      for (int i = 0; i < size * size * size; ++i)
        set(from + IVec3(i % size, i / size % size, i / (size * size)), middle > 0 ? m_band : -m_band);
      return;
    }
    for (int i = 0; i < 8; ++i) fill(from + size / 2 * IVec3(i & 1, i >> 1 & 1, i >> 2), size / 2);
  }

  Leaf& m_leaf;
  const DepthField& m_depth;
  float m_voxel;
  float m_band;
};

/// Rounds of smoothing that keep the volume: inward and outward by turns.
void smooth(Array<Vec3>& positions, const Array<UVec3>& triangles, int rounds, const Task& task) {
  std::vector<std::vector<std::uint32_t>> near(positions.size());
  for (const UVec3& t : triangles)
    for (int k = 0; k < 3; ++k) {
      near[t[k]].push_back(t[(k + 1) % 3]);
      near[t[k]].push_back(t[(k + 2) % 3]);
    }
  parallelPieces(task, near.size(), 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t v = begin; v < end; ++v) {
      std::sort(near[v].begin(), near[v].end());
      near[v].erase(std::unique(near[v].begin(), near[v].end()), near[v].end());
    }
  });
  Array<Vec3> next(positions.size());
  for (int round = 0; round < 2 * rounds && !task.isCancelled(); ++round) {
    const float step = round % 2 == 0 ? 0.5F : -0.53F;
    parallelPieces(task, positions.size(), 4096, [&](std::size_t begin, std::size_t end) {
      for (std::size_t v = begin; v < end; ++v) {
        Vec3 sum(0);
        for (const std::uint32_t n : near[v]) sum += positions[n];
        next[v] = near[v].empty() ? positions[v]
                                  : positions[v] + step * (sum / static_cast<float>(near[v].size()) - positions[v]);
      }
    });
    positions.swap(next);
  }
}

/// Closes what is open: around each ring of sides that one triangle has, triangles to its middle. Returns how many.
std::size_t closeHoles(Surface& s) {
  std::unordered_map<std::uint64_t, int> sides;  // by their ends, in the order of their triangle
  const auto key = [](std::uint32_t a, std::uint32_t b) { return std::uint64_t{a} << 32U | b; };
  for (const UVec3& t : s.triangles)
    for (int k = 0; k < 3; ++k) ++sides[key(t[k], t[(k + 1) % 3])];
  std::map<std::uint32_t, std::vector<std::uint32_t>> next;
  for (const UVec3& t : s.triangles)
    for (int k = 0; k < 3; ++k) {
      const auto other = sides.find(key(t[(k + 1) % 3], t[k]));
      if (other == sides.end()) next[t[k]].push_back(t[(k + 1) % 3]);
    }
  std::size_t holes = 0;
  while (!next.empty()) {
    const std::uint32_t first = next.begin()->first;
    std::vector<std::uint32_t> ring;
    Vec3 middle(0);
    for (std::uint32_t at = first;;) {
      const auto from = next.find(at);
      if (from == next.end()) break;  // as many sides come to a place as leave it: only where it began
      ring.push_back(at);
      middle += s.positions[at];
      at = from->second.back();
      from->second.pop_back();
      if (from->second.empty()) next.erase(from);
      if (at == first) break;
    }
    ++holes;
    const auto center = static_cast<std::uint32_t>(s.positions.size());
    s.positions.edit().push_back(middle / static_cast<float>(ring.size()));
    for (std::size_t i = 0; i < ring.size(); ++i)
      s.triangles.edit().push_back({ring[(i + 1) % ring.size()], ring[i], center});
  }
  return holes;
}

}  // namespace

void useOpenVdb() {
  static std::once_flag once;
  std::call_once(once, [] { openvdb::initialize(); });
}

namespace {

Failure tooManyVoxels(double count) {
  return fail(ProblemCode::TooMany,
              fmt::format("would need over {:.0f} million voxels, the limit is {} million", count / 1e6,
                          kMostVoxels / 1'000'000),
              "Raise the voxel size");
}

}  // namespace

Result<Grid::Ptr> distanceGridOf(const VolumePtr& volume, float voxelSize, float band, const Task& task) {
  useOpenVdb();
  if (!volume->isOffset()) {
    const SurfacePtr skin = skinOf(*volume, task);
    if (!skin) return Failure(cancelled());
    // Blocks that the band passes through are held whole.
    const double across = areaTableOf(*skin)->total / std::pow(static_cast<double>(voxelSize), 2);
    const double voxels = 1.5 * across * (kEdge + 2 * static_cast<double>(band));
    if (voxels > static_cast<double>(kMostVoxels)) return tooManyVoxels(voxels);
    Grid::Ptr grid = skinGridOf(*volume, *skin, voxelSize, band, task);
    if (!grid) return Failure(cancelled());
    return grid;
  }
  const auto depth = depthOf(volume, task);
  if (!depth) return Failure(cancelled());
  const std::vector<IVec3> blocks = Blocks(*volume, *depth, voxelSize, band, task).find();
  if (task.isCancelled()) return Failure(cancelled());
  if (blocks.size() * kPerBlock > kMostVoxels)
    return tooManyVoxels(static_cast<double>(blocks.size()) * static_cast<double>(kPerBlock));
  Grid::Ptr grid = Grid::create(band * voxelSize);
  grid->setGridClass(openvdb::GRID_LEVEL_SET);
  grid->setTransform(openvdb::math::Transform::createLinearTransform(static_cast<double>(voxelSize)));
  std::vector<Leaf*> leaves;
  for (const IVec3& b : blocks)
    leaves.push_back(grid->tree().touchLeaf(openvdb::Coord(b.x * kEdge, b.y * kEdge, b.z * kEdge)));
  parallelPieces(task, leaves.size(), 4, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) BlockFiller(*leaves[i], *depth, voxelSize, band);
  });
  if (task.isCancelled()) return Failure(cancelled());
  openvdb::tools::signedFloodFill(grid->tree());
  return grid;
}

Grid::Ptr densityGridOf(const Density& density) {
  useOpenVdb();
  Grid::Ptr grid = Grid::create(0);
  grid->setGridClass(openvdb::GRID_FOG_VOLUME);
  const Density::Lattice& l = density.lattice();
  openvdb::Mat4d map = openvdb::Mat4d::identity();  // rows are the axes
  for (int r = 0; r < 3; ++r)
    for (int c = 0; c < 3; ++c) map(r, c) = l.axes[r][c];
  map.setTranslation({l.origin.x, l.origin.y, l.origin.z});
  grid->setTransform(openvdb::math::Transform::createLinearTransform(map));
  const float* values = density.values().data();
  auto access = grid->getAccessor();
  for (const IVec3& brick : density.bricks()) {
    const IVec3 first = Density::kEdge * brick;
    // What lies beyond its last cell is its neighbor's where there is one; else it is written from here.
    for (int z = 0; z < Density::kSide; ++z)
      for (int y = 0; y < Density::kSide; ++y)
        for (int x = 0; x < Density::kSide; ++x) {
          const float v = *values++;
          if (v > 0) access.setValue(openvdb::Coord(first.x + x, first.y + y, first.z + z), v);
        }
  }
  return grid;
}

Surface levelSurfaceOf(const Grid& grid, float level) {
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  std::vector<openvdb::Vec4I> quads;
  openvdb::tools::volumeToMesh(grid, points, triangles, quads, static_cast<double>(level), 0.0);
  Surface out;
  Array<Vec3>& positions = out.positions.edit();
  for (const openvdb::Vec3s& p : points) positions.push_back(Vec3(p.x(), p.y(), p.z()));
  Array<UVec3>& faces = out.triangles.edit();
  for (const openvdb::Vec3I& t : triangles) faces.push_back({t[0], t[2], t[1]});
  for (const openvdb::Vec4I& q : quads) {
    // Along the shorter diagonal.
    const bool isFirst = glm::distance(positions[q[0]], positions[q[2]]) <=
                         glm::distance(positions[q[1]], positions[q[3]]);
    if (isFirst) {
      faces.push_back({q[0], q[2], q[1]});
      faces.push_back({q[0], q[3], q[2]});
    } else {
      faces.push_back({q[1], q[3], q[2]});
      faces.push_back({q[1], q[0], q[3]});
    }
  }
  return out;
}

SurfacePtr levelOf(const Density& density, const Task& task) {
  const Grid::Ptr grid = densityGridOf(density);
  if (task.isCancelled()) return nullptr;
  Surface out = levelSurfaceOf(*grid, density.look().edge);
  // Dense is inside, and the lattice may be mirrored.
  const bool isTurned = glm::determinant(density.lattice().axes) > 0;
  if (isTurned)
    for (UVec3& t : out.triangles.edit()) std::swap(t.y, t.z);
  computeSmoothNormals(out);
  return std::make_shared<const Surface>(std::move(out));
}

Result<SurfacePtr> meshOf(const VolumePtr& volume, const MeshingRule& rule, const Task& task, std::size_t* holes) {
  if (const Posed* posed = volume->posed()) {
    auto atRest = meshOf(posed->atRest, rule, task, holes);
    return atRest ? Result<SurfacePtr>(posedSurface(**atRest, posed->frame)) : atRest;
  }
  const auto grid = distanceGridOf(volume, rule.voxelSize, kBand, task);
  if (!grid) return Failure(grid.error());
  Surface out = levelSurfaceOf(**grid, 0);
  if (task.isCancelled()) return Failure(cancelled());
  if (volume->hasLooseSkin())
    if (const std::size_t closed = closeHoles(out); holes) *holes = closed;
  if (rule.smoothing > 0) smooth(out.positions.edit(), out.triangles.edit(), rule.smoothing, task);
  if (task.isCancelled()) return Failure(cancelled());
  computeSmoothNormals(out);
  return std::make_shared<const Surface>(std::move(out));
}

}  // namespace arvesk
