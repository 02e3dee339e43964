// Dragging with the mouse: press, moves with the button held, release, as real events to the widget.
// (QTest::mouseMove sends moves without buttons by way of the cursor, which the offscreen platform does not have.)
#pragma once

#include <QApplication>
#include <QMouseEvent>
#include <QTest>
#include <QWidget>

#include <functional>

namespace arvesk::test {

/// `between` runs after each of the moves.
inline void dragMouse(QWidget* widget, const QPoint& from, const QPoint& to, int moves,
                      const std::function<void()>& between, Qt::MouseButton button = Qt::LeftButton,
                      Qt::KeyboardModifiers with = {}) {
  const auto send = [&](QEvent::Type type, const QPoint& at, Qt::MouseButton changed, Qt::MouseButtons held) {
    QMouseEvent event(type, QPointF(at), QPointF(widget->mapToGlobal(at)), changed, held, with);
    QApplication::sendEvent(widget, &event);
  };
  send(QEvent::MouseButtonPress, from, button, button);
  for (int i = 1; i <= moves; ++i) {
    send(QEvent::MouseMove, from + (to - from) * i / moves, Qt::NoButton, button);
    between();
  }
  send(QEvent::MouseButtonRelease, to, button, Qt::NoButton);
}

inline void dragMouse(QWidget* widget, const QPoint& from, const QPoint& to, Qt::MouseButton button = Qt::LeftButton,
                      Qt::KeyboardModifiers with = {}) {
  dragMouse(
      widget, from, to, 10, [] {}, button, with);
}

}  // namespace arvesk::test
