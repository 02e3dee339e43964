// Ledger: the table of the points that Site shows. Sorted, filtered and written on a thread of its own; its selection
// is Site's.
#pragma once

#include "app/ledger/ledger_model.h"
#include "app/model/evaluation_service.h"
#include "app/model/worker.h"

#include <QWidget>

#include <set>

class QLabel;
class QLineEdit;
class QTableView;
class QTimer;
class QToolButton;

namespace arvesk {

class LedgerView : public QWidget {
  Q_OBJECT

 public:
  explicit LedgerView(QWidget* parent = nullptr);
  void showResults(const EvalViewPtr& view);
  /// Rows of this output alone, while it is one; empty for all.
  void narrowTo(const QString& uid);
  /// Selects just these points, as far as the table shows them, and brings the first into sight; at once or when the
  /// table is there.
  void selectPoints(const SiteSelection& selection);
  LedgerModel& table() { return m_model; }
  bool isBusy() const { return m_job.isBusy() || m_writing.isBusy(); }
  bool writeCsv(const QString& path);
  /// Selected rows to the clipboard, with the names of the columns, separated by tabs.
  void copyRows();
  void selectAll();

 Q_SIGNALS:
  /// Places of the selected rows.
  void selectionPlaces(const std::vector<Vec3>& places);
  void messageChanged(const QString& words);
  /// A cell of one placement was written over.
  void cellWritten(const QString& node, quint64 id, const std::string& what, const QString& text);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refresh();
  void orderColumns(const std::vector<int>& order);
  void selectRows(const Array<std::uint32_t>& ledgerRows);
  void tellSelection();
  void saveCsv();
  /// Selected rows as rows of the ledger, in the order shown.
  Array<std::uint32_t> chosenRows() const;
  void fillColumnMenu();

  EvalViewPtr m_view;
  std::vector<std::string> m_sources;  // node of each part
  bool m_isStale = false;              // results came while the table was not to be seen
  LedgerModel m_model;
  QTableView* m_table;
  QLineEdit* m_filter;
  QLabel* m_count;
  QToolButton* m_columns;
  QTimer* m_typing;
  std::set<QString> m_hidden;  // columns by name
  QString m_sortName;
  QString m_only;                  // uid of the output that is shown alone
  std::vector<int> m_columnOrder;  // as it was set last; whoever drags a head has it otherwise
  bool m_isFalling = false;
  std::optional<SiteSelection> m_wanted;  // to be selected when the table is there
  Worker m_job;
  Worker m_finding;  // the rows of what Site selects
  Worker m_writing;  // rows to a file or the clipboard; it must not end the making of the table
};

}  // namespace arvesk
