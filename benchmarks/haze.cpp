// Marching haze beside a bare march over the same bricks and beside OpenVDB's tree, and signed distances beside
// OpenVDB's own.
#include "core/picture/haze.h"
#include "benchmarks/bench.h"
#include "core/base/hash.h"
#include "core/base/noise.h"
#include "core/geometry/shapes.h"
#include "core/spatial/distance_grid.h"

#include <openvdb/tools/Interpolation.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/RayIntersector.h>

#include <algorithm>
#include <cstdio>

namespace arvesk::bench {
namespace {

constexpr float kVoxel = 0.05F;

/// A cloud of about 14 million voxels.
DensityPtr cloud() {
  std::vector<IVec3> places;
  for (int z = -24; z < 24; ++z)
    for (int y = -12; y < 12; ++y)
      for (int x = -24; x < 24; ++x) places.push_back({x, y, z});
  const auto fill = [](const IVec3& first, float* values) {
    bool isAny = false;
    for (int i = 0; i < static_cast<int>(Density::kPerBrick); ++i) {
      const Vec3 p = kVoxel * Vec3(first + IVec3(i % 9, i / 9 % 9, i / 81));
      const float fade = 1.1F - glm::length(p / Vec3(9, 4.4F, 9));
      values[i] = std::max(0.0F, fade + 0.9F * gradientNoiseScalar(p.x * 0.5F, p.y * 0.5F, p.z * 0.5F, 5)) * 0.05F;
      isAny = isAny || values[i] > 0;
    }
    return isAny;
  };
  return *Density::filled(Density::Lattice::ofSize(kVoxel), places, fill, {}, {});
}

struct Ray {
  Vec3 from;
  Vec3 way;
};
/// As a picture asks for them, or in any order and direction.
std::vector<Ray> rays(bool isCoherent) {
  std::vector<Ray> out;
  constexpr int kAcross = 300;
  for (int y = 0; y < kAcross; ++y)
    for (int x = 0; x < kAcross; ++x) {
      const Vec3 to(0.05F * static_cast<float>(x - 150), 0.025F * static_cast<float>(y - 150), 0);
      const Vec3 eye(0.013F, 3.007F, 26);  // no ray runs along an axis, which the bare march does not guard against
      out.push_back({eye, glm::normalize(to - eye)});
    }
  if (isCoherent) return out;
  for (std::size_t i = 0; i < out.size(); ++i) {
    const auto unit = [&](std::uint64_t k) { return 2 * unitFloat(hashOf(i, k)) - 1; };
    out[i].from = 20.0F * glm::normalize(Vec3(unit(1), unit(2), unit(3)));
    out[i].way = glm::normalize(Vec3(8 * unit(4), 4 * unit(5), 8 * unit(6)) - out[i].from);
  }
  return out;
}

/// Nothing but the sum along rays, over the same bricks in a plain table: what any march over them must do.
class BareMarch {
 public:
  explicit BareMarch(const Density& d) : m_density(d), m_low(1 << 20), m_high(-(1 << 20)) {
    for (const IVec3& b : d.bricks()) m_low = glm::min(m_low, b), m_high = glm::max(m_high, b);
    m_size = m_high - m_low + 1;
    m_table.assign(static_cast<std::size_t>(m_size.x * m_size.y * m_size.z), -1);
    for (std::size_t i = 0; i < d.bricks().size(); ++i) m_table[indexOf(d.bricks()[i])] = static_cast<int>(i);
  }
  float along(const Ray& ray) const {
    const Vec3 start = ray.from / kVoxel;
    const Vec3 step = ray.way / kVoxel;
    const Vec3 a = (Vec3(8 * m_low) - start) / step;
    const Vec3 b = (Vec3(8 * m_high + 8) - start) / step;
    const Vec3 low = glm::min(a, b);
    const Vec3 high = glm::max(a, b);
    float t = std::max({0.0F, low.x, low.y, low.z});
    const float end = std::min({high.x, high.y, high.z});
    const float hair = 1e-3F * kVoxel;
    float sum = 0;
    while (t < end) {
      const IVec3 brick = IVec3(glm::floor((start + (t + hair) * step) / 8.0F));
      const Vec3 corner = 8.0F * Vec3(brick);
      const Vec3 out = (corner + Vec3(glm::greaterThan(step, Vec3(0))) * 8.0F - start) / step;
      const float leave = std::max(std::min({out.x, out.y, out.z}), t + hair);
      const IVec3 own = brick - m_low;
      const bool isIn = glm::all(glm::greaterThanEqual(own, IVec3(0))) && glm::all(glm::lessThan(own, m_size));
      const int at = isIn ? m_table[indexOf(brick)] : -1;
      if (at >= 0) {
        const float* values = m_density.values().data() + static_cast<std::size_t>(at) * Density::kPerBrick;
        const int count = static_cast<int>(std::ceil((leave - t) / kVoxel));
        const float each = (leave - t) / static_cast<float>(std::max(count, 1));
        for (int k = 0; k < count; ++k)
          sum += each * Density::between(values, start - corner + (t + (static_cast<float>(k) + 0.5F) * each) * step);
      }
      t = leave;
    }
    return sum;
  }

