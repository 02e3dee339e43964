// The values of one prop's vertices as rows: where each goes, what it is measured by, where it is 0 and where 1.
#pragma once

#include "core/plan/document.h"

#include <QWidget>

class QPushButton;
class QTableWidget;

namespace arvesk {

class ValueTable : public QWidget {
  Q_OBJECT

 public:
  explicit ValueTable(QWidget* parent = nullptr);
  /// `extent` of the prop, m, is what new rows begin with.
  void fill(const std::vector<ValueEntry>& values, const Vec3& extent);

 Q_SIGNALS:
  void edited(const QString& words, const std::vector<ValueEntry>& values);
  /// The row to be shown in the picture.
  void chosen(const ValueEntry& value);
  /// Write the prop with its values to a file that it is made from afterwards.
  void keepWanted();

 private:
  void makeRow(int row);
  void change(int row, const std::function<void(ValueEntry&)>& how);
  void typed(int row, int column, const QString& text);
  /// What a row starts as that is measured so: useful as it is, for the size of this prop. `row` -1: a new one.
  ValueEntry begun(ValueBy by, int row) const;
  void add();

  std::vector<ValueEntry> m_values;
  Vec3 m_extent{1};
  QTableWidget* m_table;
  QPushButton* m_remove;
  QPushButton* m_keep;
  bool m_isFilling = false;
  bool m_isAdded = false;  // the last row is the one to go on with
};

}  // namespace arvesk
