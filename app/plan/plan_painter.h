// Draws the Plan from its layout.
#pragma once

#include "app/model/plan_pictures.h"
#include "app/plan/plan_layout.h"

#include <QPainter>

namespace arvesk {

enum class PlanDetail { Card, Line };

struct PlanPaintState {
  PlanDetail detail = PlanDetail::Card;
  double zoom = 1;
  QRectF seen;  // of the plan; nothing beyond it is drawn
  QStringList selected;
  QString inSite;
  QString lit;        // card that a chip under the cursor points to
  QStringList found;  // what a search in the plan found
  QString paperItem;  // the selected bed or note
  const PlanRibbon* selectedRibbon = nullptr;
  const PlanPictures* masks = nullptr;
  const std::map<std::string, AtWork>* work = nullptr;
};

void paintPlan(QPainter& painter, const PlanLayout& layout, const PlanPaintState& state);

}  // namespace arvesk
