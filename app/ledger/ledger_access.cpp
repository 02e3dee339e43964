#include "app/ledger/ledger_access.h"

#include <QAccessible>
#include <QAccessibleWidget>
#include <QHeaderView>
#include <QPointer>
#include "app/model/words.h"

namespace arvesk {
namespace {

QString headOf(const QTableView& table, int column) {
  return table.model()->headerData(column, Qt::Horizontal).toString();
}

class CellAccess : public QAccessibleInterface, public QAccessibleTableCellInterface {
 public:
  CellAccess(QTableView* table, int row, int column) : m_table(table), m_row(row), m_column(column) {}
  bool isValid() const override { return m_table && index().isValid(); }
  QObject* object() const override { return nullptr; }
  QWindow* window() const override { return m_table ? m_table->window()->windowHandle() : nullptr; }
  QAccessibleInterface* parent() const override { return QAccessible::queryAccessibleInterface(m_table); }
  QAccessibleInterface* child(int) const override { return nullptr; }
  QAccessibleInterface* childAt(int, int) const override { return nullptr; }
  int childCount() const override { return 0; }
  int indexOfChild(const QAccessibleInterface*) const override { return -1; }
  QAccessible::Role role() const override { return QAccessible::Cell; }
  QRect rect() const override {
    if (!isValid()) return {};
    return m_table->visualRect(index()).translated(m_table->viewport()->mapToGlobal(QPoint(0, 0)));
  }
  QString text(QAccessible::Text what) const override {
    if (!isValid()) return {};
    if (what == QAccessible::Name) return index().data().toString();
    return what == QAccessible::Description ? headOf(*m_table, m_column) : QString();
  }
  void setText(QAccessible::Text, const QString&) override {}
  QAccessible::State state() const override {
    QAccessible::State out;
    out.invisible = !isValid();
    if (!isValid()) return out;
    out.readOnly = out.selectable = out.focusable = true;
    out.selected = m_table->selectionModel()->isSelected(index());
    out.focused = m_table->hasFocus() && m_table->currentIndex() == index();
    return out;
  }
  void* interface_cast(QAccessible::InterfaceType type) override {
    return type == QAccessible::TableCellInterface ? static_cast<QAccessibleTableCellInterface*>(this) : nullptr;
  }

  int columnExtent() const override { return 1; }
  int rowExtent() const override { return 1; }
  int columnIndex() const override { return m_column; }
  int rowIndex() const override { return m_row; }
  QList<QAccessibleInterface*> columnHeaderCells() const override { return {}; }  // each cell tells its column
  QList<QAccessibleInterface*> rowHeaderCells() const override { return {}; }
  bool isSelected() const override { return isValid() && m_table->selectionModel()->isSelected(index()); }
  QAccessibleInterface* table() const override { return parent(); }

 private:
  QModelIndex index() const { return m_table->model()->index(m_row, m_column); }

  QPointer<QTableView> m_table;
  int m_row;
  int m_column;
};

class TableAccess : public QAccessibleWidget, public QAccessibleTableInterface {
 public:
  explicit TableAccess(LedgerTable* table) : QAccessibleWidget(table, QAccessible::Table) {}
  ~TableAccess() override { forget(); }
  void* interface_cast(QAccessible::InterfaceType type) override {
    return type == QAccessible::TableInterface ? static_cast<QAccessibleTableInterface*>(this)
                                               : QAccessibleWidget::interface_cast(type);
  }

  // Children: the cells in sight, row by row.
  int childCount() const override { return seenRows() * static_cast<int>(seenColumns().size()); }
  QAccessibleInterface* child(int i) const override {
    const QList<int> columns = seenColumns();
    const auto wide = static_cast<int>(columns.size());
    if (i < 0 || i >= seenRows() * wide) return nullptr;
    return cellAt(firstRow() + i / wide, columns[i % wide]);
  }
  int indexOfChild(const QAccessibleInterface* child) const override {
    const auto* cell = dynamic_cast<const CellAccess*>(child);
    if (!cell || !cell->isValid()) return -1;
    const QList<int> columns = seenColumns();
    const int row = cell->rowIndex() - firstRow();
    const auto column = static_cast<int>(columns.indexOf(cell->columnIndex()));
    return row < 0 || row >= seenRows() || column < 0 ? -1 : row * static_cast<int>(columns.size()) + column;
  }
  QAccessibleInterface* childAt(int x, int y) const override {
    const QModelIndex at = table()->indexAt(table()->viewport()->mapFromGlobal(QPoint(x, y)));
    return at.isValid() ? cellAt(at.row(), at.column()) : nullptr;
  }
  QAccessibleInterface* focusChild() const override {
    const QModelIndex now = table()->currentIndex();
    return table()->hasFocus() && now.isValid() ? cellAt(now.row(), now.column()) : nullptr;
  }

