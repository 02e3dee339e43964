// The Ledger as a table for Qt: reads points in place, shows some rows in some order, never copies a cell before it is
// seen.
#pragma once

#include "core/deliver/ledger.h"

#include <QAbstractTableModel>

namespace arvesk {

using LedgerPtr = std::shared_ptr<const Ledger>;

class LedgerModel : public QAbstractTableModel {
  Q_OBJECT

 public:
  using QAbstractTableModel::QAbstractTableModel;
  /// `rows` of the ledger, in the order that they are shown in.
  void show(LedgerPtr ledger, Array<std::uint32_t> rows);
  const LedgerPtr& ledger() const { return m_ledger; }
  const Array<std::uint32_t>& rows() const { return m_rows; }
  /// Which shown row a row of the ledger is; −1 when it is filtered out.
  int shownRow(std::size_t ledgerRow) const;

  int rowCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
  }
  int columnCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() || !m_ledger ? 0 : static_cast<int>(m_ledger->columns().size());
  }
  QVariant data(const QModelIndex& index, int role) const override;
  /// Places, sizes and props can be written over; whoever hears of it does it.
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 Q_SIGNALS:
  /// `source` is what points carry the column by.
  void cellWritten(std::size_t ledgerRow, const std::string& source, const QString& text);

 private:
  LedgerPtr m_ledger;
  Array<std::uint32_t> m_rows;
  Array<std::int32_t> m_shownOf;  // by row of the ledger
};

}  // namespace arvesk
