// Handles in Site of what has a place of its own: a ball, box or half-space, a set of points or a ground that is moved
// as one. One in the middle moves it; sides, a front and a size are there where the node has them.
#pragma once

#include "app/site/site_tool.h"

namespace arvesk {

class RegionHandles : public SiteTool {
 public:
  RegionHandles(PlanModel* model, QString uid) : m_model(model), m_uid(std::move(uid)) {}
  QString hint() const override;
  bool takesAlt() const override { return true; }  // on its handles only
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override;
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;

  struct Handle {
    enum class Does { Move, Side, Turn, Size };
    Does does;
    Vec3 place;  // in the world
    int axis = 0;
    float side = 1;
  };
  /// The middle first, then each axis' two sides, the front, the size; those that the node has.
  std::vector<Handle> handles(const SiteLens& lens) const;

  /// The region as its handles show it, at the moment that is shown.
  struct Shape {
    Vec3 center;
    Vec3 extent;
    Quat turn;
    bool hasExtent;
    bool isBall;
    std::optional<float> headingDeg;
    std::optional<float> size;
    float softness;
  };
  std::optional<Shape> shape() const;

 private:
  const ParamSpec* spec(SiteRole role) const;
  int handleAt(const QPointF& at, const SiteLens& lens) const;
  float reachOf(const Shape& s, const SiteLens& lens) const;
  using Values = std::vector<std::pair<std::string, ParamValue>>;
  void add(Values& to, SiteRole role, const Vec3& value) const;
  void set(const Values& values);
  void paintShape(QPainter& painter, const SiteLens& lens, const Shape& s, const Vec3& half, const QColor& color,
                  double width) const;

  PlanModel* m_model;
  QString m_uid;
  int m_dragged = -1;
  int m_lit = -1;
  int m_gesture = 0;
  Vec3 m_grabbed{0};              // from the center to where the pointer took it
  std::optional<Shape> m_before;  // as it was when it was taken
};

}  // namespace arvesk
