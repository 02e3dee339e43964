// Sowing inside of bodies: beside OpenVDB's grid of a mesh and its uniform scatter, and beside a sequential gap filler.
#include "benchmarks/bench.h"
#include "core/base/random.h"
#include "core/geometry/shapes.h"
#include "core/nodes/scatter/sow_even.h"
#include "core/nodes/scatter/volume_domain.h"

#include <openvdb/openvdb.h>
#include <openvdb/tools/LevelSetUtil.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/PointScatter.h>

#include <cstdio>
#include <random>

namespace arvesk::bench {
namespace {

constexpr double kPoints = 1'000'000;

SurfacePtr blob() {
  Surface s = makeBall(1, 160);
  for (Vec3& p : s.positions.edit())
    p *= 1 + 0.3F * std::sin(3 * p.x + 1) * std::cos(4 * p.y) + 0.1F * std::sin(9 * p.z);
  return std::make_shared<const Surface>(std::move(s));
}

std::size_t sown(const VolumePtr& volume, double density) {
  const Fill fill(volume, nullptr, false, {});
  const VolumeDomain all({}, fill, {});
  const VolumeDomain domain = all.forDensity({}, density);
  const auto points = sowFreeWithin({}, domain, 1, 7, Draw(1, 2, 3, "place"));
  benchmark::DoNotOptimize(points.position.data());
  return points.size();
}

openvdb::BoolGrid::Ptr gridOf(const Surface& s, float voxel) {
  struct Mesh {
    const Surface& s;
    float voxel;
    std::size_t polygonCount() const { return s.faceCount(); }
    std::size_t pointCount() const { return s.positions.size(); }
    std::size_t vertexCount(std::size_t) const { return 3; }
    void getIndexSpacePoint(std::size_t face, std::size_t corner, openvdb::Vec3d& out) const {
      const Vec3 p = s.positions[s.triangles[face][static_cast<int>(corner)]] / voxel;
      out = {static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)};
    }
  };
  const auto transform = openvdb::math::Transform::createLinearTransform(static_cast<double>(voxel));
  const auto grid = openvdb::tools::meshToVolume<openvdb::FloatGrid>(Mesh{s, voxel}, *transform, 1.0F, 1.0F);
  return openvdb::tools::sdfInteriorMask(*grid);
}

struct Places {
  std::vector<openvdb::Vec3R> at;
  void add(const openvdb::Vec3R& p) { at.push_back(p); }
};

void scatter(const openvdb::BoolGrid& grid, Places& places) {
  std::mt19937 random(5);
  openvdb::tools::UniformPointScatter<Places, std::mt19937> fill(places, static_cast<openvdb::Index64>(kPoints),
                                                                 random);
  fill(grid);
}

/// Darts one after the other, then into what no dart has covered, on boxes split in eight (Ebeida et al., "A simple
/// algorithm for maximal Poisson-disk sampling in high dimensions", 2012), until as many lie as wanted.
std::size_t filledOneByOne(float edge, float spacing, std::size_t wanted) {
  std::mt19937 random(9);
  std::uniform_real_distribution<float> unit(0, 1);
  const float cell = spacing / std::sqrt(3.0F);
  const int n = static_cast<int>(std::ceil(edge / cell));
  std::vector<std::int32_t> home(
      static_cast<std::size_t>(n) * static_cast<std::size_t>(n) * static_cast<std::size_t>(n), -1);
  std::vector<Vec3> kept;
  const auto at = [&](int x, int y, int z) -> std::int32_t& {
    return home[static_cast<std::size_t>(x) +
                static_cast<std::size_t>(n) *
                    (static_cast<std::size_t>(y) + static_cast<std::size_t>(n) * static_cast<std::size_t>(z))];
  };
  const auto anyNear = [&](const Vec3& p, auto test) {
    const auto low = [&](float v) { return std::max(0, static_cast<int>((v - spacing) / cell)); };
    const auto high = [&](float v) { return std::min(n - 1, static_cast<int>((v + spacing) / cell)); };
    for (int z = low(p.z); z <= high(p.z); ++z)
      for (int y = low(p.y); y <= high(p.y); ++y)
        for (int x = low(p.x); x <= high(p.x); ++x)
          if (const std::int32_t k = at(x, y, z); k >= 0 && test(kept[static_cast<std::size_t>(k)])) return true;
    return false;
  };
  struct Box {
    Vec3 from;
    float size;
  };
  std::vector<Box> open;
  for (int z = 0; z < n; ++z)
    for (int y = 0; y < n; ++y)
      for (int x = 0; x < n; ++x) open.push_back({cell * Vec3(x, y, z), cell});
  for (int round = 0; kept.size() < wanted && !open.empty() && round < 30; ++round) {
    const std::size_t darts = open.size() * 3 / 10 + 1;
    for (std::size_t k = 0; k < darts && kept.size() < wanted; ++k) {
      const Box& box = open[static_cast<std::size_t>(random()) % open.size()];
      const Vec3 p = box.from + box.size * Vec3(unit(random), unit(random), unit(random));
      if (p.x >= edge || p.y >= edge || p.z >= edge) continue;
      if (anyNear(p, [&](const Vec3& o) { return glm::dot(o - p, o - p) < spacing * spacing; })) continue;
      at(static_cast<int>(p.x / cell), static_cast<int>(p.y / cell),
         static_cast<int>(p.z / cell)) = static_cast<std::int32_t>(kept.size());
      kept.push_back(p);
    }
    std::vector<Box> next;
    for (const Box& box : open)
      for (int i = 0; i < 8; ++i) {
        const Box part{box.from + 0.5F * box.size * Vec3(i & 1, i >> 1 & 1, i >> 2), 0.5F * box.size};
        if (part.from.x >= edge || part.from.y >= edge || part.from.z >= edge) continue;
        const Vec3 middle = part.from + 0.5F * part.size;
        const bool isCovered = anyNear(middle, [&](const Vec3& o) {
          const Vec3 far = glm::abs(o - middle) + 0.5F * part.size;
          return glm::dot(far, far) < spacing * spacing;
        });
        if (!isCovered) next.push_back(part);
      }
    open = std::move(next);
  }
  return kept.size();
}

std::size_t filled(const VolumePtr& box, float spacing) {
  const Fill fill(box, nullptr, false, {});
  const VolumeDomain all({}, fill, {});
  const VolumeDomain domain = all.forSpacing({}, spacing);
  const SpacingOf<Vec3> fixed = [&](const Sown<Vec3>&, Array<float>& out) {
    std::fill(out.begin(), out.end(), spacing);
  };
  return sowEven({}, domain, spacing, spacing, fixed, 7, Draw(1, 2, 3, "place")).size();
}

}  // namespace