 private:
  std::size_t indexOf(const IVec3& brick) const {
    const IVec3 b = brick - m_low;
    return static_cast<std::size_t>((b.z * m_size.y + b.y) * m_size.x + b.x);
  }
  const Density& m_density;
  IVec3 m_low;
  IVec3 m_high;
  IVec3 m_size{0};
  std::vector<int> m_table;
};

/// OpenVDB's walk over its tree, a step per voxel.
double treeMarch(const openvdb::FloatGrid& grid, const openvdb::tools::VolumeRayIntersector<openvdb::FloatGrid>& walker,
                 const std::vector<Ray>& all) {
  openvdb::tools::VolumeRayIntersector<openvdb::FloatGrid> own(walker);
  auto access = grid.getConstAccessor();
  double total = 0;
  for (const Ray& ray : all) {
    const auto vec = [](const Vec3& v) { return openvdb::Vec3d(double(v.x), double(v.y), double(v.z)); };
    if (!own.setWorldRay({vec(ray.from), vec(ray.way).unit()})) continue;
    double from = 0;
    double to = 0;
    double sum = 0;
    while (own.march(from, to)) {
      const double first = own.getWorldTime(from);
      const double last = own.getWorldTime(to);
      const int count = static_cast<int>(std::ceil((last - first) / double(kVoxel)));
      const double each = (last - first) / std::max(count, 1);
      for (int k = 0; k < count; ++k) {
        const openvdb::Vec3d p = vec(ray.from) + (first + (k + 0.5) * each) * vec(ray.way);
        sum += each * double(openvdb::tools::BoxSampler::sample(access, p / double(kVoxel)));
      }
    }
    total += sum;
  }
  return total;
}

}  // namespace

void addHaze() {
  useOpenVdb();
  static const DensityPtr density = cloud();
  static const std::vector<DensityPtr> all{density};
  static const BareMarch bare(*density);
  static const openvdb::FloatGrid::Ptr grid = densityGridOf(*density);
  static const openvdb::tools::VolumeRayIntersector<openvdb::FloatGrid> walker(*grid);
  const Haze haze(all);
  for (const bool isCoherent : {true, false}) {
    const auto some = std::make_shared<const std::vector<Ray>>(rays(isCoherent));
    double ours = 0;
    double other = 0;
    for (const Ray& r : *some) {
      ours += double(density->along(r.from, r.way, 0, 1e4F, 1e9F));
      other += double(bare.along(r));
    }
    std::printf("haze, %zu bricks: sum of all rays %.6g, bare march %.6g, OpenVDB's tree %.6g\n",
                density->bricks().size(), ours, other, treeMarch(*grid, walker, *some));
    const char* subject = isCoherent ? "Haze met by rays of a picture" : "Haze met by rays in any order";
    const auto met = [some] {
      float sum = 0;
      for (const Ray& r : *some) sum += Haze(all).met(r.from, r.way, 1e4F, nullptr, 0.3F).share;
      benchmark::DoNotOptimize(sum);
    };
    add({subject, "a bare march over the same bricks", false, 1.3, met, [some] {
           float sum = 0;
           for (const Ray& r : *some) sum += bare.along(r);
           benchmark::DoNotOptimize(sum);
         }});
    add({std::string(subject) + ", beside a tree", "OpenVDB's march over its tree", true, 1.5, met,
         [some] { benchmark::DoNotOptimize(treeMarch(*grid, walker, *some)); }});
  }

  Surface s = makeBall(1, 160);
  for (Vec3& p : s.positions.edit())
    p *= 1 + 0.3F * std::sin(3 * p.x + 1) * std::cos(4 * p.y) + 0.1F * std::sin(9 * p.z);
  const auto surface = std::make_shared<const Surface>(std::move(s));
  constexpr float kFine = 0.015F;
  const VolumePtr solid = *makeSolid({surface}, {}, {});
  benchmark::DoNotOptimize(skinOf(*solid, {}));
  add({"Signed distance of 100 k triangles", "OpenVDB's own of the mesh", false, 1.1,
       [solid] { benchmark::DoNotOptimize(*distanceGridOf(solid, kFine, 3, {})); },
       [surface] {
         std::vector<openvdb::Vec3s> places;
         std::vector<openvdb::Vec3I> triangles;
         for (const Vec3& p : surface->positions) places.emplace_back(p.x, p.y, p.z);
         for (const UVec3& t : surface->triangles) triangles.emplace_back(t.x, t.y, t.z);
         const auto transform = openvdb::math::Transform::createLinearTransform(double(kFine));
         benchmark::DoNotOptimize(
             openvdb::tools::meshToLevelSet<openvdb::FloatGrid>(*transform, places, triangles, 3.0F));
       }});
}

}  // namespace arvesk::bench
