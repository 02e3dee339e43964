#include "app/ledger/ledger_model.h"

#include <QLocale>

#include <cmath>

namespace arvesk {

void LedgerModel::show(LedgerPtr ledger, Array<std::uint32_t> rows) {
  beginResetModel();
  m_ledger = std::move(ledger);
  m_rows = std::move(rows);
  m_shownOf.assign(m_ledger ? m_ledger->rowCount() : 0, -1);
  for (std::size_t i = 0; i < m_rows.size(); ++i) m_shownOf[m_rows[i]] = static_cast<std::int32_t>(i);
  endResetModel();
}

int LedgerModel::shownRow(std::size_t ledgerRow) const {
  return ledgerRow < m_shownOf.size() ? m_shownOf[ledgerRow] : -1;
}

QVariant LedgerModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || !m_ledger || index.row() >= static_cast<int>(m_rows.size())) return {};
  const LedgerColumn& column = m_ledger->columns()[static_cast<std::size_t>(index.column())];
  const bool isNumber = column.sort == LedgerColumn::Sort::Number;
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((isNumber ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  if (role != Qt::DisplayRole && role != Qt::EditRole) return {};
  const std::size_t row = m_rows[static_cast<std::size_t>(index.row())];
  if (!isNumber) return QString::fromStdString(m_ledger->text(row, index.column()));
  const double v = m_ledger->number(row, index.column());
  if (role == Qt::EditRole && !std::isnan(v)) return QString::number(v, 'g', 7);
  return std::isnan(v) ? QString() : QLocale().toString(v, 'f', column.digits);
}

Qt::ItemFlags LedgerModel::flags(const QModelIndex& index) const {
  const Qt::ItemFlags usual = QAbstractTableModel::flags(index);
  if (!index.isValid() || !m_ledger) return usual;
  const std::string& source = m_ledger->columns()[static_cast<std::size_t>(index.column())].source;
  const bool can = source == "x" || source == "y" || source == "z" || source == "size" || source == "prop";
  return can ? usual | Qt::ItemIsEditable : usual;
}

bool LedgerModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::EditRole || !(flags(index) & Qt::ItemIsEditable) || value == data(index, Qt::EditRole)) return false;
  Q_EMIT cellWritten(m_rows[static_cast<std::size_t>(index.row())],
                     m_ledger->columns()[static_cast<std::size_t>(index.column())].source, value.toString());
  return true;  // shown when it is worked out
}

QVariant LedgerModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation == Qt::Vertical || !m_ledger || section >= columnCount()) return {};
  const LedgerColumn& column = m_ledger->columns()[static_cast<std::size_t>(section)];
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((column.sort == LedgerColumn::Sort::Number ? Qt::AlignRight : Qt::AlignLeft) |
                            Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  const QString name = QString::fromStdString(column.name);
  return column.unit.empty() ? name : QStringLiteral("%1, %2").arg(name, QString::fromStdString(column.unit));
}

}  // namespace arvesk
