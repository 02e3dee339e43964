#include "app/ledger/ledger_view.h"

#include "app/ledger/ledger_access.h"
#include "app/model/words.h"

#include "app/window/theme.h"
#include "core/deliver/titles.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMenu>
#include <QMessageBox>
#include <QRegularExpression>
#include <QTimer>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

/// More selected rows than this are neither ringed in Site nor carried over when the points change.
constexpr std::size_t kMostRings = 5000;

/// The first `most` selected rows as shown, without a list of all of them: a whole table is one range.
std::vector<int> selectedRows(const QItemSelectionModel& model, std::size_t most) {
  std::vector<int> out;
  for (const QItemSelectionRange& range : model.selection())
    for (int row = range.top(); row <= range.bottom() && out.size() < most; ++row) out.push_back(row);
  return out;
}

/// Rows as few ranges: what is compared with what grows with the square of their number, so that scattered rows are cut
/// off at some.
constexpr qsizetype kMostRanges = 1000;
QItemSelection rangesOf(std::vector<int> rows, const LedgerModel& model) {
  std::sort(rows.begin(), rows.end());
  QItemSelection out;
  const int last = model.columnCount() - 1;
  for (std::size_t i = 0; i < rows.size() && out.size() < kMostRanges;) {
    std::size_t end = i + 1;
    while (end < rows.size() && rows[end] <= rows[end - 1] + 1) ++end;
    out.select(model.index(rows[i], 0), model.index(rows[end - 1], last));
    i = end;
  }
  return out;
}

std::size_t selectedCount(const QItemSelectionModel& model) {
  std::size_t n = 0;
  for (const QItemSelectionRange& range : model.selection()) n += static_cast<std::size_t>(range.height());
  return n;
}

/// What tells rows apart first, then what the filter asks for, then what has something in these rows; empty columns
/// last.
std::vector<int> columnOrder(const Ledger& ledger, const Array<std::uint32_t>& rows, const std::string& filter) {
  constexpr std::size_t kLooked = 500;  // rows, spread over all
  const std::size_t step = std::max<std::size_t>(1, rows.size() / kLooked);
  const QString asked = text(filter);
  std::vector<std::pair<int, int>> ranked;
  for (int c = 0; c < static_cast<int>(ledger.columns().size()); ++c) {
    const LedgerColumn& column = ledger.columns()[static_cast<std::size_t>(c)];
    const QRegularExpression named(
        QStringLiteral("(^|[^\\w-])%1($|[^\\w-])").arg(QRegularExpression::escape(text(column.name))));
    bool hasAny = rows.empty();
    for (std::size_t i = 0; i < rows.size() && !hasAny; i += step)
      hasAny = column.sort == LedgerColumn::Sort::Number ? !std::isnan(ledger.number(rows[i], c))
                                                         : !ledger.shown(rows[i], c).empty();
    const bool isFirst = column.name == "output" || column.name == "prop";
    ranked.push_back({!hasAny ? 3 : isFirst ? 0 : asked.contains(named) ? 1 : 2, c});
  }
  std::sort(ranked.begin(), ranked.end());
  std::vector<int> order;
  for (const auto& [rank, c] : ranked) order.push_back(c);
  return order;
}

}  // namespace

