// Rays and nearest places on a surface, by Embree. One index per surface, built when first asked for; Site draws with
// the same one.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/geometry/surface.h"
#include "core/spatial/embree_scene.h"

namespace arvesk {

struct SurfaceHit {
  float distance = std::numeric_limits<float>::infinity();  // m; negative when behind (see SurfaceIndex::alongBothWays)
  std::uint32_t face = kNoFace;
  Vec2 weights{0};  // barycentric, of the second and third corner
  bool isHit() const { return face != kNoFace; }
};

class SurfaceIndex {
 public:
  /// The index of `surface`; fails on triangles that are not finite or out of range. Thread safe.
  static Result<std::shared_ptr<const SurfaceIndex>> of(const Surface& surface);

  explicit SurfaceIndex(const Surface& surface);
  SurfaceIndex(const SurfaceIndex&) = delete;
  SurfaceIndex& operator=(const SurfaceIndex&) = delete;

  /// First hit from `origin` along unit `direction` within `reach` m, through the holes of cut-outs. A ray that is not
  /// finite hits nothing.
  SurfaceHit first(const Vec3& origin, const Vec3& direction, float reach) const;
  /// Nearest place within `reach` m, by Embree's point queries; cut-outs count as whole. A face that may be the nearest
  /// one makes it faster, and never another.
  SurfaceHit nearest(const Vec3& position, float reach, std::uint32_t guess = kNoFace) const;
  RTCSceneTy* scene() const { return m_scene.get(); }
  /// The face, and the weights on it, of what Embree calls `primitive` at (u, v).
  SurfaceHit placeOf(float distance, std::uint32_t primitive, float u, float v) const;
  /// True where a material's cut-out leaves nothing: rays go on there.
  bool isHole(std::uint32_t primitive, float u, float v) const;
  void countBytes(ByteCounter& counter) const;

 private:
  /// What says where a surface with cut-outs has holes.
  struct CutOuts {
    std::vector<Material> materials;
    SharedArray<std::uint16_t> faceMaterials;
    SharedArray<Vec2> uvs;
    SharedArray<Vec4> colors;
  };

  EmbreeScene m_scene;
  CutOuts m_cutOuts;
  GridShape m_grid;
  // Shared with the surface: the index lives on by itself.
  SharedArray<Vec3> m_positions;
  SharedArray<UVec3> m_triangles;
};

/// Areas of the faces in m², true and as seen from above (undersides count 0).
struct AreaTable {
  void countBytes(ByteCounter& counter) const {
    counter.add(this, (area.capacity() + areaAbove.capacity()) * sizeof(float));
  }
  Array<float> area;
  Array<float> areaAbove;
  double total = 0;
  double totalAbove = 0;
};
std::shared_ptr<const AreaTable> areaTableOf(const Surface& surface);

/// `box` with room for what rounding does to places between its corners.
inline Box3 withRounding(const Box3& box) {
  const Vec3 rounding = 1e-6F * glm::max(glm::abs(box.min), glm::abs(box.max));
  return {box.min - rounding, box.max + rounding};
}

/// Boxes around runs of faces that follow each other, rounding included: where nothing is to be found in a run's box,
/// none of its faces need be asked.
struct FaceRuns {
  static constexpr std::size_t kFaces = 8;
  Array<Box3> box;
  void countBytes(ByteCounter& counter) const { counter.add(this, box.capacity() * sizeof(Box3)); }
};
std::shared_ptr<const FaceRuns> faceRunsOf(const Surface& surface);

/// Calls visit(from, to, isOut) for the faces (or whatever stands in such runs) begin…end piece by piece: isOut where
/// `isOut` said so of a box around them, several runs at a time where it can. `runs` may be null: nothing is known
/// then. `begin` begins four runs.
template <typename IsOut, typename Visit>
void forRuns(const Array<Box3>* runs, std::size_t begin, std::size_t end, IsOut isOut, Visit visit) {
  constexpr std::size_t kRun = FaceRuns::kFaces;
  for (std::size_t from = begin; from < end; from += 4 * kRun) {
    const std::size_t to = std::min(end, from + 4 * kRun);
    Box3 all;
    if (runs)
      for (std::size_t f = from; f < to; f += kRun) all.add((*runs)[f / kRun]);
    const bool isAllOut = runs && isOut(all);
    if (!runs || isAllOut) {
      visit(from, to, isAllOut);
      continue;
    }
    for (std::size_t f = from; f < to; f += kRun) visit(f, std::min(to, f + kRun), isOut((*runs)[f / kRun]));
  }
}

/// The points' indices along a Morton curve (Morton 1966): neighbors in space become neighbors in order, which makes
/// ray batches three times faster.
Array<std::uint32_t> mortonOrder(const Column<Vec3>& positions, std::size_t count);

}  // namespace arvesk
