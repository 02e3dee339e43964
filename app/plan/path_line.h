// The line of names over the Plan while it shows what is inside of a sub-plan: each leads back to where it stands for.
#pragma once

#include <QWidget>

class QHBoxLayout;

namespace arvesk {

class PlanModel;

class PathLine : public QWidget {
  Q_OBJECT

 public:
  explicit PathLine(PlanModel* model, QWidget* parent = nullptr);

 private:
  void rebuild();

  PlanModel* m_model;
  QHBoxLayout* m_row;
};

}  // namespace arvesk
