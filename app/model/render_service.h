// Draws Site on a thread of its own: coarse at once, finer at rest, anew at any change.
#pragma once

#include "app/model/evaluation_service.h"
#include "core/picture/render.h"

#include <atomic>

namespace arvesk {

struct RenderRequest {
  EvalViewPtr view;
  Camera camera;
  int width = 0;
  int height = 0;
  std::optional<Cut> cut;
  bool drawsPoints = false;  // all points as discs, in place of props
  float dotPixels = 2.6F;    // radius of points that are drawn as discs
  bool isTrueSize = false;   // discs cover footprints instead
  int samples = 16;          // when the picture counts as clean
  std::uint64_t number = 0;  // given by request()
};

/// The picture that the film holds, with its points.
QImage developed(const RenderRequest& request, const Film& film);

/// Of a volume in Site, over the picture: the outline of the true body, and its open edges.
struct VolumeLines {
  QVector<QLineF> outline;
  QVector<QLineF> open;
};

struct Frame {
  QImage image;
  std::shared_ptr<const Film> film;  // depth for overlays
  VolumeLines lines;
  int samples = 0;  // 0 while coarse
  Camera camera;
  std::uint64_t request = 0;  // which request it answers
};

class RenderService : public QObject {
  Q_OBJECT

 public:
  explicit RenderService(QObject* parent = nullptr);
  void request(RenderRequest request);
  const Frame& latest() const { return m_latest; }
  /// Samples of the picture of what was asked for last; 0 while an earlier one is shown.
  int samples() const { return m_latest.request == m_asked ? m_latest.samples : 0; }

 Q_SIGNALS:
  void frameReady();

 private:
  void draw(const RenderRequest& request, const Task& task);
  void publish(const RenderRequest& request, const Film& film, const VolumeLines& lines);

  Frame m_latest;
  std::atomic<std::uint64_t> m_asked = 0;
  Worker m_worker;
};

}  // namespace arvesk
