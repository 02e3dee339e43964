#include "app/schedule/pinned_table.h"

#include <QHeaderView>
#include <QScrollBar>

namespace arvesk {

PinnedTable::PinnedTable(QWidget* parent) : QTableView(parent), m_pinned(new QTableView(this)) {
  m_pinned->setObjectName(QStringLiteral("pinned"));
  m_pinned->setFocusPolicy(Qt::NoFocus);  // keys and screen readers have it in the table itself
  m_pinned->verticalHeader()->hide();
  m_pinned->setFrameShape(QFrame::NoFrame);
  m_pinned->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_pinned->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_pinned->horizontalHeader()->setHighlightSections(false);
  setHorizontalScrollMode(ScrollPerPixel);
  setVerticalScrollMode(ScrollPerPixel);
  m_pinned->setVerticalScrollMode(ScrollPerPixel);
  viewport()->stackUnder(m_pinned);
  connect(verticalScrollBar(), &QScrollBar::valueChanged, m_pinned->verticalScrollBar(), &QScrollBar::setValue);
  connect(m_pinned->verticalScrollBar(), &QScrollBar::valueChanged, verticalScrollBar(), &QScrollBar::setValue);
  connect(horizontalScrollBar(), &QScrollBar::valueChanged, this, &PinnedTable::place);
  connect(horizontalHeader(), &QHeaderView::sectionResized, this, [this](int section, int, int width) {
    if (section == 0) m_pinned->setColumnWidth(0, width);
    place();
  });
  connect(verticalHeader(), &QHeaderView::sectionResized, this,
          [this](int section, int, int height) { m_pinned->setRowHeight(section, height); });
  connect(m_pinned, &QTableView::clicked, this, &QTableView::clicked);
}

void PinnedTable::setModel(QAbstractItemModel* model) {
  QTableView::setModel(model);
  m_pinned->setModel(model);
  QItemSelectionModel* own = m_pinned->selectionModel();
  m_pinned->setSelectionModel(selectionModel());
  delete own;
  const auto hideOthers = [this] {
    for (int c = 1; c < m_pinned->model()->columnCount(); ++c) m_pinned->setColumnHidden(c, true);
    place();
  };
  connect(model, &QAbstractItemModel::modelReset, m_pinned, hideOthers);
  connect(model, &QAbstractItemModel::columnsInserted, m_pinned, hideOthers);
  hideOthers();
}

/// Only once the table has been scrolled sideways is there something to keep in sight.
void PinnedTable::place() {
  m_pinned->setSelectionBehavior(selectionBehavior());
  m_pinned->setSelectionMode(selectionMode());
  m_pinned->setEditTriggers(NoEditTriggers);
  m_pinned->setShowGrid(showGrid());
  m_pinned->setWordWrap(wordWrap());
  m_pinned->setIconSize(iconSize());
  m_pinned->verticalHeader()->setDefaultSectionSize(verticalHeader()->defaultSectionSize());
  m_pinned->setColumnWidth(0, columnWidth(0));
  m_pinned->setGeometry(viewport()->x(), horizontalHeader()->y(), columnWidth(0),
                        viewport()->height() + horizontalHeader()->height());
  m_pinned->setVisible(horizontalScrollBar()->value() > 0);
}

void PinnedTable::resizeEvent(QResizeEvent* event) {
  QTableView::resizeEvent(event);
  place();
}

/// The first column is in sight anyway: it brings its row only. The others are not in sight under it.
void PinnedTable::scrollTo(const QModelIndex& index, ScrollHint hint) {
  const int before = horizontalScrollBar()->value();
  QTableView::scrollTo(index, hint);
  if (index.column() == 0)
    horizontalScrollBar()->setValue(before);
  else if (const int hidden = columnWidth(0) - visualRect(index).left(); hidden > 0)
    horizontalScrollBar()->setValue(horizontalScrollBar()->value() - hidden);
}

}  // namespace arvesk
