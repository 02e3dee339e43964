// The plan's budget in the status line: a bar and what it stands for, judged on final quality. A click opens the
// Schedule.
#pragma once

#include "app/schedule/schedule_model.h"

#include <QAbstractButton>

namespace arvesk {

class BudgetBar : public QAbstractButton {
  Q_OBJECT

 public:
  explicit BudgetBar(QWidget* parent = nullptr);
  /// `final`: what stands there at final quality; nothing while it is being counted. Hides itself when there is no
  /// budget.
  void showUse(const Budget& budget, const std::optional<ScheduleModel::FinalCount>& final);
  /// Of the budget, the larger share of placements and triangles; above 1 is over it.
  double share() const { return m_share; }
  QSize sizeHint() const override;

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  double m_share = 0;
};

}  // namespace arvesk
