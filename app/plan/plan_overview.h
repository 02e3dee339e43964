// The Plan from far away: each bed, and each card that lies on none, as one titled block with ribbons between them.
#pragma once

#include "app/model/plan_pictures.h"
#include "app/plan/plan_layout.h"

#include <QPainter>

namespace arvesk {

struct PlanBlock {
  std::string uid;  // of the bed or the card
  bool isBed = false;
  QRectF rect;
  QString title;
  QString yield;                   // "481,167 → 12,145 · 3 %", or how many cards lie on it
  QString count;                   // of it, that is left; empty without points
  QString trouble;                 // "2 need a look", or empty
  std::vector<std::string> cards;  // that lie on it
};

struct PlanBlockRibbon {
  QPainterPath path;
  double width = 2;
  bool isHairline = false;
};

struct PlanOverview {
  std::vector<PlanBlock> blocks;
  std::vector<PlanBlockRibbon> ribbons;

  const PlanBlock* at(const QPointF& p) const;
};

PlanOverview overviewOf(const Plan& plan, const PlanLayout& layout, const EvalView* view);

struct OverviewPaintState {
  double zoom = 1;
  QStringList lit;  // cards that are selected, found or pointed at
  QString paperItem;
  const PlanPictures* pictures = nullptr;
  const std::map<std::string, AtWork>* work = nullptr;
};

void paintOverview(QPainter& painter, const PlanOverview& overview, const OverviewPaintState& state);

/// The whole plan in a corner, and what of it is in sight.
class PlanMap {
 public:
  /// Nothing while all of the plan is in sight, or the pane too small to spare the room.
  void place(const QRectF& bounds, const QRectF& inSight, const QSize& pane);
  bool isShown() const { return !m_rect.isEmpty(); }
  const QRect& rect() const { return m_rect; }
  QPointF toPlan(const QPoint& p) const;
  void paint(QPainter& painter, const PlanOverview& overview) const;

 private:
  QRect m_rect;  // in the pane
  QRectF m_bounds;
  QRectF m_inSight;
};

}  // namespace arvesk
