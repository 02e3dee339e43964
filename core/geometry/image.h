// Pictures in memory: heights, masks and textures. Reading files is in formats/image_file.
#pragma once

#include "core/base/array.h"
#include "core/base/vec.h"

namespace arvesk {

/// Row by row from the top, channels interleaved, values as stored for float files and 0 to 1 for integer files.
struct Image {
  int width = 0;
  int height = 0;
  int channels = 0;
  int bitsPerChannel = 0;  // of the file: 8, 16 or 32
  Array<float> values;
  /// Pixels that have no value in the file (NaN, infinite, or what the file calls "no data"), ascending; in `values`
  /// stands what the nearest pixel with one has.
  std::vector<std::uint32_t> missing;

  float at(int x, int y, int channel) const {
    return values[(static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)) *
                      static_cast<std::size_t>(channels) +
                  static_cast<std::size_t>(channel)];
  }
  /// Bilinear between pixel centers; u, v in 0…1 from the left and from the top; outside the edge pixel counts on.
  float sampled(float u, float v, int channel) const;
};

using ImagePtr = std::shared_ptr<const Image>;

/// Average over a square of side 2·radius + 1 pixels, three times (close to a Gaussian; Wells, "Efficient synthesis of
/// Gaussian filters by cascaded uniform filters", PAMI 1986).
Image blurred(const Image& image, int radius);

/// 8-bit sRGB texture, row by row from the top.
struct Texture {
  int width = 0;
  int height = 0;
  Array<std::uint8_t> rgba;
  Vec4 sampledLinear(Vec2 uv) const;  // repeats; v downwards, as in glTF; linear light
  float sampledAlpha(Vec2 uv) const;
};

/// 8-bit copy of an image with values 0…1; gray becomes three equal channels.
Texture textureOf(const Image& image);

float linearFromSrgb(float v);  // IEC 61966-2-1
float srgbFromLinear(float v);

}  // namespace arvesk
