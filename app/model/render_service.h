// Draws Site on a thread of its own: coarse at once, finer at rest, anew at any change.
#pragma once

#include "app/model/evaluation_service.h"
#include "core/picture/render.h"

namespace arvesk {

struct RenderRequest {
  EvalViewPtr view;
  Camera camera;
  int width = 0;
  int height = 0;
  bool drawsPoints = false;  // all points as discs, in place of props
  int samples = 16;          // when the picture counts as clean
};

struct Frame {
  QImage image;
  std::shared_ptr<const Film> film;  // depth for overlays
  int samples = 0;                   // 0 while coarse
  Camera camera;
};

class RenderService : public QObject {
  Q_OBJECT

 public:
  explicit RenderService(QObject* parent = nullptr);
  void request(RenderRequest request);
  const Frame& latest() const { return m_latest; }

 Q_SIGNALS:
  void frameReady();

 private:
  void draw(const RenderRequest& request, const Task& task);
  void publish(const RenderRequest& request, const Film& film);

  Frame m_latest;
  Worker m_worker;
};

}  // namespace arvesk
