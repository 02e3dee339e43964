#include "app/model/render_service.h"

#include "core/picture/guide.h"

namespace arvesk {

namespace {

/// The first, coarse pass has so long before a newer picture is begun: they follow a drag then, however fast it is.
constexpr std::chrono::milliseconds kFirstPass{150};

VolumeLines linesOf(const RenderRequest& request) {
  VolumeLines out;
  const VolumeLook* look = request.view->volume.get();
  if (!look) return out;
  const auto isHidden = [&](const Vec3& place) { return request.cut && request.cut->hides(place); };
  const auto add = [&](QVector<QLineF>& to, const Vec3& from, const Vec3& end) {
    if (isHidden(from) || isHidden(end)) return;
    const Vec3 a = request.camera.projected(from, request.width, request.height);
    const Vec3 b = request.camera.projected(end, request.width, request.height);
    if (a.z > 0 && b.z > 0)
      to.push_back(QLineF(static_cast<double>(a.x), static_cast<double>(a.y), static_cast<double>(b.x),
                          static_cast<double>(b.y)));
  };
  // Between a face that looks here and one that looks away.
  for (const SkinEdge& e : look->edges) {
    const Vec3 toEye = request.camera.eye - e.from;
    if ((glm::dot(e.normal, toEye) > 0) != (glm::dot(e.other, toEye) > 0)) add(out.outline, e.from, e.to);
  }
  for (const auto& [from, to] : look->open) add(out.open, from, to);
  return out;
}

/// How much of the grain is taken out of a picture that has so many of its samples: all of it first, then less and
/// less, nothing of the whole.
float cleanedAt(int samples, int all) {
  return std::clamp(static_cast<float>(all - samples) / (0.7F * static_cast<float>(all)), 0.0F, 1.0F);
}

}  // namespace

QImage developed(const RenderRequest& request, const Film& film) {
  QImage image(film.width, film.height, QImage::Format_RGB32);
  auto* pixels = reinterpret_cast<std::uint32_t*>(image.bits());
  film.develop(pixels);
  const EvalView& view = *request.view;
  if (request.drawsPoints)
    for (std::size_t i = 0; i < view.shown.size(); ++i)
      drawPoints(*view.shown[i].points, i < view.pointValues.size() ? view.pointValues[i] : Array<float>(),
                 request.camera, request.dotPixels, film, pixels, request.cut, view.palette, request.isTrueSize);
  else
    for (const PointsPtr& p : view.bare)
      drawPoints(*p, {}, request.camera, request.dotPixels, film, pixels, request.cut);
  return image;
}

RenderService::RenderService(QObject* parent) : QObject(parent) {}

void RenderService::request(RenderRequest request) {
  request.number = ++m_asked;
  m_worker.ask(
      [this, request = std::move(request)](const Task& task) -> Worker::Answer {
        draw(request, task);
        return {};
      },
      kFirstPass);
}

void RenderService::draw(const RenderRequest& request, const Task& task) {
  if (request.width < 1 || request.height < 1 || !request.view || !request.view->scene) return;
  Film film(request.width, request.height);
  const VolumeLines lines = linesOf(request);
  for (const int step : {4, 2}) {
    if (!renderPass(*request.view->scene, request.camera, step, film, task, request.cut)) return;
    publish(request, film, lines);
    if (request.number != m_asked) return;
  }
  if (request.view->isGrowing) return;  // the next one is near, and the rest of it is being worked out
  FilmGuide guide(film);
  while (film.samples < request.samples) {
    if (!renderPass(*request.view->scene, request.camera, 1, film, task, request.cut, &guide)) return;
    if (film.samples > 4 && film.samples % 2 == 1 && film.samples < request.samples) continue;
    const std::optional<Film> clean = cleaned(film, guide, request.camera, cleanedAt(film.samples, request.samples),
                                              task);
    if (!clean) return;
    publish(request, *clean, lines);
  }
}

void RenderService::publish(const RenderRequest& request, const Film& film, const VolumeLines& lines) {
  Frame frame;
  frame.image = developed(request, film);
  frame.samples = film.samples;
  frame.lines = lines;
  frame.camera = request.camera;
  frame.request = request.number;
  frame.film = std::make_shared<const Film>(film);
  m_worker.post([this, frame = std::move(frame)] {
    m_latest = frame;
    Q_EMIT frameReady();
  });
}

}  // namespace arvesk
