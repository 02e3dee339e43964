// What a node's keys make of its numbers over the frames, as curves whose keys and slopes can be dragged.
#pragma once

#include "core/plan/frame_keys.h"

#include <QString>
#include <QWidget>

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace arvesk {

/// The keys of one parameter, or of one of its numbers.
struct KeyTrack {
  std::string id;  // as in Node::keys
  QString label;
  QString suffix;  // of its unit
  double hardMin = -1e9;
  double hardMax = 1e9;
  bool isWhole = false;  // numbers without a fraction
  Keys keys;
  bool operator==(const KeyTrack&) const = default;
};

/// A click chooses a key, a drag moves it in time and value; one that goes on freely, and the next one, have handles
/// for how steep the curve leaves and reaches them. A double click sets a key on the curve, Delete takes the chosen one
/// out; the menu says how it goes on.
class CurveView : public QWidget {
  Q_OBJECT

 public:
  explicit CurveView(QWidget* parent = nullptr);
  void show(std::vector<KeyTrack> tracks, double firstFrame, double lastFrame, double now);
  bool isEmpty() const { return m_tracks.empty(); }

  /// One number of a key.
  struct Place {
    std::size_t track = 0;
    std::size_t key = 0;
    std::size_t number = 0;
    bool operator==(const Place&) const = default;
  };
  const std::optional<Place>& chosen() const { return m_chosen; }
  QPointF positionOf(const Place& place) const;
  /// Of the chosen key's handles: 0 where it leaves, 1 where the next one is reached. None unless it goes on freely.
  std::optional<QPointF> handle(int which) const;
  QSize sizeHint() const override { return {420, 200}; }
  QSize minimumSizeHint() const override { return {120, 60}; }

 Q_SIGNALS:
  void edited(const std::string& track, const arvesk::Keys& keys, const QString& words, int gesture);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  struct Drag {
    QPointF from;
    int handle = -1;  // or the key itself
    Keys before;
    double frame;  // of the key then
    double value;
  };
  QRectF chart() const;
  void findRange();
  double xOf(double frame) const;
  double yOf(double value) const;
  double frameAt(double x) const;
  double valueAtY(double y) const;
  std::optional<Place> keyAt(const QPointF& at) const;
  std::optional<std::pair<std::size_t, std::size_t>> curveAt(const QPointF& at) const;  // track and number
  const Key& keyOf(const Place& place) const { return m_tracks[place.track].keys.list[place.key]; }
  void change(const Place& place, const QString& words, int gesture, const std::function<void(Keys&, Key&)>& how);
  void ease(Easing easing, const QString& words);
  void takeOut();
  void nudge(double by);
  void paintAxes(QPainter& p) const;
  void paintCurves(QPainter& p) const;
  void paintKeys(QPainter& p) const;

  std::vector<KeyTrack> m_tracks;
  double m_first = 1;
  double m_last = 120;
  double m_now = 1;
  double m_low = 0;
  double m_high = 1;
  std::optional<Place> m_chosen;
  std::optional<Drag> m_drag;
  int m_gesture = 0;
};

}  // namespace arvesk