void addVolumes() {
  openvdb::initialize();
  const SurfacePtr surface = blob();
  const VolumePtr volume = *makeSolid({surface}, {}, {});
  const Fill fill(volume, nullptr, false, {});
  const double density = kPoints / VolumeDomain({}, fill, {}).total();
  // The cells of our lattice that serve this density.
  const auto voxel = static_cast<float>(std::exp2(-std::ceil(std::log2(density / 4) / 3)));
  add({"From 100 k triangles to 1 M points inside", "OpenVDB's grid of the mesh and uniform scatter", true, 5,
       [surface, density] { benchmark::DoNotOptimize(sown(*makeSolid({surface}, {}, {}), density)); },
       [surface, voxel] {
         Places places;
         scatter(*gridOf(*surface, voxel), places);
         benchmark::DoNotOptimize(places.at.data());
       }});
  const auto grid = gridOf(*surface, voxel);
  Places places;
  scatter(*grid, places);
  std::size_t outside = 0;
  for (const openvdb::Vec3R& p : places.at) outside += !volume->isInside(Vec3(p.x(), p.y(), p.z()));
  std::printf("of OpenVDB's points at cells of %.4f m %.2f %% lie outside; of ours none: each is asked\n",
              static_cast<double>(voxel), 100.0 * static_cast<double>(outside) / static_cast<double>(places.at.size()));
  add({"1 M points in a body, sowing alone", "OpenVDB's uniform scatter", true, 1,
       [volume, density] { benchmark::DoNotOptimize(sown(volume, density)); },
       [grid] {
         Places out;
         scatter(*grid, out);
         benchmark::DoNotOptimize(out.at.data());
       }});
  add({"1 M points in a body on all threads", "on one", true, 1.7,
       [volume, density] { benchmark::DoNotOptimize(sown(volume, density)); },
       [volume, density] { withThreads(1, [&] { benchmark::DoNotOptimize(sown(volume, density)); }); }});
  constexpr float kEdge = 10;
  constexpr float kSpacing = 0.2F;
  const VolumePtr box = *makeSolid(
      {std::make_shared<const Surface>(transformed(makeBox(Vec3(kEdge)), Vec3(0), Quat(1, 0, 0, 0), 1))}, {}, {});
  const auto wanted = static_cast<std::size_t>(0.375 * std::pow(kEdge, 3) /
                                               VolumeDomain::ballMeasure(static_cast<double>(kSpacing)));
  std::printf("evenly in a cube: %zu, one by one %zu, at 0.375 %zu\n", filled(box, kSpacing),
              filledOneByOne(kEdge, kSpacing, wanted), wanted);
  add({"Even in a cube, to 0.375 of space", "a sequential gap filler, as many", true, 1.5,
       [box] { benchmark::DoNotOptimize(filled(box, kSpacing)); },
       [wanted] { benchmark::DoNotOptimize(filledOneByOne(kEdge, kSpacing, wanted)); }});
}

}  // namespace arvesk::bench
