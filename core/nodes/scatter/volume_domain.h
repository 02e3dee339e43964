// Cells of a volume to sow in: cubes of a lattice that belongs to the world or to the body. Which ones there are, and
// what they are called, does not depend on the volume; so whatever is changed somewhere keeps its points elsewhere.
#pragma once

#include "core/nodes/scatter/domain.h"
#include "core/spatial/volume.h"

namespace arvesk {

/// What of a volume is filled: all of it, or what lies between two depths under its skin.
class Fill {
 public:
  /// `depth` is needed only where depths are limited.
  Fill(VolumePtr volume, std::shared_ptr<const DepthField> depth, bool isByDepth, Range depths)
      : m_volume(std::move(volume)), m_depth(std::move(depth)), m_isByDepth(isByDepth), m_depths(depths) {}
  const Volume& volume() const { return *m_volume; }
  const DepthField* depth() const { return m_depth.get(); }
  bool holds(const Vec3& place) const {
    if (!m_isByDepth || !m_volume->isOffset()) {  // what asks no distances comes first
      const bool isInside = m_volume->isInside(place);
      if (!m_isByDepth || !isInside) return isInside;
    }
    const float d = m_depth->roughAt(place);  // no depth that is filled is below 0
    return d >= m_depths.from && d <= m_depths.to;
  }
  Side sideOf(const Box3& box) const;

 private:
  VolumePtr m_volume;
  std::shared_ptr<const DepthField> m_depth;
  bool m_isByDepth;
  Range m_depths;
};

/// For free sowing cells of all sizes lie over each other, each half as wide as those of the level before. A level's
/// cells give the points that appear while the density goes from where cells of the level before hold some, to where
/// its own do; so a density is served by cells of its own size, in bodies of any size, and a higher one only adds. For
/// even sowing there is one level.
class VolumeDomain {
 public:
  using Weights = Vec3;
  struct Piece {
    std::uint32_t cell = 0;
    std::uint64_t path = 1;
    Vec3 from{0};
    Vec3 to{1};
  };
  static constexpr std::size_t kCorners = 8;
  static constexpr std::size_t kChildren = 8;

  /// Without cells yet; `fill` stays with the caller. `frame` is the lattice's in the space of `fill`, `pose` that
  /// space's in the world. `total` is about its volume, m³.
  VolumeDomain(const Task& task, const Fill& fill, const BodyFrame& frame, const BodyFrame& pose = {});
  /// With the cells that a density per m³, or a spacing in m, wants. No cells after a cancel.
  VolumeDomain forDensity(const Task& task, double density) const;
  VolumeDomain forSpacing(const Task& task, float spacing) const;

  const Array<float>& measures() const { return m_cells->measure; }
  /// True when there would be more cells than can be gone through: of thin bodies most candidates lie outside.
  bool isTooMany() const { return m_isTooMany; }
  /// By what the measures are multiplied to give points per cell: the density is in them.
  static double perMeasure(double) { return 1; }
  double total() const { return m_total; }
  const std::uint64_t* keys() const { return m_cells->key.data(); }
  std::uint64_t keyOf(std::uint32_t cell) const { return m_cells->key[cell]; }
  static bool isFromAbove() { return false; }
  static double ballMeasure(double diameter) { return std::numbers::pi / 6 * diameter * diameter * diameter; }
  /// The density at which a cell whose chance is `u` has its point `code`.
  double appearsAt(std::uint32_t cell, std::uint64_t code, double u) const {
    const Level& level = m_cells->levels[m_cells->level[cell]];
    return level.least + (static_cast<double>(code) + 1 - u) / (level.edge * level.edge * level.edge);
  }
  static Vec3 drawn(std::uint64_t bits) {
    const auto part = [&](int shift) { return static_cast<float>((bits >> shift) & 0x1fffffU) * 0x1p-21F; };
    return {part(0), part(21), part(42)};
  }
  Vec3 positionAt(std::uint32_t cell, const Vec3& w) const {
    return m_frame.toWorld(m_cells->levels[m_cells->level[cell]].edge * (DVec3(m_cells->place[cell]) + DVec3(w)));
  }
  Vec3 toWorld(const Vec3& place) const { return m_pose.toWorld(DVec3(place)); }
  bool isInWorld() const { return m_isInWorld; }
  bool holds(std::uint32_t cell, const Vec3& w) const {
    return m_cells->isInside[cell] || m_fill->holds(positionAt(cell, w));
  }
  bool isWhole(std::uint32_t cell) const { return m_cells->isInside[cell] != 0; }
  /// True when nothing of the piece can be inside.
  bool isOut(const Piece& piece) const;
  Box3 boxOf(std::uint32_t cell) const;
  std::shared_ptr<const Array<Box3>> runBoxes() const { return nullptr; }

  Piece wholeOf(std::uint32_t cell) const { return {cell}; }
  std::array<Vec3, kCorners> cornersOf(const Piece& p) const {
    std::array<Vec3, kCorners> out;
    for (std::size_t i = 0; i < kCorners; ++i)
      out[i] = positionAt(p.cell, {i & 1U ? p.to.x : p.from.x, i & 2U ? p.to.y : p.from.y, i & 4U ? p.to.z : p.from.z});
    return out;
  }
  static float widthOf(const std::array<Vec3, kCorners>& c) { return glm::distance(c[0], c[1]); }
  static std::array<Piece, kChildren> childrenOf(const Piece& p);
  static Vec3 within(const Piece& p, const Vec3& w) { return p.from + (p.to - p.from) * w; }

  /// Depth and the way to the nearest skin, for each point.
  class Ground {
   public:
    explicit Ground(std::size_t count) : m_depth(count), m_outward(count) {}
    void write(const VolumeDomain& d, std::size_t i, std::uint32_t cell, const Vec3& w) {
      const Depth depth = d.m_fill->depth() ? d.m_fill->depth()->at(d.positionAt(cell, w)) : Depth();
      m_depth[i] = depth.meters;
      m_outward[i] = d.m_isInWorld ? depth.outward : d.m_pose.turned(depth.outward);
    }
    void moveInto(Points& points, Array<std::uint32_t>&&) {
      points.groundNormal = std::move(m_outward);
      points.attributes.insert_or_assign("depth", Column<float>(std::move(m_depth)));
    }

   private:
    Array<float> m_depth;
    Array<Vec3> m_outward;
  };

 private:
  struct Level {
    double edge = 1;   // m
    double least = 0;  // per m³: what smaller densities have, larger cells give
    double most = 0;
  };
  struct Cells {
    std::vector<Level> levels;
    Array<float> measure;
    Array<std::uint64_t> key;
    Array<IVec3> place;  // in edges of its level
    Array<std::uint8_t> level;
    Array<std::uint8_t> isInside;
    void join(const std::vector<Cells>& parts);
  };
  class Finder;
  template <typename Add>
  static void gather(const Finder& finder, int last, Cells& cells, const Add& add);
  VolumeDomain withCells(const Task& task, std::shared_ptr<Cells> cells, bool isTooMany) const;
  /// Around a box of the lattice, in the space of the fill.
  Box3 fillBox(const DVec3& from, const DVec3& to) const { return withRounding(m_frame.toWorld(from, to)); }
  Box3 ownBounds() const;

  const Fill* m_fill;
  BodyFrame m_frame;
  BodyFrame m_pose;
  bool m_isInWorld;
  double m_total = 0;
  bool m_isTooMany = false;
  std::shared_ptr<const Cells> m_cells;
};

}  // namespace arvesk
