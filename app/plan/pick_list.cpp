#include "app/plan/pick_list.h"

#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace arvesk {

PickList::PickList(QWidget* parent)
    : QFrame(parent), m_title(new QLabel(this)), m_line(new QLineEdit(this)), m_list(new QListWidget(this)) {
  setObjectName(QStringLiteral("pick_list"));
  setProperty("role", QStringLiteral("popup"));
  setAutoFillBackground(true);
  setAttribute(Qt::WA_StyledBackground);
  m_title->setProperty("role", QStringLiteral("section"));
  m_line->setObjectName(QStringLiteral("pick_line"));
  m_line->setPlaceholderText(tr("Type to narrow the list"));
  m_list->setObjectName(QStringLiteral("picks"));
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 8, 8, 8);
  column->setSpacing(6);
  column->addWidget(m_title);
  column->addWidget(m_line);
  column->addWidget(m_list, 1);
  hide();
  m_line->installEventFilter(this);
  m_list->installEventFilter(this);
  connect(m_line, &QLineEdit::textChanged, this, &PickList::fill);
  connect(m_list, &QListWidget::itemClicked, this, &PickList::choose);
}

void PickList::open(const QPoint& at, const QString& title, std::vector<Pick> picks) {
  m_picks = std::move(picks);
  m_title->setText(title);
  m_line->setAccessibleName(title);
  m_list->setAccessibleName(title);
  m_line->clear();
  fill();
  const int rows = std::clamp(static_cast<int>(m_picks.size()), 3, 12);
  resize(std::min(360, parentWidget()->width() - 8), std::min(76 + rows * 24, parentWidget()->height() - 8));
  move(std::clamp(at.x(), 4, std::max(4, parentWidget()->width() - width() - 4)),
       std::clamp(at.y(), 4, std::max(4, parentWidget()->height() - height() - 4)));
  show();
  raise();
  m_line->setFocus();
}

void PickList::fill() {
  m_list->clear();
  const QStringList asked = m_line->text().split(QLatin1Char(' '), Qt::SkipEmptyParts);
  for (std::size_t i = 0; i < m_picks.size(); ++i) {
    const QString words = m_picks[i].note.isEmpty() ? m_picks[i].words
                                                    : QStringLiteral("%1 · %2").arg(m_picks[i].words, m_picks[i].note);
    if (!std::all_of(asked.begin(), asked.end(),
                     [&](const QString& w) { return words.contains(w, Qt::CaseInsensitive); }))
      continue;
    auto* item = new QListWidgetItem(words, m_list);
    item->setToolTip(words);
    item->setData(Qt::UserRole, static_cast<int>(i));
  }
  if (m_list->count() == 0) {
    auto* none = new QListWidgetItem(m_picks.empty() ? tr("Nothing fits") : tr("Nothing has these words"), m_list);
    none->setFlags(Qt::NoItemFlags);
  }
  m_list->setCurrentRow(0);
}

void PickList::choose() {
  const QListWidgetItem* item = m_list->currentItem();
  if (!item || !item->data(Qt::UserRole).isValid()) return;
  const auto chosen = m_picks[static_cast<std::size_t>(item->data(Qt::UserRole).toInt())].chosen;
  hide();
  parentWidget()->setFocus();
  chosen();
}

bool PickList::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Escape) {
      hide();
      parentWidget()->setFocus();
      return true;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
      choose();
      return true;
    }
    if (watched == m_line && (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up)) {
      const int row = m_list->currentRow() + (key->key() == Qt::Key_Down ? 1 : -1);
      if (row >= 0 && row < m_list->count()) m_list->setCurrentRow(row);
      return true;
    }
  }
  if (event->type() == QEvent::FocusOut)
    QMetaObject::invokeMethod(
        this,
        [this] {
          if (!m_line->hasFocus() && !m_list->hasFocus()) hide();
        },
        Qt::QueuedConnection);
  return QFrame::eventFilter(watched, event);
}

}  // namespace arvesk
