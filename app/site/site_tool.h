// What the left button does in Site while a node is selected that can be shaped there: brush, handles, picking of
// faces.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/site/site_selection.h"
#include "core/picture/film.h"
#include "core/picture/scene.h"

#include <QPainter>

#include <memory>

namespace arvesk {

/// The pointer in Site: its ray, and the ground it meets (whatever stands in front of it).
struct SitePointer {
  bool isIn = false;  // over Site at all
  QPointF at;
  Vec3 eye{0};
  Vec3 direction{0, 0, -1};
  std::optional<Vec3> ground;
  Vec3 groundNormal{0, 1, 0};  // there, toward the eye
  std::optional<Vec3> thing;   // what one sees there: ground, or what stands on it
  Vec3 thingNormal{0, 1, 0};   // there, toward the eye
  Qt::KeyboardModifiers modifiers;
  float pressure = 1;  // of a tablet's pen
};

/// From the world to the widget, and what stands in it.
struct SiteLens {
  const Camera& camera;
  int width;
  int height;
  const Film* film = nullptr;           // what the picture shows now, or null
  const PictureScene* scene = nullptr;  // or null
  /// Does something in the picture stand before it?
  bool isHidden(const Vec3& world) const {
    if (!film || film->width < 1) return false;
    const Vec3 p = camera.projected(world, film->width, film->height);
    if (p.z <= 0 || p.x < 0 || p.y < 0 || p.x >= static_cast<float>(film->width) ||
        p.y >= static_cast<float>(film->height))
      return false;
    const float seen = film->distance[film->at(static_cast<int>(p.x), static_cast<int>(p.y))];
    return seen < glm::distance(camera.eye, world) * 0.985F - 0.05F;
  }
  /// The ring of this radius about a place, across its normal.
  std::vector<Vec3> ringAt(const Vec3& center, const Vec3& normal, float radius) const;
  /// That of a place of the ground, laid down on the ground along its normal.
  std::vector<Vec3> ringOnGround(const Vec3& center, const Vec3& normal, float radius) const;
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
  /// Does it take every press, so that nothing can be selected meanwhile?
  virtual bool isBrush() const { return false; }
  /// Does the pointer look as if a press did something?
  virtual bool isArmed() const { return true; }
  /// Does Alt mean something to it where it takes a press? Everywhere else it turns the camera.
  virtual bool takesAlt() const { return false; }
  /// Takes a press of the left button; false leaves it to Site.
  virtual bool press(const SitePointer& pointer, const SiteLens& lens) = 0;
  virtual void drag(const SitePointer& pointer, const SiteLens& lens) = 0;
  virtual void release() = 0;
  virtual void hover(const SitePointer& pointer, const SiteLens& lens) = 0;
  /// Does the wheel belong to it during a drag, without Shift too?
  virtual bool takesWheelInDrag() const { return false; }
  /// A turn of the wheel with Shift, in steps; false leaves it to Site.
  virtual bool wheel(double steps) {
    Q_UNUSED(steps)
    return false;
  }
  /// What it holds of the plan that is in the way of something.
  virtual SiteSelection overlapping() const { return {}; }
  /// How many of its footprints overlap others.
  virtual std::size_t overlaps() const { return 0; }
  virtual void paint(QPainter& painter, const SiteLens& lens) const = 0;
  virtual void showResults(const EvalViewPtr& view) { Q_UNUSED(view) }
  /// What to call when it has something new to be drawn or said.
  void whenChanged(std::function<void()> changed) { m_changed = std::move(changed); }

 protected:
  void tellChanged() const {
    if (m_changed) m_changed();
  }

 private:
  std::function<void()> m_changed;
};

/// The tool for a node, by what its parameters are to Site; null when there is none.
std::unique_ptr<SiteTool> makeSiteTool(PlanModel* model, const QString& uid, const std::shared_ptr<FileService>& files);

/// Where the dabs of a brush go on the way from the last one: one at each step of a share of the radius, so close that
/// a stroke has no beads. Of a jump no more than a few hundred.
std::vector<Vec3> dabsBetween(const Vec3& from, const Vec3& to, float radius);

/// How a handle looks: what moves, what sizes one side, what turns, what sizes all.
enum class HandleShape { Square, Round, Arrow, Corner };
/// An arrow looks away from `middle`.
void drawHandle(QPainter& painter, HandleShape shape, const QPointF& at, const std::optional<QPointF>& middle,
                bool isLit, int alpha = 255);

/// A line in ink that can be seen on any ground.
void drawOutlined(QPainter& painter, const QPolygonF& line, const QColor& color, double width);
/// A line through the world: faint where something stands before it.
void drawInWorld(QPainter& painter, const SiteLens& lens, const std::vector<Vec3>& line, const QColor& color,
                 double width);

}  // namespace arvesk
