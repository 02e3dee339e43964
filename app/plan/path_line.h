// The line of names over the Plan while it shows what is inside of a sub-plan: each leads back to where it stands for.
// On its right are the front controls of the sub-plan; controls of nodes are brought to the front by dropping them
// here.
#pragma once

#include "core/plan/sub_plan.h"

#include <QWidget>

#include <map>

class QHBoxLayout;
class QToolButton;

namespace arvesk {

class PlanModel;

class PathLine : public QWidget {
  Q_OBJECT

 public:
  explicit PathLine(PlanModel* model, QWidget* parent = nullptr);

  /// It never widens the Plan: what has no room is left away.
  QSize minimumSizeHint() const override { return {0, QWidget::minimumSizeHint().height()}; }

  /// A control of a node is dragged over the screen: says what a drop would do there.
  QString showDrag(const ParamSpec& spec, const QPoint& at);
  void endDrag();
  /// Takes it where it is over this line: a new front control, or, on one that is there, one that sets it too.
  void drop(const QString& node, const ParamSpec& spec, const QPoint& at);

 Q_SIGNALS:
  /// The sub-plan's own controls are to be seen.
  void frontsWanted();

 private:
  void resizeEvent(QResizeEvent* event) override;
  void rebuild();
  void addFronts();
  /// Shows as many front controls as there is room for.
  void arrange();
  bool isOver(const QPoint& at) const;
  /// The front control under a place of the screen that can set such a parameter; empty where there is none.
  std::string frontAt(const ParamSpec& spec, const QPoint& at) const;

  PlanModel* m_model;
  QStringList m_shown;  // what it was made of
  QHBoxLayout* m_row;
  std::map<std::string, QToolButton*> m_chips;  // by the id of their front control
  QToolButton* m_fronts = nullptr;
  class QLabel* m_here = nullptr;
  QLabel* m_uses = nullptr;
};

/// Can a front control set a parameter as it is?
bool canSet(const FrontControl& control, const ParamSpec& spec);

}  // namespace arvesk
