// A table whose first column stays in sight while the others are scrolled.
#pragma once

#include <QTableView>

namespace arvesk {

class PinnedTable : public QTableView {
  Q_OBJECT

 public:
  explicit PinnedTable(QWidget* parent = nullptr);
  void setModel(QAbstractItemModel* model) override;
  QTableView* pinned() { return m_pinned; }

 protected:
  void resizeEvent(QResizeEvent* event) override;
  void scrollTo(const QModelIndex& index, ScrollHint hint) override;

 private:
  void place();

  QTableView* m_pinned;  // the first column again, over the table's left edge
};

}  // namespace arvesk