  QAccessibleInterface* cellAt(int row, int column) const override {
    if (row < 0 || row >= rowCount() || column < 0 || column >= columnCount()) return nullptr;
    const auto key = std::make_pair(row, column);
    if (const auto it = m_made.find(key); it != m_made.end()) return QAccessible::accessibleInterface(it->second);
    if (m_made.size() > 10'000) forget();  // a reader that walks through millions of cells
    auto* made = new CellAccess(table(), row, column);
    m_made[key] = QAccessible::registerAccessibleInterface(made);
    return made;
  }
  int rowCount() const override { return table()->model() ? table()->model()->rowCount() : 0; }
  int columnCount() const override { return table()->model() ? table()->model()->columnCount() : 0; }
  QString columnDescription(int column) const override { return headOf(*table(), column); }
  QString rowDescription(int row) const override { return QString::number(row + 1); }
  QAccessibleInterface* caption() const override { return nullptr; }
  QAccessibleInterface* summary() const override { return nullptr; }
  int selectedCellCount() const override { return selectedRowCount() * columnCount(); }
  QList<QAccessibleInterface*> selectedCells() const override {
    QList<QAccessibleInterface*> out;
    for (int i = 0; i < childCount(); ++i)
      if (auto* cell = static_cast<CellAccess*>(child(i)); cell && cell->isSelected()) out.append(cell);
    return out;
  }
  int selectedRowCount() const override {
    int sum = 0;
    for (const QItemSelectionRange& r : table()->selectionModel()->selection()) sum += r.height();
    return sum;
  }
  QList<int> selectedRows() const override {  // those in sight: all could be millions
    QList<int> out;
    for (int r = firstRow(); r < firstRow() + seenRows(); ++r)
      if (isRowSelected(r)) out.append(r);
    return out;
  }
  int selectedColumnCount() const override { return 0; }
  QList<int> selectedColumns() const override { return {}; }
  bool isRowSelected(int row) const override {
    return table()->selectionModel()->isSelected(table()->model()->index(row, 0));
  }
  bool isColumnSelected(int) const override { return false; }
  bool selectRow(int row) override { return choose(row, QItemSelectionModel::Select); }
  bool unselectRow(int row) override { return choose(row, QItemSelectionModel::Deselect); }
  bool selectColumn(int) override { return false; }
  bool unselectColumn(int) override { return false; }
  void modelChange(QAccessibleTableModelChangeEvent*) override { forget(); }

 private:
  QTableView* table() const { return static_cast<QTableView*>(widget()); }
  bool choose(int row, QItemSelectionModel::SelectionFlag how) {
    if (row < 0 || row >= rowCount()) return false;
    table()->selectionModel()->select(table()->model()->index(row, 0), how | QItemSelectionModel::Rows);
    return true;
  }
  int firstRow() const { return std::max(0, table()->rowAt(0)); }
  int seenRows() const {
    if (rowCount() == 0 || table()->rowAt(0) < 0) return 0;
    const int last = table()->rowAt(table()->viewport()->height() - 1);
    return (last < 0 ? rowCount() - 1 : last) - firstRow() + 1;
  }
  /// As they stand: columns can be dragged and hidden.
  QList<int> seenColumns() const {
    const QHeaderView& head = *table()->horizontalHeader();
    QList<int> out;
    for (int place = std::max(0, head.visualIndexAt(0)); place < columnCount(); ++place) {
      const int column = head.logicalIndex(place);
      if (head.isSectionHidden(column)) continue;
      if (head.sectionViewportPosition(column) >= table()->viewport()->width()) break;
      out.append(column);
    }
    return out;
  }
  void forget() const {
    for (const auto& [key, id] : m_made) QAccessible::deleteAccessibleInterface(id);
    m_made.clear();
  }

  mutable std::map<std::pair<int, int>, QAccessible::Id> m_made;
};

}  // namespace

/// Before anyone can ask the first one.
static QWidget* withAccess(QWidget* parent) {
  static const bool isInstalled = [] {
    QAccessible::installFactory([](const QString&, QObject* object) -> QAccessibleInterface* {
      auto* table = qobject_cast<LedgerTable*>(object);
      return table ? new TableAccess(table) : nullptr;
    });
    return true;
  }();
  (void)isInstalled;
  return parent;
}

LedgerTable::LedgerTable(QWidget* parent) : QTableView(withAccess(parent)) {}

}  // namespace arvesk
