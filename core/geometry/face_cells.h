// Cells in rows over a flat part of a surface: which of them lie inside, and how much of each.
#pragma once

#include "core/geometry/surface.h"

#include <span>

namespace arvesk {

/// What of a row counts where the part ends.
enum class CellEnds {
  Inside,  // cells that lie inside with all of their area
  Middle,  // those whose middle does
  Over,    // those of which at least a share does
  Cut,     // as Over, each as long and as deep as what of it lies inside
};

struct CellRule {
  float row = 1;          // m from one row to the next
  float pitch = 1;        // m from one cell of a row to the next
  float overlap = 0;      // by how much of `row` each row reaches under the next one, as a share
  float stagger = 0;      // by how much of `pitch` each row is shifted against the one before, as a share
  bool isFitted = false;  // row and pitch are changed so that whole numbers of them fill the part's extent
  CellEnds ends = CellEnds::Inside;
  float least = 0.1F;  // share of a cell that must lie inside, for Over and Cut
};

struct FaceCell {
  std::int32_t row = 0;     // from the lowest one up
  std::int32_t column = 0;  // from where the part begins along the rows
  std::int32_t rowsAbove = 0;
  bool isFirst = false;  // of its row
  bool isLast = false;
  float length = 0;  // m along the row
  float depth = 0;   // m across it
  Vec3 place{0};     // its middle, on the plane of `triangle`
  std::uint32_t triangle = 0;
  Vec2 weights{
      0};  // of the second and third corner; of the nearest place of the triangle where the middle lies outside
};

/// How many cells the part's extent has, before any is looked at: what to guard against.
double cellsInExtent(const Surface& surface, std::span<const std::uint32_t> triangles, const Vec3& along,
                     const Vec3& across, const CellRule& rule);

/// The cells of the triangles of one flat part, row by row. `along` and `across` are unit vectors at a right angle in
/// its plane; the first row lies at the lowest end of `across`. What lies inside is the sum over the triangles of their
/// area within the cell, so holes count.
Array<FaceCell> cellsOver(const Surface& surface, std::span<const std::uint32_t> triangles, const Vec3& along,
                          const Vec3& across, const CellRule& rule);

struct FaceRectangle {
  Vec3 middle{0};
  float length = 0;  // m, along `along`
  float width = 0;   // m, across it
};
/// The rectangle of the largest area that lies within the triangles of a flat part, its sides along and across `along`.
/// Exact where the part's corners give its sides, else within about a four-hundredth of the part's extent: it is looked
/// for among lines through the corners and 32 more each way, then once more about what was found.
FaceRectangle largestRectangle(const Surface& surface, std::span<const std::uint32_t> triangles, const Vec3& along,
                               const Vec3& across);
/// The rectangle around all of them.
FaceRectangle rectangleAround(const Surface& surface, std::span<const std::uint32_t> triangles, const Vec3& along,
                              const Vec3& across);

}  // namespace arvesk
