// The mask brush: paints and takes away the strokes of a node that has them. A stroke is one undo step.
#pragma once

#include "app/site/site_tool.h"

namespace arvesk {

class MaskBrush : public SiteTool {
 public:
  MaskBrush(PlanModel* model, QString uid) : m_model(model), m_uid(std::move(uid)) {}
  QString hint() const override;
  bool isBrush() const override { return true; }
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override;
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  bool wheel(double steps) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;

 private:
  double number(SiteRole role, double fallback) const;
  const ParamSpec* spec(SiteRole role) const;
  bool isSet(SiteRole role, const char* option) const;
  void follow(const SitePointer& pointer);
  std::vector<Vec3> ringOf(const Vec3& place, float radius, const SiteLens& lens) const;
  void dab(const Vec3& place, const SitePointer& pointer, const SiteLens& lens);

  PlanModel* m_model;
  QString m_uid;
  std::optional<Vec3> m_cursor;
  std::optional<Vec3> m_last;              // of the stroke under way
  Vec3 m_normal{0, 1, 0};                  // of what lies there
  bool m_isOnThings = false;               // placed props are painted on too
  std::vector<Dab> m_stroke;               // for drawing it before the result is there
  std::vector<std::vector<Vec3>> m_rings;  // what each dab covers
};

}  // namespace arvesk
