// What a node that measures nothing makes: facts about it and, of points, a look from above before and after.
#pragma once

#include "app/model/plan_pictures.h"

#include <QWidget>

namespace arvesk {

class MadeView : public QWidget {
  Q_OBJECT

 public:
  explicit MadeView(QWidget* parent = nullptr);
  void show(const PlanPicture& made);

 protected:
  void paintEvent(QPaintEvent* event) override;
  QSize sizeHint() const override { return {420, 200}; }

 private:
  PlanPicture m_made;
};

}  // namespace arvesk
