// Dragging a control by its name: inside of a sub-plan, onto the line of names over the Plan, to bring it to the front.
#pragma once

#include <QObject>
#include <QPoint>

#include <functional>
#include <memory>

class QLabel;
class QWidget;

namespace arvesk {

class FrontDrag : public QObject {
  Q_OBJECT

 public:
  /// `name` is dragged; `label` goes along with the pointer, and what a drop would do, by where that is on the screen.
  FrontDrag(QWidget* name, QString label, std::function<QString(const QPoint&)> says);
  ~FrontDrag() override;

 Q_SIGNALS:
  /// Where, on the screen.
  void dropped(const QPoint& at);
  /// It ended otherwise.
  void left();

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void end();

  QWidget* m_name;
  QString m_words;
  std::function<QString(const QPoint&)> m_says;
  QPoint m_from;
  bool m_isPressed = false;
  std::unique_ptr<QLabel> m_cue;  // while it is dragged
};

}  // namespace arvesk
