// The line of time under Site, of a plan that moves: which frame is shown, playing, the keys of the selected node.
#pragma once

#include "app/model/plan_model.h"

#include <QTimer>
#include <QWidget>

#include <functional>

class QToolButton;

namespace arvesk {

class NumberField;

/// A ruler of frames with a needle at the one that is shown; dragging it, the arrow keys, Home and End move it. Under
/// it hang the keys of the selected nodes as beads: a drag moves those of a frame, with Ctrl copies of them, with Shift
/// all later ones along; with Alt it stretches all. The Delete key takes those at the needle out.
class FrameRuler : public QWidget {
  Q_OBJECT

 public:
  explicit FrameRuler(PlanModel* model, QWidget* parent = nullptr);
  void showKeysOf(const QStringList& nodes);
  /// Which frames are drawn as a filled line.
  void setReady(std::function<bool(double frame)> isReady) { m_isReady = std::move(isReady); }
  QSize sizeHint() const override { return {240, 30}; }
  QSize minimumSizeHint() const override { return {60, 30}; }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  /// Keys that are dragged: what they were when it began.
  struct Drag {
    double from;
    std::map<std::string, std::map<std::string, Keys>> before;  // by uid and parameter
    int gesture;
  };
  int first() const;
  int last() const;
  double xOf(double frame) const;
  double frameAt(double x) const;
  void goTo(double x) { m_model->setFrame(frameAt(x)); }
  /// The frame of the bead under a place; none where there is none.
  std::optional<double> beadAt(const QPointF& at) const;
  /// Changes the keys at a frame, of all nodes that are shown.
  void changeKeys(const QString& words, double frame, const std::function<void(Keys& keys, std::size_t at)>& change);
  void takeKeysAt(double frame);
  void drag(double to, Qt::KeyboardModifiers with);

  PlanModel* m_model;
  std::function<bool(double frame)> m_isReady;
  QStringList m_nodes;
  std::optional<Drag> m_drag;
  int m_gestures = 0;
};

class TimeLine : public QWidget {
  Q_OBJECT

 public:
  /// `isShown` says whether what is on the screen is of the frame that the plan is at: playing waits for it. `isReady`
  /// says whether a frame can be shown without working it out.
  TimeLine(PlanModel* model, std::function<bool()> isShown, std::function<bool(double frame)> isReady,
           QWidget* parent = nullptr);
  void showKeysOf(const QStringList& nodes) { m_ruler->showKeysOf(nodes); }
  bool isPlaying() const { return m_timer.isActive(); }
  bool isLooping() const;
  /// Some frame became ready.
  void showReady() { m_ruler->update(); }
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
