// The Ledger as screen readers find it: its children are the cells in sight, however many rows it has.
#pragma once

#include <QTableView>

namespace arvesk {

/// A QTableView that answers so. Qt's own answer counts every cell, and a reader that asks for all of them waits.
class LedgerTable : public QTableView {
  Q_OBJECT

 public:
  explicit LedgerTable(QWidget* parent = nullptr);
};

}  // namespace arvesk
