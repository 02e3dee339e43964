// Images by OpenImageIO.
#include "core/formats/mesh_reader.h"

#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

namespace arvesk {
namespace {

constexpr std::int64_t kMostPixels = 200'000'000;

Failure unreadable(const std::string& message) { return fail(ProblemCode::FileUnreadable, fmt::format("cannot be read as an image: {}", message), "Use PNG, TIFF, EXR or JPEG"); }

}  // namespace

Result<Image> readImage(const std::string& path) {
  try {
    const auto input = OIIO::ImageInput::open(path);
    if (!input) return unreadable(OIIO::geterror());
    const OIIO::ImageSpec& spec = input->spec();
    if (spec.width < 1 || spec.height < 1 || spec.depth > 1 || std::int64_t{spec.width} * spec.height > kMostPixels || spec.nchannels < 1 || spec.nchannels > 64)
      return fail(ProblemCode::FileTooLarge, fmt::format("is {} × {} pixels with {} channels; the limit is {} pixels", spec.width, spec.height, spec.nchannels, kMostPixels));
    Image image;
    image.width = spec.width;
    image.height = spec.height;
    image.channels = std::min(spec.nchannels, 4);
    image.bitsPerChannel = static_cast<int>(spec.format.size()) * 8;
    image.values.resize(static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height) * static_cast<std::size_t>(image.channels));
    if (!input->read_image(0, 0, 0, image.channels, OIIO::TypeDesc::FLOAT, image.values.data())) return unreadable(input->geterror());
    std::size_t bad = 0;
    for (float& v : image.values)
      if (!std::isfinite(v)) {
        v = 0;
        ++bad;
      }
    if (bad == image.values.size()) return unreadable("no value is a number");
    return image;
  } catch (const std::exception& e) {
    return unreadable(e.what());
  }
}

Result<Texture> decodeTexture(const std::vector<std::uint8_t>& file) {
  try {
    const bool isJpeg = file.size() > 2 && file[0] == 0xff && file[1] == 0xd8;
    OIIO::Filesystem::IOMemReader memory(const_cast<std::uint8_t*>(file.data()), file.size());
    const auto input = OIIO::ImageInput::open(isJpeg ? "texture.jpg" : "texture.png", nullptr, &memory);
    if (!input) return unreadable(OIIO::geterror());
    const OIIO::ImageSpec& spec = input->spec();
    if (spec.width < 1 || spec.height < 1 || std::int64_t{spec.width} * spec.height > kMostPixels || spec.nchannels < 1) return unreadable("its size is not usable");
    std::vector<std::uint8_t> raw(static_cast<std::size_t>(spec.width) * static_cast<std::size_t>(spec.height) * static_cast<std::size_t>(spec.nchannels));
    if (!input->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::UINT8, raw.data())) return unreadable(input->geterror());
    Texture t;
    t.width = spec.width;
    t.height = spec.height;
    const std::size_t pixels = static_cast<std::size_t>(spec.width) * static_cast<std::size_t>(spec.height);
    const auto n = static_cast<std::size_t>(spec.nchannels);
    t.rgba.resize(pixels * 4);
    for (std::size_t i = 0; i < pixels; ++i)
      for (std::size_t c = 0; c < 4; ++c) {
        const bool isGray = n < 3;
        if (c == 3) t.rgba[i * 4 + 3] = n == 4 ? raw[i * n + 3] : n == 2 ? raw[i * n + 1] : std::uint8_t{255};
        else t.rgba[i * 4 + c] = raw[i * n + (isGray ? 0 : c)];
      }
    return t;
  } catch (const std::exception& e) {
    return unreadable(e.what());
  }
}

}  // namespace arvesk
