#include "app/site/site_tint.h"

#include "core/base/task.h"

namespace arvesk {
namespace {

constexpr QRgb kTint = qRgba(0x5A, 0x48, 0x10, 0x68);  // premultiplied: gold that lets light and shade through
constexpr QRgb kRim = qRgba(0xFC, 0xE9, 0x9A, 0xFF);

}  // namespace

QImage tintOf(const PictureScene& scene, const SiteSelection& selection, const Camera& camera, int width, int height,
              int step, const std::optional<Cut>& cut, const Task& task) {
  const int w = (width + step - 1) / step;
  const int h = (height + step - 1) / step;
  const PictureInput& input = scene.input();
  std::vector<const IdSet*> chosen;
  for (const PictureLayer& layer : input.layers) {
    const auto it = selection.find(layer.source);
    chosen.push_back(it == selection.end() ? nullptr : &it->second);
  }
  const float aspect = static_cast<float>(width) / static_cast<float>(height);
  Array<std::uint8_t> isChosen(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
  parallelPieces(task, static_cast<std::size_t>(h), 4, [&](std::size_t begin, std::size_t end) {
    for (std::size_t y = begin; y < end; ++y)
      for (int x = 0; x < w; ++x) {
        const Vec3 d = camera.direction((static_cast<float>(x) + 0.5F) / static_cast<float>(w),
                                        (static_cast<float>(y) + 0.5F) / static_cast<float>(h), aspect);
        const PictureRayHit hit = scene.first(camera.eye, d, cut ? &*cut : nullptr);
        std::uint8_t& here = isChosen[y * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)];
        here = 0;
        if (!hit.isHit()) continue;
        const PictureInstance& in = scene.instance(hit.instance);
        const IdSet* ids = in.layer == kGround ? nullptr : chosen[in.layer];
        here = ids && ids->contains(input.layers[in.layer].points->id[in.point]) ? 1 : 0;
      }
  });
  if (task.isCancelled()) return {};
  QImage image(w, h, QImage::Format_ARGB32_Premultiplied);
  image.fill(Qt::transparent);
  const auto at = [&](int x, int y) {
    return x >= 0 && y >= 0 && x < w && y < h &&
           isChosen[static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)] != 0;
  };
  for (int y = 0; y < h; ++y) {
    auto* row = reinterpret_cast<QRgb*>(image.scanLine(y));
    for (int x = 0; x < w; ++x)
      if (at(x, y)) row[x] = at(x - 1, y) && at(x + 1, y) && at(x, y - 1) && at(x, y + 1) ? kTint : kRim;
  }
  return image;
}

}  // namespace arvesk
