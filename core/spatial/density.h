// Density in space, such as of fog, dust or spray: numbers on a sparse lattice, held in bricks.
#pragma once

#include "core/base/array.h"
#include "core/base/result.h"
#include "core/base/task.h"
#include "core/geometry/surface.h"
#include "core/spatial/body.h"

#include <functional>

namespace arvesk {

/// Numbers of 0 and more at the places of a lattice, between them linear along each axis, 0 where no brick is. How much
/// light is lost per m, and how much there is of what is sown by it. Immutable.
///
/// A brick holds its own first layer of numbers and that of its neighbors beyond it, so that within a brick nobody else
/// is asked. Bricks are found by a table of rooms of 16 bricks a side.
class Density {
 public:
  static constexpr int kEdge = 8;          // cells along a brick
  static constexpr int kSide = kEdge + 1;  // numbers along a brick
  static constexpr std::size_t kPerBrick = std::size_t{kSide} * kSide * kSide;
  static constexpr std::size_t kMostBricks = 250'000;  // 128 million voxels

  /// world = origin + axes · place on the lattice.
  struct Lattice {
    DVec3 origin{0};
    glm::dmat3 axes{1};
    static Lattice ofSize(float voxel) { return {DVec3(0), glm::dmat3(static_cast<double>(voxel))}; }
  };
  /// What is not on the lattice.
  struct Look {
    float edge = 0;  // what lies above it is inside
    Vec3 color{1};   // of what scatters the light, linear
  };

  /// `places` are those of bricks, in lattice numbers by kEdge, each once; `values` kPerBrick each, x fastest, none
  /// below 0. Fails on bricks that lie too far apart and on a lattice that is flat.
  static Result<std::shared_ptr<const Density>> of(const Lattice& lattice, std::vector<IVec3> places,
                                                   Array<float> values, Look look);
  /// By a function of lattice numbers that fills a brick at its first number and says whether anything is in it.
  using Filler = std::function<bool(const IVec3& first, float* values)>;
  static Result<std::shared_ptr<const Density>> filled(const Lattice& lattice, const std::vector<IVec3>& places,
                                                       const Filler& fill, Look look, const Task& task);

  /// The same numbers elsewhere, or with another look; they are shared.
  Result<std::shared_ptr<const Density>> placed(const Lattice& lattice, Look look) const;

  float at(const Vec3& place) const;
  /// How much light is lost along a ray of unit direction: the integral of the density, no unit. Steps are about a
  /// voxel; what is more than `enough` is not worked out.
  float along(const Vec3& origin, const Vec3& direction, float from, float to, float enough) const;
  Side sideOf(const Box3& box) const;

  const Box3& bounds() const { return m_bounds; }
  const Lattice& lattice() const { return m_lattice; }
  const std::vector<IVec3>& bricks() const { return m_places; }
  const Array<float>& values() const { return *m_values; }
  const Look& look() const { return m_look; }
  float most() const { return m_most; }
  std::size_t voxelCount() const { return m_places.size() * kEdge * kEdge * kEdge; }
  /// The longest step between neighbors of the lattice, m.
  float voxelSize() const;
  void countBytes(ByteCounter& counter) const;
  Vec3 worldAt(const Vec3& lattice) const;

  /// Calls visit(values, local, step, from, to) for bricks along a ray, near ones first, until it says false: within
  /// from…to, m, place t lies at local + t · step in the brick's own numbers.
  template <typename Visit>
  void walk(const Vec3& origin, const Vec3& direction, float from, float to, const Visit& visit) const;
  /// Between the eight numbers around a place in the brick's own numbers.
  static float between(const float* values, const Vec3& local) {
    const auto cell = [](float v) { return std::clamp(static_cast<int>(v), 0, kEdge - 1); };
    const int x = cell(local.x);
    const int y = cell(local.y);
    const int z = cell(local.z);
    const float fx = local.x - static_cast<float>(x);
    const float fy = local.y - static_cast<float>(y);
    const float fz = local.z - static_cast<float>(z);
    const float* v = values + (z * kSide + y) * kSide + x;
    const auto row = [fx](const float* r) { return r[0] + fx * (r[1] - r[0]); };
    const auto layer = [&](const float* l) {
      const float a = row(l);
      return a + fy * (row(l + kSide) - a);
    };
    const float low = layer(v);
    return low + fz * (layer(v + std::size_t{kSide} * kSide) - low);
  }

