// Handles of a ball, box or half-space in Site: one in the middle moves it, one on each side sizes it.
#pragma once

#include "app/site/site_tool.h"

namespace arvesk {

class RegionHandles : public SiteTool {
 public:
  RegionHandles(PlanModel* model, QString uid) : m_model(model), m_uid(std::move(uid)) {}
  QString hint() const override;
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override;
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;

  /// World places of the handles: the middle, then each axis' two sides; only the middle when nothing can be sized.
  std::vector<Vec3> handles() const;

 private:
  struct Shape {
    Vec3 center;
    Vec3 extent;
    Quat turn;
    bool hasExtent;
    bool isBall;
  };
  std::optional<Shape> shape() const;
  const ParamSpec* spec(SiteRole role) const;
  int handleAt(const QPointF& at, const SiteLens& lens) const;
  void set(SiteRole role, const Vec3& value);

  PlanModel* m_model;
  QString m_uid;
  int m_dragged = -1;
  int m_lit = -1;
  int m_gesture = 0;
  Vec3 m_grabbed{0};  // from the center to where the pointer took it
};

}  // namespace arvesk
