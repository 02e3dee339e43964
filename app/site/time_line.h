// The line of time under Site, of a plan that moves: which frame is shown, playing, the keys of the selected node.
#pragma once

#include <QTimer>
#include <QWidget>

#include <functional>

class QToolButton;

namespace arvesk {

class NumberField;
class PlanModel;

/// A ruler of frames with a needle at the one that is shown; dragging it, the arrow keys, Home and End move it.
class FrameRuler : public QWidget {
  Q_OBJECT

 public:
  explicit FrameRuler(PlanModel* model, QWidget* parent = nullptr);
  void showKeysOf(const QStringList& nodes);
  QSize sizeHint() const override { return {240, 30}; }
  QSize minimumSizeHint() const override { return {60, 30}; }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  int first() const;
  int last() const;
  double xOf(double frame) const;
  void goTo(double x);

  PlanModel* m_model;
  QStringList m_nodes;
};

class TimeLine : public QWidget {
  Q_OBJECT

 public:
  /// `isShown` says whether what is on the screen is of the frame that the plan is at: playing waits for it.
  TimeLine(PlanModel* model, std::function<bool()> isShown, QWidget* parent = nullptr);
  void showKeysOf(const QStringList& nodes) { m_ruler->showKeysOf(nodes); }
  bool isPlaying() const { return m_timer.isActive(); }
  void play(bool isOn);
  /// It never widens Site.
  QSize minimumSizeHint() const override { return {0, QWidget::minimumSizeHint().height()}; }

 private:
  void refresh();
  void step();

  PlanModel* m_model;
  std::function<bool()> m_isShown;
  QTimer m_timer;
  QToolButton* m_play;
  QToolButton* m_loop;
  NumberField* m_frame;
  NumberField* m_first;
  NumberField* m_last;
  NumberField* m_rate;
  FrameRuler* m_ruler;
};

}  // namespace arvesk