 private:
  static constexpr int kRoom = 16;  // bricks along a room
  static constexpr std::size_t kMostRooms = 16'000'000;

  Density() = default;
  static Result<std::shared_ptr<const Density>> made(std::shared_ptr<Density> out, const Lattice& lattice);
  bool makeTable();
  void makeBounds();
  std::int32_t roomAt(const IVec3& room) const {
    const IVec3 r = room - m_firstRoom;
    if (r.x < 0 || r.y < 0 || r.z < 0 || r.x >= m_rooms.x || r.y >= m_rooms.y || r.z >= m_rooms.z) return -1;
    return m_roomOf[(static_cast<std::size_t>(r.z) * static_cast<std::size_t>(m_rooms.y) +
                     static_cast<std::size_t>(r.y)) *
                        static_cast<std::size_t>(m_rooms.x) +
                    static_cast<std::size_t>(r.x)];
  }
  std::int32_t brickIn(std::int32_t room, const IVec3& brick) const {
    const IVec3 b = brick & (kRoom - 1);
    return m_brickOf[static_cast<std::size_t>(room) * kRoom * kRoom * kRoom +
                     static_cast<std::size_t>((b.z * kRoom + b.y) * kRoom + b.x)];
  }
  std::int32_t brickAt(const IVec3& brick) const {
    const std::int32_t room = roomAt(brick >> 4);
    return room < 0 ? -1 : brickIn(room, brick);
  }

  Lattice m_lattice;
  Mat3 m_toLattice{1};
  Vec3 m_origin{0};
  Look m_look;
  std::vector<IVec3> m_places;
  std::shared_ptr<const Array<float>> m_values;  // shared with what is placed or looks otherwise
  Array<float> m_mostOf;                         // by brick
  Array<float> m_leastOf;                        // by brick
  float m_most = 0;
  Box3 m_bounds;  // world
  Box3 m_own;     // on the lattice, around what is above 0
  IVec3 m_firstRoom{0};
  IVec3 m_rooms{0};
  Array<std::int32_t> m_roomOf;
  Array<std::int32_t> m_brickOf;
};

using DensityPtr = std::shared_ptr<const Density>;

template <typename Visit>
void Density::walk(const Vec3& origin, const Vec3& direction, float from, float to, const Visit& visit) const {
  const Vec3 start = m_toLattice * (origin - m_origin);
  const Vec3 step = m_toLattice * direction;
  // Leaves a box of the lattice at; what runs along an axis never does.
  const auto leaves = [&](const Vec3& low, const Vec3& high) {
    float at = std::numeric_limits<float>::infinity();
    for (int k = 0; k < 3; ++k)
      if (step[k] != 0) at = std::min(at, ((step[k] > 0 ? high[k] : low[k]) - start[k]) / step[k]);
    return at;
  };
  for (int k = 0; k < 3; ++k) {
    if (step[k] == 0) {
      if (start[k] < m_own.min[k] || start[k] > m_own.max[k]) return;
      continue;
    }
    const float a = (m_own.min[k] - start[k]) / step[k];
    const float b = (m_own.max[k] - start[k]) / step[k];
    from = std::max(from, std::min(a, b));
    to = std::min(to, std::max(a, b));
  }
  // A hair beyond each border, so that the next place lies behind it; far off no less than what a number tells apart.
  const float least = 1e-3F / glm::length(step);
  for (float t = from; t < to;) {
    const float hair = std::max(least, 4e-7F * std::abs(t));
    const IVec3 brick = IVec3(glm::floor((start + (t + hair) * step) / static_cast<float>(kEdge)));
    const IVec3 room = brick >> 4;
    const std::int32_t inRoom = roomAt(room);
    if (inRoom < 0) {
      const Vec3 low = static_cast<float>(kRoom * kEdge) * Vec3(room);
      t = std::max(leaves(low, low + static_cast<float>(kRoom * kEdge)), t + hair);
      continue;
    }
    const Vec3 low = static_cast<float>(kEdge) * Vec3(brick);
    const float end = std::max(leaves(low, low + static_cast<float>(kEdge)), t + hair);
    const std::int32_t at = brickIn(inRoom, brick);
    if (at >= 0 &&
        !visit(m_values->data() + static_cast<std::size_t>(at) * kPerBrick, start - low, step, t, std::min(end, to)))
      return;
    t = end;
  }
}

}  // namespace arvesk
