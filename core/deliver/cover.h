// Cover: the ground from above with how many stand on each square meter. Site shows it, export can write it.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/geometry/surface.h"

namespace arvesk {

struct CoverMap {
  Vec2 corner{0};              // x and z of the first cell's corner, m
  float cell = 1;              // m
  int columns = 0;             // along x
  int rows = 0;                // along z
  Array<std::uint32_t> count;  // points per cell, row by row
  std::uint32_t most = 0;
  std::size_t pointCount = 0;
  /// What fills volumes: how many per cell, and between which heights (m); empty where nothing does.
  Array<std::uint32_t> inVolumes;
  Array<float> lowest;
  Array<float> highest;
  int shadePixels = 1;  // relief pixels per cell side
  Array<float>
      shade;  // of the ground, 0 to 1; negative where there is none; rows × shadePixels by columns × shadePixels

  float perSquareMeter(int column, int row) const { return static_cast<float>(count[at(column, row)]) / (cell * cell); }
  std::size_t at(int column, int row) const {
    return static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(column);
  }
  /// Points per m² at a place, or nothing outside of the map.
  std::optional<float> at(Vec2 place) const;
  /// Points per m³ of the column there, of those that fill volumes; nothing where fewer than two do. The column reaches
  /// as far beyond the outermost of them as they lie apart on average (the unbiased estimate of a uniform range).
  std::optional<float> perCubicMeter(Vec2 place) const;
};

/// The least of 1, 2 and 5 × 10ⁿ that is not below `value`.
float roundedUp(float value);

/// Counts `layers` over the extent of grounds and points. The cell is a round length (1, 2 or 5 × 10ⁿ m) that gives at
/// most `mostCells` along the longer side. The relief is lit from the north-west. Empty when there is nothing, or when
/// it was cancelled.
CoverMap coverOf(const std::vector<PointsPtr>& layers, const std::vector<SurfacePtr>& grounds, int mostCells,
                 const Task& task);

}  // namespace arvesk