LedgerView::LedgerView(QWidget* parent)
    : QWidget(parent),
      m_table(new LedgerTable(this)),
      m_filter(new QLineEdit(this)),
      m_count(new QLabel(this)),
      m_columns(new QToolButton(this)),
      m_typing(new QTimer(this)) {
  setObjectName(QStringLiteral("ledger"));
  m_table->setObjectName(QStringLiteral("ledger_table"));
  m_table->setAccessibleName(tr("Ledger"));
  m_table->setModel(&m_model);
  // The head asks its selection model about every row of a column each time it is painted; it gets one that is always
  // empty.
  m_table->horizontalHeader()->setSelectionModel(new QItemSelectionModel(&m_model, m_table->horizontalHeader()));
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setSelectionMode(QAbstractItemView::ExtendedSelection);
  m_table->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
  connect(&m_model, &LedgerModel::cellWritten, this,
          [this](std::size_t row, const std::string& what, const QString& written) {
            const Ledger::Place at = m_model.ledger()->placeOf(row);
            Q_EMIT cellWritten(text(m_sources[at.part]), m_model.ledger()->parts()[at.part].points->id[at.index], what,
                               written);
          });
  m_table->setShowGrid(false);
  m_table->setFrameShape(QFrame::NoFrame);
  m_table->setWordWrap(false);
  m_table->verticalHeader()->hide();
  m_table->verticalHeader()->setDefaultSectionSize(22);
  m_table->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);  // a million rows are not measured
  m_table->horizontalHeader()->setSectionsMovable(true);
  m_table->horizontalHeader()->setHighlightSections(false);
  m_table->horizontalHeader()->setDefaultSectionSize(86);
  m_table->horizontalHeader()->setSortIndicatorShown(true);
  m_table->horizontalHeader()->setSortIndicator(-1, Qt::AscendingOrder);
  m_table->horizontalHeader()->setSectionsClickable(true);
  m_filter->setObjectName(QStringLiteral("ledger_filter"));
  m_filter->setAccessibleName(tr("Filter"));
  m_filter->setPlaceholderText(tr("a word, or slope > 30"));
  m_filter->setToolTip(tr("Rows that hold a word, or that fit: slope > 30 and prop = marram*"));
  m_filter->setClearButtonEnabled(true);
  m_count->setObjectName(QStringLiteral("ledger_count"));
  m_count->setProperty("role", QStringLiteral("quiet"));
  m_columns->setText(tr("Columns"));
  m_columns->setObjectName(QStringLiteral("ledger_columns"));
  m_columns->setPopupMode(QToolButton::InstantPopup);
  m_columns->setMenu(new QMenu(m_columns));
  connect(m_columns->menu(), &QMenu::aboutToShow, this, &LedgerView::fillColumnMenu);
  auto* csv = new QToolButton(this);
  csv->setText(tr("Write CSV…"));
  csv->setObjectName(QStringLiteral("ledger_csv"));
  connect(csv, &QToolButton::clicked, this, &LedgerView::saveCsv);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 6, 12, 0);
  head->setSpacing(8);
  head->addWidget(m_filter, 1);
  head->addWidget(m_count);
  head->addWidget(m_columns);
  head->addWidget(csv);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  column->addLayout(head);
  column->addWidget(m_table, 1);
  m_typing->setSingleShot(true);
  m_typing->setInterval(160);
  connect(m_typing, &QTimer::timeout, this, &LedgerView::refresh);
  connect(m_filter, &QLineEdit::textChanged, m_typing, qOverload<>(&QTimer::start));
  connect(m_table->horizontalHeader(), &QHeaderView::sectionClicked, this, [this](int section) {
    if (!m_model.ledger()) return;
    const QString name = text(m_model.ledger()->columns()[static_cast<std::size_t>(section)].name);
    if (name != m_sortName)
      m_isFalling = false;
    else if (!m_isFalling)
      m_isFalling = true;
    else {  // a third click goes back to the order of the points
      m_sortName.clear();
      refresh();
      return;
    }
    m_sortName = name;
    refresh();
  });
  connect(m_table->selectionModel(), &QItemSelectionModel::selectionChanged, this, &LedgerView::tellSelection);
}

void LedgerView::showResults(const EvalViewPtr& view) {
  m_view = view;
  m_isStale = true;
  if (isVisible()) refresh();
}

void LedgerView::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  if (m_isStale) refresh();
}

