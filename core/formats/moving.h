// The outputs of many frames as one set of layers: every point that is there at some frame once, and where it is at
// each.
#pragma once

#include "core/formats/exporter.h"

#include <unordered_map>

namespace arvesk {

class MovingLayers {
 public:
  explicit MovingLayers(double rate) : m_rate(rate) {}

  /// The layers of one more frame, which must be later than those before. Fails when all of them would need more memory
  /// than there is.
  Result<void> add(double frame, const std::vector<ExportLayer>& layers);

  struct Made {
    std::vector<ExportLayer> layers;
    std::vector<Problem> warnings;        // what cannot move in a file of many frames
    std::vector<std::string> attributes;  // that must be written besides those that are asked for
  };
  /// A point is who it was while it keeps id and prop; one that gets another prop counts as another one. What is at
  /// every frame keeps its id.
  Result<Made> made(const Task& task) const;
  /// For tables and clouds of points: each output at each frame, one after the other, with the frame as an attribute.
  Made rows() const;
  /// What a file of this ending holds all frames by.
  Result<Made> madeFor(const std::string& path, const Task& task) const;

 private:
  /// Of one output, by its title and its place among those that are called so.
  struct Layer {
    std::string name;
    std::size_t number = 0;                                 // of those of that title
    std::vector<std::pair<std::size_t, PointsPtr>> points;  // by frame
    SurfacePtr surface;
    VolumePtr volume;
    bool changes = false;  // a surface or volume that is another one at another frame
    bool hasColors = false;
  };
  Layer& layerOf(const ExportLayer& layer, std::size_t number);
  static bool colorsChange(const Layer& layer, const Points& united);
  Result<ExportLayer> united(const Layer& layer, const Task& task) const;

  double m_rate;
  std::vector<double> m_frames;
  std::vector<Layer> m_layers;
};

/// As points are gathered.
std::shared_ptr<const LayerFrames> gathered(const LayerFrames& over, const Array<std::uint32_t>& indices);

}  // namespace arvesk
