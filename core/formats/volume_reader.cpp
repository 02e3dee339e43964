#include "core/formats/volume_reader.h"

#include "core/base/hash.h"
#include "core/base/utf8.h"
#include "core/formats/own_words.h"
#include "core/spatial/distance_grid.h"
#include "core/spatial/meshing.h"

#include <fmt/format.h>
#include <openvdb/io/File.h>

#include <atomic>
#include <unordered_map>

namespace arvesk {
namespace {

Problem warning(std::string message, std::string advice = {}) {
  return {ProblemCode::FileUnreadable, Severity::Warning, {}, std::move(message), std::move(advice)};
}

/// How many voxels of an open tree would be active if its tiles were filled.
template <typename GridType>
bool isTooLarge(const GridType& grid) {
  return grid.activeVoxelCount() > Density::kMostBricks * std::size_t{512};
}

std::optional<Density::Lattice> latticeOf(const openvdb::GridBase& grid) {
  if (!grid.transform().isLinear()) return {};
  const auto at = [&](double x, double y, double z) {
    const openvdb::Vec3d p = grid.transform().indexToWorld(openvdb::Vec3d(x, y, z));
    return DVec3(p.x(), p.y(), p.z());
  };
  Density::Lattice out;
  out.origin = at(0, 0, 0);
  out.axes = glm::dmat3(at(1, 0, 0) - out.origin, at(0, 1, 0) - out.origin, at(0, 0, 1) - out.origin);
  const double size = std::abs(glm::determinant(out.axes));
  if (!(size > 0) || !std::isfinite(size) || !std::isfinite(glm::length(out.origin))) return {};
  return out;
}

/// Numbers of a grid as a density; none below 0.
class DensityReader {
 public:
  DensityReader(openvdb::FloatGrid& grid, const Density::Lattice& lattice) : m_grid(grid), m_lattice(lattice) {}

  Result<DensityPtr> read() {
    m_grid.tree().voxelizeActiveTiles();
    std::vector<IVec3> places;
    std::unordered_map<std::uint64_t, std::size_t> known;
    const auto add = [&](const IVec3& brick) {
      const std::uint64_t name = hashOf(static_cast<std::uint64_t>(brick.x), static_cast<std::uint64_t>(brick.y),
                                        static_cast<std::uint64_t>(brick.z));
      if (known.emplace(name, places.size()).second) places.push_back(brick);
    };
    for (auto leaf = m_grid.tree().cbeginLeaf(); leaf; ++leaf) {
      const openvdb::Coord o = leaf->origin();
      const IVec3 brick(o.x() >> 3, o.y() >> 3, o.z() >> 3);
      // Those before it end with its first numbers.
      for (int i = 0; i < 8; ++i) add(brick - IVec3(i & 1, i >> 1 & 1, i >> 2));
      if (places.size() > 8 * Density::kMostBricks)
        return fail(ProblemCode::TooMany, "holds too many voxels", "Write it with larger ones");
    }
    const auto fill = [&](const IVec3& first, float* values) {
      auto access = m_grid.getConstAccessor();
      bool isAny = false;
      for (int z = 0; z < Density::kSide; ++z)
        for (int y = 0; y < Density::kSide; ++y)
          for (int x = 0; x < Density::kSide; ++x) {
            float v = access.getValue(openvdb::Coord(first.x + x, first.y + y, first.z + z));
            if (!std::isfinite(v)) ++m_odd, v = 0;
            if (v < 0) ++m_below, v = 0;
            *values++ = v;
            isAny = isAny || v > 0;
          }
      return isAny;
    };
    return Density::filled(m_lattice, places, fill, {}, {});
  }
  std::size_t notNumbers() const { return m_odd; }
  std::size_t below() const { return m_below; }

 private:
  openvdb::FloatGrid& m_grid;
  Density::Lattice m_lattice;
  std::atomic<std::size_t> m_odd{0};
  std::atomic<std::size_t> m_below{0};
};

class FileReader {
 public:
  FileReader(openvdb::io::File& file, std::vector<Problem>& warnings) : m_file(file), m_warnings(warnings) {}

  Result<VolumeFile> read() {
    for (auto name = m_file.beginName(); name != m_file.endName(); ++name) {
      const openvdb::GridBase::Ptr grid = m_file.readGrid(name.gridName());
      if (auto ok = add(grid, asUtf8(name.gridName())); !ok) return Failure(ok.error());
    }
    if (m_out.grids.empty())
      return fail(ProblemCode::FileUnreadable, "holds no grid of numbers",
                  "Write a density or a signed distance into it");
    return std::move(m_out);
  }