void LedgerView::narrowTo(const QString& uid) {
  // Any other node than an output shows all rows: nothing changes from one to the next.
  const bool isOutput = m_view && std::any_of(m_view->shown.begin(), m_view->shown.end(),
                                              [&](const PictureLayer& l) { return l.source == uid.toStdString(); });
  const QString only = isOutput ? uid : QString();
  if (only == m_only) return;
  m_only = only;
  m_isStale = true;
  if (isVisible()) refresh();
}

void LedgerView::orderColumns(const std::vector<int>& order) {
  if (order == m_columnOrder) return;
  m_columnOrder = order;
  QHeaderView* head = m_table->horizontalHeader();
  for (std::size_t i = 0; i < order.size(); ++i) head->moveSection(head->visualIndex(order[i]), static_cast<int>(i));
}

void LedgerView::refresh() {
  if (!m_view) return;
  m_isStale = false;
  // What is selected stays selected, by id.
  std::set<std::pair<std::string, std::uint64_t>> selected;
  if (const LedgerPtr ledger = m_model.ledger())
    for (const int row : selectedRows(*m_table->selectionModel(), kMostRings)) {
      const auto at = ledger->placeOf(m_model.rows()[static_cast<std::size_t>(row)]);
      selected.insert({m_sources[at.part], ledger->parts()[at.part].points->id[at.index]});
    }
  std::vector<Ledger::Part> parts;
  std::vector<std::string> sources;
  const bool isOne = std::any_of(m_view->shown.begin(), m_view->shown.end(),
                                 [&](const PictureLayer& l) { return l.source == m_only.toStdString(); });
  for (const PictureLayer& layer : m_view->shown) {
    if (isOne && layer.source != m_only.toStdString()) continue;
    parts.push_back({titleOf(m_view->evaluation, layer.source), layer.points});
    sources.push_back(layer.source);
  }
  m_count->setText(tr("looking…"));
  m_job.ask([this, parts = std::move(parts), sources = std::move(sources), selected = std::move(selected),
             filter = m_filter->text().toStdString(), sort = m_sortName.toStdString(), isFalling = m_isFalling,
             isOne](const Task& task) mutable -> std::function<void()> {
    const auto ledger = std::make_shared<const Ledger>(std::move(parts));
    auto rows = ledger->filtered(filter, task);
    if (!rows) {
      if (task.isCancelled()) return {};
      return [this, problem = rows.error()] {
        m_count->setText(QStringLiteral("! %1").arg(said(problem.message)));
        m_count->setToolTip(said(problem.advice));
      };
    }
    const int column = sort.empty() ? -1 : ledger->column(sort);
    Array<std::uint32_t> order = column >= 0 ? ledger->sorted(std::move(*rows), column, isFalling, task)
                                             : std::move(*rows);
    std::vector<std::size_t> kept;
    if (!selected.empty())
      for (std::size_t part = 0; part < ledger->parts().size(); ++part) {
        const Points& points = *ledger->parts()[part].points;
        for (std::size_t i = 0; i < points.count; ++i)
          if (selected.contains({sources[part], points.id[i]})) kept.push_back(ledger->rowOf(part, i));
      }
    const std::vector<int> columns = columnOrder(*ledger, order, filter);
    if (task.isCancelled()) return {};
    const auto shared = std::make_shared<Array<std::uint32_t>>(std::move(order));
    return [this, ledger, sources, shared, kept, column, isFalling, columns, isOne] {
      m_sources = sources;
      const bool isSameShape = m_model.ledger() && m_model.ledger()->columns().size() == ledger->columns().size();
      m_model.show(ledger, std::move(*shared));
      m_table->horizontalHeader()->setSortIndicator(column, isFalling ? Qt::DescendingOrder : Qt::AscendingOrder);
      for (int c = 0; c < m_model.columnCount(); ++c)
        m_table->setColumnHidden(c, m_hidden.contains(text(ledger->columns()[static_cast<std::size_t>(c)].name)));
      if (!isSameShape)
        for (int c = 0; c < m_model.columnCount(); ++c) {
          const LedgerColumn& spec = ledger->columns()[static_cast<std::size_t>(c)];
          const int usual = spec.areContacts                        ? 420
                            : spec.sort == LedgerColumn::Sort::Id   ? 150
                            : spec.sort == LedgerColumn::Sort::Text ? 120
                                                                    : 86;
          const int ofName = std::min(220, m_table->horizontalHeader()->sectionSizeHint(c));
          m_table->setColumnWidth(c, std::max(usual, ofName));
        }
      orderColumns(columns);
      const QLocale locale;
      const auto all = static_cast<qulonglong>(ledger->rowCount());
      const auto some = static_cast<qulonglong>(m_model.rows().size());
      m_count->setToolTip({});
      m_count->setText(some == all ? tr("%1 rows").arg(locale.toString(all))
                                   : tr("%1 of %2 rows").arg(locale.toString(some), locale.toString(all)));
      if (isOne)  // a long name does not widen the pane
        m_count->setText(tr("only %1: %2")
                             .arg(fontMetrics().elidedText(text(ledger->parts().front().name), Qt::ElideMiddle, 120),
                                  m_count->text()));
      std::vector<int> again;
      for (const std::size_t row : kept)
        if (const int r = m_model.shownRow(row); r >= 0) again.push_back(r);
      if (const QItemSelection selection = rangesOf(std::move(again), m_model); !selection.isEmpty())
        m_table->selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
      if (m_wanted) {
        const SiteSelection wanted = std::move(*m_wanted);
        selectPoints(wanted);
      } else {
        tellSelection();
      }
    };
  });
}

