// Images by OpenImageIO.
#include "core/formats/image_reader.h"

#include "core/formats/import_helper.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

namespace arvesk {
namespace {

constexpr std::int64_t kMostPixels = 200'000'000;

Failure unreadable(const std::string& message) {
  return fail(ProblemCode::FileUnreadable, fmt::format("cannot be read as an image: {}", message),
              "Use PNG, TIFF, EXR or JPEG");
}

}  // namespace

Result<Image> readImage(const std::string& path) {
  try {
    const auto input = OIIO::ImageInput::open(path);
    if (!input) return unreadable(OIIO::geterror());
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
      return unreadable(input->geterror());
    std::size_t bad = 0;
    for (float& v : image.values)
      if (!std::isfinite(v)) {
        v = 0;
        ++bad;
      }
    if (bad == image.values.size()) return unreadable("no value is a number");
    return image;
  } catch (const std::exception& e) { return unreadable(e.what()); }
}

}  // namespace arvesk
