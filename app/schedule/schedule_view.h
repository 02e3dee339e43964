// Schedule: what stands where in numbers, against budgets, and a check of what stands wrong.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/worker.h"
#include "app/schedule/schedule_model.h"
#include "app/schedule/standing_panel.h"

#include <QTimer>
#include <QWidget>

class QTableView;

namespace arvesk {

class ScheduleView : public QWidget {
  Q_OBJECT

 public:
  ScheduleView(PlanModel* model, EvaluationService* service, QWidget* parent = nullptr);
  void showResults(const EvalViewPtr& view);
  /// Counts to compare with, side by side; null ends it.
  void compareWith(const EvalViewPtr& held);
  ScheduleModel& table() { return m_model; }
  bool isBusy() const { return m_counting.isBusy() || m_holding.isBusy() || m_final.isBusy() || m_standing->isBusy(); }
  const StandingReport& standing() const { return m_standing->standing(); }
  const MeetingReport& meetings() const { return m_standing->meetings(); }
  const OverFrames* overFrames() const { return m_standing->overFrames(); }
  /// Everything at final quality, for the budget of all; nothing while it is not known.
  std::optional<ScheduleModel::FinalCount> finalCount() const;

 Q_SIGNALS:
  /// A faulty placement was chosen: it is to be selected and brought into sight.
  void placementWanted(const QString& node, quint64 id, const Vec3& place);
  /// All placements of a row are to be selected.
  void propWanted(const QString& node, const QString& scheduled);
  void finalCounted();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void buildTable();
  void buildLayout();
  void refresh();
  void countFinal();
  bool isCounted() const { return m_view && m_counted.plan == m_view->plan && m_counted.inSite == m_view->inSite; }

  PlanModel* m_plan;
  EvaluationService* m_service;
  EvalViewPtr m_view;
  bool m_isStale = false;
  ScheduleModel m_model;
  QTableView* m_table;
  StandingPanel* m_standing;
  struct Counted {
    PlanPtr plan;
    std::string inSite;
    std::map<std::string, ScheduleModel::FinalCount> final;  // of what Site shows, by budget key
    ScheduleModel::FinalCount all;                           // of the whole plan
  };
  Counted m_counted;
  Evaluator m_evaluator;  // at final quality; touched by the job only
  QTimer m_rest;          // final is counted when the plan has been left alone for a while
  Worker m_counting;
  Worker m_holding;  // counts what is held to compare
  Worker m_final;
};

}  // namespace arvesk
