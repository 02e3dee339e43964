#include "app/model/render_service.h"

namespace arvesk {

RenderService::RenderService(QObject* parent)
    : QObject(parent), m_thread([this](std::stop_token stop) { work(stop); }) {}

RenderService::~RenderService() {
  {
    const std::lock_guard lock(m_mutex);
    m_next.reset();
    m_running.request_stop();
  }
  m_thread.request_stop();
  m_wake.notify_all();
}

void RenderService::request(RenderRequest request) {
  {
    const std::lock_guard lock(m_mutex);
    m_next = std::move(request);
    m_running.request_stop();
  }
  m_wake.notify_all();
}

void RenderService::work(std::stop_token stop) {
  setFloatingPointMode();
  yieldToInterface();
  while (!stop.stop_requested()) {
    RenderRequest request;
    Task task;
    {
      std::unique_lock lock(m_mutex);
      if (!m_wake.wait(lock, stop, [this] { return m_next.has_value(); })) return;
      request = std::move(*m_next);
      m_next.reset();
      m_running = std::stop_source();
      task.stop = m_running.get_token();
    }
    draw(request, task);
  }
}

void RenderService::draw(const RenderRequest& request, const Task& task) {
  if (request.width < 1 || request.height < 1 || !request.view || !request.view->scene) return;
  Film film(request.width, request.height);
  for (const int step : {4, 2}) {
    if (!renderPass(*request.view->scene, request.camera, step, film, task)) return;
    publish(request, film);
  }
  while (film.samples < request.samples) {
    if (!renderPass(*request.view->scene, request.camera, 1, film, task)) return;
    publish(request, film);
  }
}

void RenderService::publish(const RenderRequest& request, const Film& film) {
  Frame frame;
  frame.image = QImage(film.width, film.height, QImage::Format_RGB32);
  frame.samples = film.samples;
  frame.camera = request.camera;
  auto* pixels = reinterpret_cast<std::uint32_t*>(frame.image.bits());
  film.develop(pixels);
  const EvalView& view = *request.view;
  const float radius = 2.6F;
  if (request.drawsPoints)
    for (std::size_t i = 0; i < view.shown.size(); ++i)
      drawPoints(*view.shown[i].points, i < view.pointValues.size() ? view.pointValues[i] : Array<float>(),
                 request.camera, radius, film, pixels);
  else
    for (const PointsPtr& p : view.bare) drawPoints(*p, {}, request.camera, radius, film, pixels);
  frame.film = std::make_shared<const Film>(film);
  QMetaObject::invokeMethod(
      this,
      [this, frame = std::move(frame)] {
        m_latest = frame;
        Q_EMIT frameReady();
      },
      Qt::QueuedConnection);
}

}  // namespace arvesk
