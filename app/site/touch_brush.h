// The brush of Touch-ups: takes away, keeps or adjusts placements that rules made. A stroke is one undo step.
#pragma once

#include "app/model/worker.h"
#include "app/site/site_tool.h"
#include "core/deliver/touch_stroke.h"
#include "core/nodes/adjust/touch_ups.h"

#include <QElapsedTimer>

namespace arvesk {

class TouchBrush : public QObject, public SiteTool {
  Q_OBJECT

 public:
  TouchBrush(PlanModel* model, QString uid) : m_model(model), m_uid(std::move(uid)) {}
  QString hint() const override;
  bool isBrush() const override;
  bool isArmed() const override { return isBrush(); }
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override;
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  bool wheel(double steps) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;
  void showResults(const EvalViewPtr& view) override;
  /// Does it know the placements that are shown?
  bool isReady() const { return m_scene != nullptr; }

 private:
  nodes::TouchUpsParams settings() const;
  void prepare();
  void follow(const SitePointer& pointer);
  void dab(const Vec3& place, const SitePointer& pointer);
  void begin();
  void post();

  PlanModel* m_model;
  QString m_uid;
  EvalViewPtr m_view;
  std::shared_ptr<const TouchScene> m_scene;
  TouchUps m_shown;  // those that it was made with
  bool isCurrent() const { return m_scene && m_shown == settings().touches; }
  bool m_isBehind = false;  // results came during a stroke
  std::optional<Vec3> m_cursor;
  Vec3 m_normal = kUp;

  // The stroke under way.
  bool m_isDown = false;
  std::optional<TouchStroke> m_stroke;
  std::vector<BrushDab> m_waiting;  // until it is known what stands there
  TouchUps m_before;
  std::optional<Vec3> m_last;
  int m_number = 0;
  QElapsedTimer m_posted;

  Worker m_preparing;  // last, so that it ends first
};

}  // namespace arvesk
