#include "app/model/render_service.h"

namespace arvesk {

RenderService::RenderService(QObject* parent) : QObject(parent) {}

void RenderService::request(RenderRequest request) {
  request.number = ++m_asked;
  m_worker.ask([this, request = std::move(request)](const Task& task) -> Worker::Answer {
    draw(request, task);
    return {};
  });
}

void RenderService::draw(const RenderRequest& request, const Task& task) {
  if (request.width < 1 || request.height < 1 || !request.view || !request.view->scene) return;
  Film film(request.width, request.height);
  for (const int step : {4, 2}) {
    if (!renderPass(*request.view->scene, request.camera, step, film, task, request.cut)) return;
    publish(request, film);
  }
  if (request.view->isGrowing) return;  // the next one is near, and the rest of it is being worked out
  while (film.samples < request.samples) {
    if (!renderPass(*request.view->scene, request.camera, 1, film, task, request.cut)) return;
    publish(request, film);
  }
}

void RenderService::publish(const RenderRequest& request, const Film& film) {
  Frame frame;
  frame.image = QImage(film.width, film.height, QImage::Format_RGB32);
  frame.samples = film.samples;
  frame.camera = request.camera;
  frame.request = request.number;
  auto* pixels = reinterpret_cast<std::uint32_t*>(frame.image.bits());
  film.develop(pixels);
  const EvalView& view = *request.view;
  const float radius = 2.6F;
  if (request.drawsPoints)
    for (std::size_t i = 0; i < view.shown.size(); ++i)
      drawPoints(*view.shown[i].points, i < view.pointValues.size() ? view.pointValues[i] : Array<float>(),
                 request.camera, radius, film, pixels, request.cut);
  else
    for (const PointsPtr& p : view.bare) drawPoints(*p, {}, request.camera, radius, film, pixels, request.cut);
  frame.film = std::make_shared<const Film>(film);
  m_worker.post([this, frame = std::move(frame)] {
    m_latest = frame;
    Q_EMIT frameReady();
  });
}

}  // namespace arvesk