 private:
  Result<void> add(const openvdb::GridBase::Ptr& base, std::string name) {
    openvdb::FloatGrid::Ptr grid = openvdb::GridBase::grid<openvdb::FloatGrid>(base);
    if (const auto whole = openvdb::GridBase::grid<openvdb::DoubleGrid>(base))
      grid = std::make_shared<openvdb::FloatGrid>(*whole);
    if (!grid) {
      m_warnings.push_back(warning(fmt::format("grid \"{}\" holds {} and was left out", name, base->valueType()),
                                   "Grids of single numbers are read"));
      return {};
    }
    const auto lattice = latticeOf(*base);
    if (!lattice) {
      m_warnings.push_back(
          warning(fmt::format("the lattice of grid \"{}\" is flat, or not the same everywhere; it was left out", name),
                  "Write it with voxels of one size"));
      return {};
    }
    if (isTooLarge(*grid))
      return fail(ProblemCode::TooMany,
                  fmt::format("grid \"{}\" holds {} million voxels, the limit is {} million", name,
                              grid->activeVoxelCount() / 1'000'000, Density::kMostBricks * 512 / 1'000'000),
                  "Write it with larger voxels");
    VolumeGrid out;
    out.name = std::move(name);
    out.voxels = grid->activeVoxelCount();
    out.voxelSize = static_cast<float>(
        std::max({glm::length(lattice->axes[0]), glm::length(lattice->axes[1]), glm::length(lattice->axes[2])}));
    if (out.voxels > 0) out.bounds = boundsOf(grid->evalActiveVoxelBoundingBox(), *lattice);
    if (grid->getGridClass() == openvdb::GRID_LEVEL_SET) return addSkin(*grid, *lattice, std::move(out));
    DensityReader reader(*grid, *lattice);
    auto density = reader.read();
    if (!density) return Failure(density.error());
    if (reader.notNumbers() > 0)
      m_warnings.push_back(warning(
          fmt::format("{} values of grid \"{}\" were no numbers and count as 0", reader.notNumbers(), out.name)));
    if (reader.below() > 0)
      m_warnings.push_back(
          warning(fmt::format("{} values of grid \"{}\" were below 0 and count as 0", reader.below(), out.name),
                  "If it is a signed distance, let the file say that it is a level set"));
    out.density = *density;
    m_out.grids.push_back(std::move(out));
    return {};
  }

  Result<void> addSkin(const openvdb::FloatGrid& grid, const Density::Lattice& lattice, VolumeGrid out) {
    for (auto value = grid.cbeginValueOn(); value; ++value)
      if (!std::isfinite(*value))
        return fail(ProblemCode::FileUnreadable, fmt::format("grid \"{}\" holds what is no number", out.name),
                    "Write it again");
    Surface skin = levelSurfaceOf(grid, 0);
    if (glm::determinant(lattice.axes) < 0)
      for (UVec3& t : skin.triangles.edit()) std::swap(t.y, t.z);
    if (skin.triangles.empty())
      m_warnings.push_back(warning(fmt::format("grid \"{}\" has no skin: its distances do not change sign", out.name)));
    skin.name = out.name;
    skin.parts = {out.name};
    computeSmoothNormals(skin);
    if (auto ok = checkSurface(skin); !ok) return Failure(ok.error());
    out.skin = std::make_shared<const Surface>(std::move(skin));
    m_out.grids.push_back(std::move(out));
    return {};
  }

  static Box3 boundsOf(const openvdb::CoordBBox& box, const Density::Lattice& lattice) {
    Box3 out;
    for (int i = 0; i < 8; ++i) {
      const DVec3 corner(i & 1 ? box.max().x() : box.min().x(), i & 2 ? box.max().y() : box.min().y(),
                         i & 4 ? box.max().z() : box.min().z());
      out.add(Vec3(lattice.origin + lattice.axes * corner));
    }
    return out;
  }

  openvdb::io::File& m_file;
  std::vector<Problem>& m_warnings;
  VolumeFile m_out;
};

}  // namespace

Result<VolumeFile> readVolumes(const std::string& path, std::vector<Problem>& warnings) {
  useOpenVdb();
  try {
    openvdb::io::File file(path);
    file.open(false);
    return FileReader(file, warnings).read();
  } catch (const std::exception& e) {
    return fail(ProblemCode::FileUnreadable, fmt::format("is no OpenVDB file that can be read: {}", inOwnWords(e)),
                "Write it again");
  }
}

}  // namespace arvesk
