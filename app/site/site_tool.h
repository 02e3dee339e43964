// What the left button does in Site while a node is selected that can be shaped there: brush, handles, picking of
// faces.
#pragma once

#include "app/model/evaluation_service.h"
#include "core/picture/film.h"

#include <QPainter>

#include <memory>

namespace arvesk {

/// The pointer in Site: its ray, and the ground it meets (whatever stands in front of it).
struct SitePointer {
  QPointF at;
  Vec3 eye{0};
  Vec3 direction{0, 0, -1};
  std::optional<Vec3> ground;
  Qt::KeyboardModifiers modifiers;
  float pressure = 1;  // of a tablet's pen
};

/// From the world to the widget.
struct SiteLens {
  const Camera& camera;
  int width;
  int height;
  /// Nothing behind the camera.
  std::optional<QPointF> project(const Vec3& world) const {
    const Vec3 p = camera.projected(world, width, height);
    if (p.z <= 0) return std::nullopt;
    return QPointF(static_cast<double>(p.x), static_cast<double>(p.y));
  }
};

class SiteTool {
 public:
  virtual ~SiteTool() = default;
  /// What the status line says about it.
  virtual QString hint() const = 0;
  /// Takes a press of the left button; false leaves it to Site.
  virtual bool press(const SitePointer& pointer, const SiteLens& lens) = 0;
  virtual void drag(const SitePointer& pointer, const SiteLens& lens) = 0;
  virtual void release() = 0;
  virtual void hover(const SitePointer& pointer, const SiteLens& lens) = 0;
  /// A turn of the wheel with Shift, in steps; false leaves it to Site.
  virtual bool wheel(double steps) {
    Q_UNUSED(steps)
    return false;
  }
  virtual void paint(QPainter& painter, const SiteLens& lens) const = 0;
  virtual void showResults(const EvalViewPtr& view) { Q_UNUSED(view) }
};

/// The tool for a node, by what its parameters are to Site; null when there is none.
std::unique_ptr<SiteTool> makeSiteTool(PlanModel* model, const QString& uid);

/// A line in ink that can be seen on any ground.
void drawOutlined(QPainter& painter, const QPolygonF& line, const QColor& color, double width);

}  // namespace arvesk
