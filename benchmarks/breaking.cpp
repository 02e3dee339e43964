// A body of 100 k triangles in 1,000 pieces: beside finding the cells alone, and beside OpenVDB's fracture.
#include "core/spatial/breaking.h"

#include "benchmarks/bench.h"
#include "core/base/random.h"
#include "core/geometry/shapes.h"
#include "core/spatial/cell_frame.h"

#include <openvdb/openvdb.h>
#include <openvdb/tools/LevelSetFracture.h>
#include <openvdb/tools/LevelSetPlatonic.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/VolumeToMesh.h>

namespace arvesk::bench {
namespace {

constexpr std::size_t kPieces = 1000;

struct Body {
  SurfacePtr surface;
  Shells shells;
  std::vector<DVec3> seeds;
  DVec3 least{0};
  DVec3 most{0};
};

const Body& body() {
  static const Body made = [] {
    Body b;
    Surface s = makeBall(1, 160);
    for (Vec3& p : s.positions.edit())
      p *= 1 + 0.3F * std::sin(3 * p.x + 1) * std::cos(4 * p.y) + 0.1F * std::sin(9 * p.z);
    b.surface = std::make_shared<const Surface>(std::move(s));
    b.shells = shellsOf({b.surface});
    turnOutward(b.shells, {});
    const Box3 box = b.surface->bounds();
    b.least = DVec3(box.min) - 0.1;
    b.most = DVec3(box.max) + 0.1;
    const Draw draw(1, 2, 3, "seeds");
    for (std::size_t i = 0; i < kPieces; ++i)
      b.seeds.push_back(
          DVec3(box.min + box.extent() * Vec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2))));
    return b;
  }();
  return made;
}

void ours() {
  const auto broken = breakUp(body().shells, body().seeds, {});
  benchmark::DoNotOptimize(broken->pieces.size());
}

/// A level set in pieces: cut by a box that is set down at each seed, turned at random, and made into triangles.
void fracture() {
  using Grid = openvdb::FloatGrid;
  openvdb::initialize();
  constexpr float kVoxel = 0.03F;  // about as many triangles, and as many pieces, as ours
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  for (const Vec3& p : body().surface->positions) points.emplace_back(p.x, p.y, p.z);
  for (const UVec3& t : body().surface->triangles) triangles.emplace_back(t.x, t.y, t.z);
  const auto transform = openvdb::math::Transform::createLinearTransform(kVoxel);
  std::list<Grid::Ptr> grids{openvdb::tools::meshToLevelSet<Grid>(*transform, points, triangles)};
  const auto cutter = openvdb::tools::createLevelSetCube<Grid>(0.12F, openvdb::Vec3f(0), kVoxel);
  std::vector<openvdb::Vec3s> at;
  std::vector<openvdb::math::Quats> turns;
  const Draw draw(1, 2, 3, "turns");
  for (std::size_t i = 0; i < kPieces; ++i) {
    const DVec3& s = body().seeds[i];
    at.emplace_back(float(s.x), float(s.y), float(s.z));
    openvdb::Vec3s axis(draw.between(4 * i, -1, 1), draw.between(4 * i + 1, -1, 1), draw.between(4 * i + 2, -1, 1));
    axis.normalize();
    turns.emplace_back(axis, draw.unit(4 * i + 3) * 3.1F);
  }
  openvdb::tools::LevelSetFracture<Grid> cut;
  cut.fracture(grids, *cutter, true, &at, &turns, false);
  std::size_t count = 0;
  for (const auto* list : {&grids, &cut.fragments()})
    for (const Grid::Ptr& grid : *list) {
      std::vector<openvdb::Vec3s> p;
      std::vector<openvdb::Vec4I> quads;
      openvdb::tools::volumeToMesh(*grid, p, quads);
      count += 2 * quads.size();
    }
  benchmark::DoNotOptimize(count);
}

}  // namespace

void addBreaking() {
  add({"1,000 pieces of 100 k triangles", "finding their cells alone, by voro++", false, 20, &ours,
       [] { benchmark::DoNotOptimize(cellFrameOf(body().seeds, body().least, body().most).corners.size()); }});
  add({"1,000 pieces of 100 k triangles, sharp", "OpenVDB's fracture of its level set", true, 20, &ours, &fracture});
}

}  // namespace arvesk::bench
