// Images by OpenImageIO.
#include "core/formats/image_reader.h"

#include "core/base/number_text.h"
#include "core/formats/import_helper.h"
#include "core/formats/own_words.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>
#include <tiffio.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <optional>

namespace arvesk {
namespace {

constexpr std::int64_t kMostPixels = 200'000'000;

Failure unreadable(const std::string& message) {
  return fail(ProblemCode::FileUnreadable, fmt::format("cannot be read as an image: {}", message),
              "Use PNG, TIFF, EXR or JPEG");
}

/// What the file says that a pixel without a value has, as the numbers of `values` are: whole numbers go from 0 to 1
/// there. TIFF says it in words in tag 42113 (GDAL, "GDAL_NODATA", as written by most programs for heights).
std::optional<float> noDataOf(const std::string& path, const OIIO::ImageInput& input) {
  if (std::string_view(input.format_name()) != "tiff") return {};
  constexpr std::uint32_t kNoData = 42113;
  TIFF* file = TIFFOpen(path.c_str(), "r");
  if (!file) return {};
  std::uint32_t size = 0;
  const char* words = nullptr;
  std::optional<float> out;
  if (TIFFGetField(file, kNoData, &size, &words) == 1 && words) {
    const std::string_view text(words, ::strnlen(words, size));
    if (const auto v = numberIn(text)) {
      double most = 1;
      switch (input.spec().format.basetype) {
        case OIIO::TypeDesc::UINT8: most = 255; break;
        case OIIO::TypeDesc::INT8: most = 127; break;
        case OIIO::TypeDesc::UINT16: most = 65535; break;
        case OIIO::TypeDesc::INT16: most = 32767; break;
        case OIIO::TypeDesc::UINT32: most = 4294967295.0; break;
        case OIIO::TypeDesc::INT32: most = 2147483647.0; break;
        default: break;
      }
      out = static_cast<float>(*v / most);
    }
  }
  TIFFClose(file);
  return out;
}

void markMissing(Image& image, const std::optional<float>& noData) {
  const std::size_t channels = static_cast<std::size_t>(image.channels);
  const std::size_t pixels = image.values.size() / channels;
  const auto isNoData = [&](float v) { return noData && std::abs(v - *noData) <= 1e-6F * std::abs(*noData); };
  for (std::size_t i = 0; i < pixels; ++i) {
    const float* v = &image.values[i * channels];
    if (std::any_of(v, v + channels, [&](float x) { return !std::isfinite(x) || isNoData(x); }))
      image.missing.push_back(static_cast<std::uint32_t>(i));
  }
}

/// Each missing pixel gets what the nearest one has, by steps to the sides: ring by ring from where there is something.
void fillMissing(Image& image) {
  if (image.missing.empty()) return;
  const std::size_t channels = static_cast<std::size_t>(image.channels);
  const auto width = static_cast<std::uint32_t>(image.width);
  const std::uint32_t pixels = static_cast<std::uint32_t>(image.values.size() / channels);
  enum : std::uint8_t { kThere, kMissing, kNext };
  std::vector<std::uint8_t> state(pixels, kThere);
  for (const std::uint32_t i : image.missing) state[i] = kMissing;
  const auto besides = [&](std::uint32_t i) {
    std::array<std::uint32_t, 4> out{i, i, i, i};
    if (i % width > 0) out[0] = i - 1;
    if (i % width + 1 < width) out[1] = i + 1;
    if (i >= width) out[2] = i - width;
    if (i + width < pixels) out[3] = i + width;
    return out;
  };
  std::vector<std::uint32_t> ring;
  for (const std::uint32_t i : image.missing) {
    const auto sides = besides(i);
    if (std::any_of(sides.begin(), sides.end(), [&](std::uint32_t k) { return state[k] == kThere; })) ring.push_back(i);
  }
  for (const std::uint32_t i : ring) state[i] = kNext;
  while (!ring.empty()) {
    for (const std::uint32_t i : ring)
      for (const std::uint32_t k : besides(i))
        if (state[k] == kThere) {
          std::copy_n(&image.values[k * channels], channels, &image.values[i * channels]);
          break;
        }
    for (const std::uint32_t i : ring) state[i] = kThere;
    std::vector<std::uint32_t> further;
    for (const std::uint32_t i : ring)
      for (const std::uint32_t k : besides(i))
        if (state[k] == kMissing) {
          state[k] = kNext;
          further.push_back(k);
        }
    ring = std::move(further);
  }
}

}  // namespace

Result<Image> readImage(const std::string& path) {
  try {
    const auto input = OIIO::ImageInput::open(path);
    if (!input) return unreadable(inOwnWords(OIIO::geterror()));
    const OIIO::ImageSpec& spec = input->spec();
    if (spec.width < 1 || spec.height < 1 || spec.depth > 1 || std::int64_t{spec.width} * spec.height > kMostPixels ||
        spec.nchannels < 1 || spec.nchannels > 64)
      return fail(ProblemCode::FileTooLarge, fmt::format("is {} × {} pixels with {} channels; the limit is {} pixels",
                                                         spec.width, spec.height, spec.nchannels, kMostPixels));
    Image image;
    image.width = spec.width;
    image.height = spec.height;
    image.channels = std::min(spec.nchannels, 4);
    image.bitsPerChannel = static_cast<int>(spec.format.size()) * 8;
    expectDecoded(sizeof(float) * static_cast<std::uint64_t>(image.width) * static_cast<std::uint64_t>(image.height) *
                  static_cast<std::uint64_t>(image.channels));
    image.values.resize(static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height) *
                        static_cast<std::size_t>(image.channels));
    if (!input->read_image(0, 0, 0, image.channels, OIIO::TypeDesc::FLOAT, image.values.data()))
      return unreadable(inOwnWords(input->geterror()));
    markMissing(image, noDataOf(path, *input));
    if (image.missing.size() * static_cast<std::size_t>(image.channels) == image.values.size())
      return unreadable("no pixel has a value");
    fillMissing(image);
    return image;
  } catch (const std::exception& e) { return unreadable(inOwnWords(e)); }
}

}  // namespace arvesk
