// The touch-ups of a node on the Bench: what, where and how each stands, and what can be done with those that sleep or
// went astray.
#pragma once

#include "app/model/plan_model.h"
#include "app/model/touch_facts.h"
#include "app/model/worker.h"

#include <QAbstractTableModel>
#include <QWidget>

class QTableView;
class QToolButton;

namespace arvesk {

class TouchModel : public QAbstractTableModel {
  Q_OBJECT

 public:
  using QAbstractTableModel::QAbstractTableModel;
  void show(std::vector<TouchRow> rows);
  const std::vector<TouchRow>& rows() const { return m_rows; }
  int rowCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
  }
  int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : 3; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  std::vector<TouchRow> m_rows;
};

class TouchList : public QWidget {
  Q_OBJECT

 public:
  explicit TouchList(PlanModel* model, QWidget* parent = nullptr);
  void showRows(const QString& uid, std::vector<TouchRow> rows, EvalViewPtr view);

 Q_SIGNALS:
  /// To look at where it is.
  void placeWanted(const Vec3& place);
  void told(const QString& words);

 private:
  std::vector<TouchRow> chosen() const;
  void refreshButtons();
  using Edit = std::function<SharedList<TouchUp>::Fate(TouchUp&)>;
  void edit(const QString& text, const Edit& how);
  void wake();
  void handOn();
  void handOn(const QString& uid, const std::vector<TouchUp>& waiting);
  void forget();

  PlanModel* m_model;
  QString m_uid;
  EvalViewPtr m_view;
  TouchModel m_rows;
  QTableView* m_table;
  QToolButton* m_go;
  QToolButton* m_wake;
  QToolButton* m_handOn;
  QToolButton* m_forget;
  Worker m_finding;
};

}  // namespace arvesk
