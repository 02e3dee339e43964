#include "app/plan/popup_list.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>

#include <algorithm>

namespace arvesk {

PopupList::PopupList(QWidget* parent) : QFrame(parent), m_line(new QLineEdit(this)), m_list(new QListWidget(this)) {
  setAutoFillBackground(true);
  setAttribute(Qt::WA_StyledBackground);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  hide();
  m_line->installEventFilter(this);
  m_list->installEventFilter(this);
  connect(m_line, &QLineEdit::textChanged, this, [this] { fill(); });
  connect(m_list, &QListWidget::itemClicked, this, [this] { choose(); });
}

void PopupList::openAt(const QPoint& at, const QSize& wanted) {
  const QRect room = parentWidget()->rect().adjusted(6, 6, -6, -6);
  resize(wanted.boundedTo(room.size()));
  move(std::clamp(at.x(), room.left(), std::max(room.left(), room.right() - width())),
       std::clamp(at.y(), room.top(), std::max(room.top(), room.bottom() - height())));
  m_line->clear();
  fill();
  show();
  raise();
  m_line->setFocus();
}

void PopupList::leave() {
  hide();
  parentWidget()->setFocus();
}

bool PopupList::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Escape) {
      leave();
      return true;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
      choose();
      return true;
    }
    if (watched == m_line && (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up)) {
      int row = m_list->currentRow();
      do row += key->key() == Qt::Key_Down ? 1 : -1;
      while (row >= 0 && row < m_list->count() && !(m_list->item(row)->flags() & Qt::ItemIsEnabled));
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