void LedgerView::selectPoints(const SiteSelection& selection) {
  m_finding.cancel();  // what is still being looked for would come back
  m_wanted.reset();
  if (selection.empty()) return m_table->clearSelection();
  const LedgerPtr ledger = m_model.ledger();
  if (m_isStale || m_job.isBusy() || !ledger) {
    m_wanted = selection;
    return;
  }
  m_finding.ask([this, ledger, selection, sources = m_sources](const Task& task) -> std::function<void()> {
    Array<std::uint32_t> found;
    for (std::size_t part = 0; part < ledger->parts().size(); ++part) {
      const auto it = selection.find(sources[part]);
      if (it == selection.end()) continue;
      const Points& points = *ledger->parts()[part].points;
      for (std::size_t i = 0; i < points.count && !task.isCancelled(); ++i)
        if (it->second.contains(points.id[i])) found.push_back(static_cast<std::uint32_t>(ledger->rowOf(part, i)));
    }
    return [this, ledger, found] {
      if (m_model.ledger() == ledger) selectRows(found);
    };
  });
}

void LedgerView::selectRows(const Array<std::uint32_t>& ledgerRows) {
  std::vector<int> rows;
  for (std::size_t i = 0; i < ledgerRows.size() && rows.size() < kMostRings; ++i)
    if (const int row = m_model.shownRow(ledgerRows[i]); row >= 0) rows.push_back(row);
  const QItemSelection selection = rangesOf(std::move(rows), m_model);
  const QSignalBlocker quiet(this);  // Site knows already
  m_table->selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
  if (!selection.isEmpty()) m_table->scrollTo(selection.first().topLeft(), QAbstractItemView::PositionAtCenter);
}

void LedgerView::tellSelection() {
  std::vector<Vec3> places;
  if (const LedgerPtr ledger = m_model.ledger()) {
    for (const int row : selectedRows(*m_table->selectionModel(), kMostRings)) {
      const auto at = ledger->placeOf(m_model.rows()[static_cast<std::size_t>(row)]);
      places.push_back(ledger->parts()[at.part].points->position[at.index]);
    }
    if (const std::size_t count = selectedCount(*m_table->selectionModel()); count > kMostRings)
      Q_EMIT messageChanged(tr("%1 rows selected; the first %2 are ringed in Site")
                                .arg(QLocale().toString(static_cast<qulonglong>(count)),
                                     QLocale().toString(static_cast<qulonglong>(kMostRings))));
  }
  Q_EMIT selectionPlaces(places);
}

