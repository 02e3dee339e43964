#include "core/geometry/image.h"

#include "core/base/task.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace arvesk {

float Image::sampled(float u, float v, int channel) const {
  const float x = std::clamp(u * static_cast<float>(width) - 0.5F, 0.0F, static_cast<float>(width - 1));
  const float y = std::clamp(v * static_cast<float>(height) - 0.5F, 0.0F, static_cast<float>(height - 1));
  const int x0 = static_cast<int>(x);
  const int y0 = static_cast<int>(y);
  const int x1 = std::min(x0 + 1, width - 1);
  const int y1 = std::min(y0 + 1, height - 1);
  const float fx = x - static_cast<float>(x0);
  const float fy = y - static_cast<float>(y0);
  const float top = at(x0, y0, channel) * (1 - fx) + at(x1, y0, channel) * fx;
  const float bottom = at(x0, y1, channel) * (1 - fx) + at(x1, y1, channel) * fx;
  return top * (1 - fy) + bottom * fy;
}

Image blurred(const Image& image, int radius) {
  if (radius <= 0) return image;
  Image out = image;
  const auto pass = [&](int length, int lines, auto index) {
    parallelPieces({}, static_cast<std::size_t>(lines), 16, [&](std::size_t begin, std::size_t end) {
      std::vector<double> sums(static_cast<std::size_t>(length) + 1);
      for (auto line = static_cast<int>(begin); line < static_cast<int>(end); ++line)
        for (int c = 0; c < image.channels; ++c) {
          for (int i = 0; i < length; ++i)
            sums[static_cast<std::size_t>(i) + 1] = sums[static_cast<std::size_t>(i)] +
                                                    static_cast<double>(out.values[index(line, i, c)]);
          for (int i = 0; i < length; ++i) {
            const int a = std::max(0, i - radius);
            const int b = std::min(length, i + radius + 1);
            out.values[index(line, i, c)] = static_cast<float>(
                (sums[static_cast<std::size_t>(b)] - sums[static_cast<std::size_t>(a)]) / static_cast<double>(b - a));
          }
        }
    });
  };
  const auto at = [&](int x, int y, int c) {
    return (static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width) + static_cast<std::size_t>(x)) *
               static_cast<std::size_t>(image.channels) +
           static_cast<std::size_t>(c);
  };
  for (int round = 0; round < 3; ++round) {
    pass(image.width, image.height, [&](int line, int i, int c) { return at(i, line, c); });
    pass(image.height, image.width, [&](int line, int i, int c) { return at(line, i, c); });
  }
  return out;
}

Texture textureOf(const Image& image) {
  Texture t;
  t.width = image.width;
  t.height = image.height;
  const std::size_t pixels = static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height);
  const auto channels = static_cast<std::size_t>(image.channels);
  const bool isGray = channels < 3;
  const bool hasAlpha = channels == 2 || channels == 4;
  const auto byteOf = [](float v) { return static_cast<std::uint8_t>(255 * std::clamp(v, 0.0F, 1.0F) + 0.5F); };
  t.rgba.resize(pixels * 4);
  parallelPieces({}, pixels, 65536, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const float* from = &image.values[i * channels];
      std::uint8_t* to = &t.rgba[i * 4];
      for (std::size_t c = 0; c < 3; ++c) to[c] = byteOf(from[isGray ? 0 : c]);
      to[3] = hasAlpha ? byteOf(from[channels - 1]) : std::uint8_t{255};
    }
  });
  return t;
}

float linearFromSrgb(float v) { return v <= 0.04045F ? v / 12.92F : std::pow((v + 0.055F) / 1.055F, 2.4F); }
float srgbFromLinear(float v) { return v <= 0.0031308F ? v * 12.92F : 1.055F * std::pow(v, 1.0F / 2.4F) - 0.055F; }

namespace {

/// Bilinear between the four texels around uv, repeating; texel(i) is asked with the place of its four bytes.
template <typename Value, typename Texel>
Value between(const Texture& t, Vec2 uv, Texel texel) {
  const auto wrap = [](int i, int n) { return ((i % n) + n) % n; };
  const float fx = (uv.x - std::floor(uv.x)) * static_cast<float>(t.width) - 0.5F;
  const float fy = (uv.y - std::floor(uv.y)) * static_cast<float>(t.height) - 0.5F;
  const int x = static_cast<int>(std::floor(fx));
  const int y = static_cast<int>(std::floor(fy));
  const float tx = fx - static_cast<float>(x);
  const float ty = fy - static_cast<float>(y);
  const auto at = [&](int ix, int iy) -> Value {
    return texel((static_cast<std::size_t>(wrap(iy, t.height)) * static_cast<std::size_t>(t.width) +
                  static_cast<std::size_t>(wrap(ix, t.width))) *
                 4);
  };
  return (at(x, y) * (1 - tx) + at(x + 1, y) * tx) * (1 - ty) + (at(x, y + 1) * (1 - tx) + at(x + 1, y + 1) * tx) * ty;
}

}  // namespace

Vec4 Texture::sampledLinear(Vec2 uv) const {
  static const std::array<float, 256> table = [] {
    std::array<float, 256> t{};
    for (std::size_t i = 0; i < 256; ++i) t[i] = linearFromSrgb(static_cast<float>(i) / 255.0F);
    return t;
  }();
  return between<Vec4>(*this, uv, [this](std::size_t at) {
    return Vec4(table[rgba[at]], table[rgba[at + 1]], table[rgba[at + 2]], static_cast<float>(rgba[at + 3]) / 255.0F);
  });
}

float Texture::sampledAlpha(Vec2 uv) const {
  return between<float>(*this, uv, [this](std::size_t at) { return static_cast<float>(rgba[at + 3]) / 255.0F; });
}

}  // namespace arvesk
