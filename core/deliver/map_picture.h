// Pictures from above for programs that grow their own plants or paint their own ground: cover and masks as PNG or EXR,
// with their extent beside.
#pragma once

#include "core/deliver/cover.h"
#include "core/masks/mask.h"

namespace arvesk {

/// Values on a grid from above; row 0 lies at the least z (north), column 0 at the least x.
struct MapPicture {
  Vec2 corner{0};  // x and z of the first cell's outer corner, m
  float cell = 1;  // m
  int columns = 0;
  int rows = 0;
  Array<float> values;   // row by row
  std::string quantity;  // "placements per m²", "mask value"
};

/// Placements per m² of cells `cell` m wide over the grounds' extent (or the points' own where there is no ground).
MapPicture coverPicture(const std::vector<PointsPtr>& layers, const std::vector<SurfacePtr>& grounds, float cell,
                        const Task& task);

/// A mask as asked at the topmost ground of each cell's middle; 0 where there is none.
Result<MapPicture> maskPicture(const Mask& mask, const SurfacePtr& ground, float cell, const Task& task);

/// .exr: one channel of 32-bit floats (OpenEXR). .png: 16-bit gray, 65535 standing for the
/// largest value. Beside it `path`.json says extent, meters per pixel, quantity and what the brightest value stands
/// for.
Result<void> writeMapPicture(const MapPicture& picture, const std::string& path);

}  // namespace arvesk
