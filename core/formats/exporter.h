// Writes the outputs of a plan: glTF with instances, USD point instancers, CSV. Files are written whole or not at all.
#pragma once

#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/props/prop.h"

#include <map>

namespace arvesk {

struct ExportLayer {
  std::string name;   // title of the Output node
  PointsPtr points;
};

struct ExportReport {
  std::size_t placements = 0;
  std::size_t withoutProp = 0;                       // points that had none and were not written
  std::map<std::string, std::size_t> perProp;        // by prop name
};

/// Format by the path's ending: .glb .gltf .usda .csv. Cancelling leaves the old file as it was.
Result<ExportReport> exportLayers(const std::vector<ExportLayer>& layers, const std::string& path, const Task& task);

namespace exporters {
/// Placements of one layer and prop: indices into the layer's points.
struct Group {
  const ExportLayer* layer;
  PropPtr prop;
  Array<std::uint32_t> points;
  std::string name;  // unique over the whole file
};
Result<void> gltf(const std::vector<Group>& groups, const std::string& path, bool isBinary, const Task& task);
Result<void> usda(const std::vector<Group>& groups, const std::string& path, const Task& task);
Result<void> csv(const std::vector<Group>& groups, const std::string& path, const Task& task);
/// A prop alone as GLB; the demo's kit is made with it.
Result<void> glbOf(const Surface& surface, const std::string& name, const std::string& path);
}  // namespace exporters

}  // namespace arvesk
