// The Schedule as a table for Qt: a row for all, then one per output and prop; budgets are edited in place.
#pragma once

#include "core/deliver/schedule.h"

#include <QAbstractTableModel>
#include <QImage>

namespace arvesk {

class PlanModel;

class ScheduleModel : public QAbstractTableModel {
  Q_OBJECT

 public:
  enum Column {
    Name,
    Output,
    Count,
    Share,
    Triangles,
    Use,
    MostPlaced,
    MostTriangles,
    Each,
    Memory,
    Size,
    ColumnCount
  };

  explicit ScheduleModel(PlanModel* plan, QObject* parent = nullptr);
  /// `isFinal`: the schedule is of final quality; else budgets wait until the final counts are shown.
  void show(Schedule schedule, bool isFinal);
  void showThumbnails(std::map<std::string, QImage> thumbnails);
  struct FinalCount {
    double placements = 0;
    double triangles = 0;
  };
  /// Placements and triangles at final quality, by budget key.
  void showFinal(std::map<std::string, FinalCount> final);
  void compareWith(std::optional<Schedule> held);
  const Schedule& schedule() const { return m_schedule; }
  bool isFinalKnown() const { return m_isFinal || !m_final.empty(); }
  /// Share of its budget that a row takes at final; 0 without a budget, and while that is not known. Row 0 is all.
  double use(int row) const;

  int rowCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(m_schedule.rows.size()) + 1;
  }
  int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : ColumnCount; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;

 private:
  std::string keyOf(int row) const;
  Budget budgetOf(int row) const;
  FinalCount finalOf(int row) const;
  const ScheduleRow* rowAt(int row) const {
    return row > 0 ? &m_schedule.rows[static_cast<std::size_t>(row) - 1] : nullptr;
  }
  QString shown(int row, int column) const;

  PlanModel* m_plan;
  Schedule m_schedule;
  bool m_isFinal = true;
  std::map<std::string, FinalCount> m_final;
  std::map<std::string, QImage> m_thumbnails;
  std::optional<Schedule> m_held;
};

}  // namespace arvesk
