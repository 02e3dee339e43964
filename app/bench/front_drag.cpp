#include "app/bench/front_drag.h"

#include <QApplication>
#include <QKeyEvent>
#include <QLabel>
#include <QMouseEvent>

namespace arvesk {

FrontDrag::FrontDrag(QWidget* name, QString label, std::function<QString(const QPoint&)> says)
    : QObject(name), m_name(name), m_words(std::move(label)), m_says(std::move(says)) {
  name->installEventFilter(this);
  name->setCursor(Qt::OpenHandCursor);
}

FrontDrag::~FrontDrag() { end(); }

void FrontDrag::end() {
  m_isPressed = false;
  if (m_cue) qApp->removeEventFilter(this);
  m_cue.reset();
}

bool FrontDrag::eventFilter(QObject* watched, QEvent* event) {
  if (m_cue && event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
    end();
    Q_EMIT left();
    return true;
  }
  if (watched != m_name) return false;
  if (event->type() != QEvent::MouseButtonPress && event->type() != QEvent::MouseMove &&
      event->type() != QEvent::MouseButtonRelease)
    return false;
  const auto* mouse = static_cast<QMouseEvent*>(event);
  const QPoint at = mouse->globalPosition().toPoint();
  if (event->type() == QEvent::MouseButtonPress) {
    if (mouse->button() != Qt::LeftButton) return false;
    m_isPressed = true;
    m_from = at;
    return true;
  }
  if (!m_isPressed) return false;
  if (event->type() == QEvent::MouseMove) {
    if (!m_cue && (at - m_from).manhattanLength() < QApplication::startDragDistance()) return true;
    if (!m_cue) {
      m_cue = std::make_unique<QLabel>(m_words, nullptr, Qt::ToolTip);
      m_cue->setObjectName(QStringLiteral("front_cue"));
      m_cue->setAttribute(Qt::WA_TransparentForMouseEvents);
      m_cue->setAttribute(Qt::WA_ShowWithoutActivating);
      m_cue->setMargin(5);
      qApp->installEventFilter(this);  // Esc leaves it, wherever the keys go
    }
    m_cue->setText(QStringLiteral("%1: %2").arg(m_words, m_says(at)));
    m_cue->adjustSize();
    m_cue->move(at + QPoint(14, 12));
    m_cue->show();
    return true;
  }
  const bool isDrag = m_cue != nullptr;
  end();
  if (isDrag) Q_EMIT dropped(at);
  return true;
}

}  // namespace arvesk