void LedgerView::fillColumnMenu() {
  QMenu* menu = m_columns->menu();
  menu->clear();
  if (!m_model.ledger()) return;
  for (int c = 0; c < m_model.columnCount(); ++c) {
    const QString name = text(m_model.ledger()->columns()[static_cast<std::size_t>(c)].name);
    QAction* action = menu->addAction(name);
    action->setCheckable(true);
    action->setChecked(!m_hidden.contains(name));
    connect(action, &QAction::toggled, this, [this, c, name](bool isOn) {
      if (isOn)
        m_hidden.erase(name);
      else
        m_hidden.insert(name);
      m_table->setColumnHidden(c, !isOn);
    });
  }
}

Array<std::uint32_t> LedgerView::chosenRows() const {
  Array<std::uint32_t> rows;
  for (const int row : selectedRows(*m_table->selectionModel(), m_model.rows().size()))
    rows.push_back(m_model.rows()[static_cast<std::size_t>(row)]);
  return rows;
}

bool LedgerView::writeCsv(const QString& path) {
  const LedgerPtr ledger = m_model.ledger();
  if (!ledger) return false;
  // What is selected, else all that is shown; a few seconds of writing happen away from the interface.
  Array<std::uint32_t> rows = chosenRows();
  if (rows.size() < 2) rows = m_model.rows();
  Q_EMIT messageChanged(tr("writing %1 rows…").arg(QLocale().toString(static_cast<qulonglong>(rows.size()))));
  m_writing.ask([this, ledger, rows = std::move(rows), path](const Task& task) -> std::function<void()> {
    const auto ok = ledger->writeCsv(path.toStdString(), rows, task);
    const std::size_t count = rows.size();
    if (ok)
      return [this, count, path] {
        Q_EMIT messageChanged(
            tr("%1 rows written to %2").arg(QLocale().toString(static_cast<qulonglong>(count)), path));
      };
    if (task.isCancelled()) return {};
    return
        [this, problem = ok.error()] { QMessageBox::warning(this, tr("The table was not written"), lineOf(problem)); };
  });
  return true;
}

void LedgerView::saveCsv() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Write the table"), QStringLiteral("points.csv"),
                                                    tr("Tables (*.csv)"));
  if (!path.isEmpty()) writeCsv(path);
}

void LedgerView::selectAll() { m_table->selectAll(); }

void LedgerView::copyRows() {
  const LedgerPtr ledger = m_model.ledger();
  if (!ledger) return;
  std::vector<int> columns;
  QString head;
  for (int c = 0; c < m_model.columnCount(); ++c) {
    if (m_table->isColumnHidden(c)) continue;
    head += (columns.empty() ? QString() : QStringLiteral("\t")) +
            m_model.headerData(c, Qt::Horizontal, Qt::DisplayRole).toString();
    columns.push_back(c);
  }
  Q_EMIT messageChanged(tr("copying…"));
  m_writing.ask([this, ledger, columns, head = head.toStdString(),
                 rows = chosenRows()](const Task& task) -> std::function<void()> {
    std::string out = head;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if ((i & 4095U) == 0 && task.isCancelled()) return {};
      out += '\n';
      for (std::size_t c = 0; c < columns.size(); ++c) out += (c > 0 ? "\t" : "") + ledger->shown(rows[i], columns[c]);
    }
    return [this, words = text(out), count = rows.size()] {
      QApplication::clipboard()->setText(words);
      Q_EMIT messageChanged(tr("%1 rows copied").arg(QLocale().toString(static_cast<qulonglong>(count))));
    };
  });
}

}  // namespace arvesk
