#include "app/bench/curve_view.h"

#include "app/window/theme.h"
#include "core/plan/key_edits.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QLocale>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

constexpr double kGrab = 7;  // px around a key or handle

std::size_t numberCount(const ParamValue& value) {
  if (std::holds_alternative<double>(value)) return 1;
  const auto* list = std::get_if<std::vector<double>>(&value);
  return list ? list->size() : 0;
}
double numberOf(const ParamValue& value, std::size_t k) {
  if (const auto* one = std::get_if<double>(&value)) return *one;
  const auto* list = std::get_if<std::vector<double>>(&value);
  return list && k < list->size() ? (*list)[k] : 0;
}
void setNumber(ParamValue& value, std::size_t k, double number) {
  if (auto* one = std::get_if<double>(&value))
    *one = number;
  else if (auto* list = std::get_if<std::vector<double>>(&value); list && k < list->size())
    (*list)[k] = number;
}

/// Round steps, some 60 px apart.
double stepOf(double span, double pixels) {
  const double wanted = span * 60 / std::max(pixels, 1.0);
  const double ten = std::pow(10, std::floor(std::log10(std::max(wanted, 1e-9))));
  for (const double times : {1.0, 2.0, 5.0})
    if (ten * times >= wanted) return ten * times;
  return ten * 10;
}

/// The numbers of one parameter are told apart by how their lines are drawn.
Qt::PenStyle styleOf(std::size_t number) {
  constexpr std::array styles{Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};
  return styles[number % styles.size()];
}

}  // namespace

CurveView::CurveView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("curves"));
  setAccessibleName(tr("Curves over time"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setToolTip(
      tr("A drag moves a key in time and value; a double click sets one on the curve, Delete takes the chosen one out. "
         "The menu says how it goes on: freely gives it handles."));
}

void CurveView::show(std::vector<KeyTrack> tracks, double firstFrame, double lastFrame, double now) {
  m_now = now;
  m_first = firstFrame;
  m_last = std::max(lastFrame, firstFrame + 1);
  if (tracks != m_tracks) {
    const std::string id = m_chosen && m_chosen->track < m_tracks.size() ? m_tracks[m_chosen->track].id : "";
    m_tracks = std::move(tracks);
    const auto same = std::find_if(m_tracks.begin(), m_tracks.end(), [&](const KeyTrack& t) { return t.id == id; });
    if (m_chosen && same != m_tracks.end() && m_chosen->key < same->keys.list.size())
      m_chosen->track = static_cast<std::size_t>(same - m_tracks.begin());
    else
      m_chosen.reset();
    if (!m_drag) findRange();
  }
  update();
}

/// What all curves take up, with room above and below; a flat one lies in the middle.
void CurveView::findRange() {
  double low = std::numeric_limits<double>::max();
  double high = std::numeric_limits<double>::lowest();
  for (const KeyTrack& track : m_tracks)
    for (int k = 0; k <= 200; ++k) {
      const ParamValue value = valueAt(track.keys, m_first + (m_last - m_first) * k / 200);
      for (std::size_t n = 0; n < numberCount(value); ++n) {
        low = std::min(low, numberOf(value, n));
        high = std::max(high, numberOf(value, n));
      }
    }
  for (const KeyTrack& track : m_tracks)
    for (const Key& key : track.keys.list)
      for (std::size_t n = 0; n < numberCount(key.value); ++n) {
        low = std::min(low, numberOf(key.value, n));
        high = std::max(high, numberOf(key.value, n));
      }
  if (low > high) low = 0, high = 1;
  const double room = high > low ? 0.12 * (high - low) : std::max(1.0, std::abs(low) * 0.5);
  m_low = low - room;
  m_high = high + room;
}

QRectF CurveView::chart() const { return QRectF(rect()).adjusted(46, 22, -10, -22); }
double CurveView::xOf(double frame) const {
  return chart().left() + (frame - m_first) / (m_last - m_first) * chart().width();
}
double CurveView::yOf(double value) const {
  return chart().bottom() - (value - m_low) / (m_high - m_low) * chart().height();
}
double CurveView::frameAt(double x) const {
  return m_first + (x - chart().left()) / std::max(1.0, chart().width()) * (m_last - m_first);
}
double CurveView::valueAtY(double y) const {
  return m_low + (chart().bottom() - y) / std::max(1.0, chart().height()) * (m_high - m_low);
}

QPointF CurveView::positionOf(const Place& place) const {
  const Key& key = keyOf(place);
  return {xOf(key.frame), yOf(numberOf(key.value, place.number))};
}

std::optional<QPointF> CurveView::handle(int which) const {
  if (!m_chosen || m_chosen->key + 1 >= m_tracks[m_chosen->track].keys.list.size()) return {};
  const Key& key = keyOf(*m_chosen);
  if (key.easing != Easing::Free) return {};
  const Key& next = m_tracks[m_chosen->track].keys.list[m_chosen->key + 1];
  const double frames = next.frame - key.frame;
  const double from = numberOf(key.value, m_chosen->number);
  const double to = numberOf(next.value, m_chosen->number);
  if (which == 0) return QPointF(xOf(key.frame + frames / 3), yOf(from + key.leaves * (to - from) / 3));
  return QPointF(xOf(next.frame - frames / 3), yOf(to - key.reaches * (to - from) / 3));
}

std::optional<CurveView::Place> CurveView::keyAt(const QPointF& at) const {
  std::optional<Place> nearest;
  double best = kGrab;
  for (std::size_t t = 0; t < m_tracks.size(); ++t)
    for (std::size_t k = 0; k < m_tracks[t].keys.list.size(); ++k)
      for (std::size_t n = 0; n < numberCount(m_tracks[t].keys.list[k].value); ++n) {
        const QPointF away = positionOf({t, k, n}) - at;
        // Of several at one place, the one that is chosen already.
        const double far = std::hypot(away.x(), away.y()) - (m_chosen == Place{t, k, n} ? 0.5 : 0);
        if (far > best) continue;
        best = far;
        nearest = Place{t, k, n};
      }
  return nearest;
}

std::optional<std::pair<std::size_t, std::size_t>> CurveView::curveAt(const QPointF& at) const {
  std::optional<std::pair<std::size_t, std::size_t>> nearest;
  double best = 30;
  for (std::size_t t = 0; t < m_tracks.size(); ++t) {
    const ParamValue value = valueAt(m_tracks[t].keys, frameAt(at.x()));
    for (std::size_t n = 0; n < numberCount(value); ++n) {
      const double far = std::abs(yOf(numberOf(value, n)) - at.y());
      if (far >= best) continue;
      best = far;
      nearest = std::pair{t, n};
    }
  }
  return nearest;
}

void CurveView::change(const Place& place, const QString& words, int gesture,
                       const std::function<void(Keys&, Key&)>& how) {
  Keys keys = m_tracks[place.track].keys;
  how(keys, keys.list[place.key]);
  const std::string id = m_tracks[place.track].id;
  Q_EMIT edited(id, keys, words, gesture);
}

void CurveView::ease(Easing easing, const QString& words) {
  if (!m_chosen) return;
  change(*m_chosen, words, ++m_gesture, [&](Keys&, Key& key) {
    if (easing == Easing::Free && key.easing != Easing::Free)  // as it went so far
      key.leaves = key.reaches = key.easing == Easing::Even ? 1 : 0;
    key.easing = easing;
  });
}

void CurveView::takeOut() {
  if (!m_chosen) return;
  const Place place = *m_chosen;
  m_chosen.reset();
  change(place, tr("Take the key at frame %1 out").arg(keyOf(place).frame), ++m_gesture,
         [&](Keys& keys, Key&) { keys.list.erase(keys.list.begin() + static_cast<std::ptrdiff_t>(place.key)); });
}

void CurveView::nudge(double by) {
  if (!m_chosen) return;
  const KeyTrack& track = m_tracks[m_chosen->track];
  change(*m_chosen, tr("%1 at frame %2").arg(track.label).arg(keyOf(*m_chosen).frame), ++m_gesture,
         [&](Keys&, Key& key) {
           double value = numberOf(key.value, m_chosen->number) + by * (track.isWhole ? 1 : (m_high - m_low) / 100);
           value = std::clamp(track.isWhole ? std::round(value) : value, track.hardMin, track.hardMax);
           setNumber(key.value, m_chosen->number, value);
         });
}

void CurveView::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  ++m_gesture;
  for (const int which : {0, 1})
    if (const auto at = handle(which);
        at && std::hypot(at->x() - event->position().x(), at->y() - event->position().y()) <= kGrab) {
      m_drag = Drag{event->position(), which, m_tracks[m_chosen->track].keys, keyOf(*m_chosen).frame, 0};
      return;
    }
  m_chosen = keyAt(event->position());
  if (m_chosen)
    m_drag = Drag{event->position(), -1, m_tracks[m_chosen->track].keys, keyOf(*m_chosen).frame,
                  numberOf(keyOf(*m_chosen).value, m_chosen->number)};
  update();
}

void CurveView::mouseMoveEvent(QMouseEvent* event) {
  if (!m_drag || !m_chosen) {
    setCursor(keyAt(event->position()) ? Qt::SizeAllCursor : Qt::ArrowCursor);
    return;
  }
  const KeyTrack& track = m_tracks[m_chosen->track];
  const QPointF moved = event->position() - m_drag->from;
  Keys keys = m_drag->before;
  if (m_drag->handle >= 0) {
    const auto at = std::find_if(keys.list.begin(), keys.list.end(),
                                 [&](const Key& key) { return key.frame == m_drag->frame; });
    if (at == keys.list.end() || std::next(at) == keys.list.end()) return;
    const double from = numberOf(at->value, m_chosen->number);
    const double to = numberOf(std::next(at)->value, m_chosen->number);
    if (from == to) return;  // a slope of nothing
    const double value = valueAtY(event->position().y());
    const double slope = m_drag->handle == 0 ? 3 * (value - from) / (to - from) : 3 * (to - value) / (to - from);
    (m_drag->handle == 0 ? at->leaves : at->reaches) = std::clamp(slope, -20.0, 20.0);
    Q_EMIT edited(track.id, keys, tr("Slope of %1").arg(track.label), m_gesture);
    return;
  }
  // A little to one side is meant as straight along the other.
  constexpr double kStraight = 4;
  double frame = m_drag->frame;
  if (std::abs(moved.x()) >= kStraight) {
    frame = std::round(frameAt(xOf(m_drag->frame) + moved.x()));
    const auto at = std::find_if(keys.list.begin(), keys.list.end(),
                                 [&](const Key& key) { return key.frame == m_drag->frame; });
    // It stays between its neighbors: the curve keeps its order while it is shaped.
    if (at != keys.list.begin()) frame = std::max(frame, std::floor(std::prev(at)->frame) + 1);
    if (std::next(at) != keys.list.end()) frame = std::min(frame, std::ceil(std::next(at)->frame) - 1);
    keys = movedKeys(keys, m_drag->frame, frame, KeyMove::One);
  }
  if (std::abs(moved.y()) >= kStraight)
    for (Key& key : keys.list)
      if (key.frame == frame) {
        const double value = valueAtY(yOf(m_drag->value) + moved.y());
        setNumber(key.value, m_chosen->number,
                  std::clamp(track.isWhole ? std::round(value) : value, track.hardMin, track.hardMax));
      }
  Q_EMIT edited(track.id, keys, tr("Key of %1").arg(track.label), m_gesture);
}

void CurveView::mouseReleaseEvent(QMouseEvent*) {
  m_drag.reset();
  findRange();
  update();
}

void CurveView::mouseDoubleClickEvent(QMouseEvent* event) {
  if (keyAt(event->position())) return;
  const auto on = curveAt(event->position());
  if (!on) return;
  const KeyTrack& track = m_tracks[on->first];
  const double frame = std::clamp(std::round(frameAt(event->position().x())), m_first, m_last);
  const Keys keys = splitAt(track.keys, frame);
  const std::string id = track.id;
  const auto at = std::find_if(keys.list.begin(), keys.list.end(), [&](const Key& key) { return key.frame == frame; });
  const Place place{on->first, static_cast<std::size_t>(at - keys.list.begin()), on->second};
  Q_EMIT edited(id, keys, tr("Key at frame %1").arg(frame), ++m_gesture);
  if (place.track < m_tracks.size() && place.key < m_tracks[place.track].keys.list.size()) m_chosen = place;
  update();
}

void CurveView::keyPressEvent(QKeyEvent* event) {
  const auto choose = [&](std::ptrdiff_t by) {
    if (m_tracks.empty() || m_tracks.front().keys.list.empty()) return;
    if (!m_chosen) {
      m_chosen = Place{};
    } else {
      const auto last = static_cast<std::ptrdiff_t>(m_tracks[m_chosen->track].keys.list.size()) - 1;
      m_chosen->key = static_cast<std::size_t>(
          std::clamp(static_cast<std::ptrdiff_t>(m_chosen->key) + by, std::ptrdiff_t{0}, last));
    }
    update();
  };
  switch (event->key()) {
    case Qt::Key_Left: return choose(-1);
    case Qt::Key_Right: return choose(1);
    case Qt::Key_Up: return nudge(1);
    case Qt::Key_Down: return nudge(-1);
    case Qt::Key_Delete: return takeOut();
    default: QWidget::keyPressEvent(event);
  }
}

void CurveView::contextMenuEvent(QContextMenuEvent* event) {
  if (event->reason() == QContextMenuEvent::Mouse) m_chosen = keyAt(event->pos());
  update();
  if (!m_chosen) return;
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("curve_menu"));
  const auto add = [&](const QString& words, const char* name, Easing easing) {
    QAction* action = menu.addAction(words, this, [this, words, easing] { ease(easing, words); });
    action->setObjectName(QLatin1String(name));
    action->setCheckable(true);
    action->setChecked(keyOf(*m_chosen).easing == easing);
  };
  add(tr("On from here: softly"), "curve_soft", Easing::Soft);
  add(tr("On from here: evenly"), "curve_even", Easing::Even);
  add(tr("On from here: held until the next key"), "curve_held", Easing::Held);
  add(tr("On from here: freely, by its handles"), "curve_free", Easing::Free);
  menu.addSeparator();
  menu.addAction(tr("Take this key out"), this, &CurveView::takeOut)->setObjectName(QStringLiteral("curve_take"));
  const QPoint at = event->reason() == QContextMenuEvent::Mouse ? event->globalPos()
                                                                : mapToGlobal(positionOf(*m_chosen).toPoint());
  menu.exec(at);
}

void CurveView::focusInEvent(QFocusEvent*) { update(); }
void CurveView::focusOutEvent(QFocusEvent*) { update(); }

void CurveView::paintAxes(QPainter& p) const {
  const Theme& theme = Theme::current();
  const QRectF c = chart();
  const QLocale locale;
  QFont small = font();
  small.setPointSizeF(std::max(7.0, small.pointSizeF() * 0.85));
  p.setFont(small);
  const double step = stepOf(m_high - m_low, c.height() * 1.6);
  for (double v = std::ceil(m_low / step) * step; v <= m_high; v += step) {
    p.setPen(QPen(theme.rule, 1));
    p.drawLine(QPointF(c.left(), yOf(v)), QPointF(c.right(), yOf(v)));
    p.setPen(theme.quiet);
    p.drawText(QRectF(0, yOf(v) - 8, c.left() - 5, 16), Qt::AlignRight | Qt::AlignVCenter,
               locale.toString(std::abs(v) < step / 1000 ? 0.0 : v, 'g', 5));
  }
  const double frames = std::max(1.0, stepOf(m_last - m_first, c.width()));
  for (double f = std::ceil(m_first / frames) * frames; f <= m_last; f += frames) {
    p.setPen(QPen(theme.rule, 1));
    p.drawLine(QPointF(xOf(f), c.bottom()), QPointF(xOf(f), c.bottom() + 4));
    p.setPen(theme.quiet);
    p.drawText(QRectF(xOf(f) - 30, c.bottom() + 4, 60, 16), Qt::AlignCenter, locale.toString(f, 'g', 8));
  }
}

void CurveView::paintCurves(QPainter& p) const {
  const Theme& theme = Theme::current();
  const QRectF c = chart();
  for (std::size_t t = 0; t < m_tracks.size(); ++t) {
    const KeyTrack& track = m_tracks[t];
    if (track.keys.isEmpty()) continue;
    const std::size_t count = numberCount(track.keys.list.front().value);
    const bool isChosen = m_chosen && m_chosen->track == t;
    for (std::size_t n = 0; n < count; ++n) {
      QPainterPath path;
      for (double x = c.left(); x <= c.right(); x += 1) {
        const double value = numberOf(valueAt(track.keys, frameAt(x)), n);
        const QPointF at(x, std::clamp(yOf(value), c.top() - 4, c.bottom() + 4));
        x == c.left() ? path.moveTo(at) : path.lineTo(at);
      }
      p.setPen(QPen(isChosen || !m_chosen ? theme.ink : theme.quiet, isChosen ? 1.8 : 1.3, styleOf(n)));
      p.setBrush(Qt::NoBrush);
      p.drawPath(path);
    }
  }
}

void CurveView::paintKeys(QPainter& p) const {
  const Theme& theme = Theme::current();
  for (const int which : {0, 1})
    if (const auto at = handle(which)) {
      const Place of = which == 0 ? *m_chosen : Place{m_chosen->track, m_chosen->key + 1, m_chosen->number};
      p.setPen(QPen(theme.accent, 1));
      p.drawLine(positionOf(of), *at);
      p.setBrush(theme.card);
      p.drawRect(QRectF(at->x() - 3, at->y() - 3, 6, 6));
    }
  for (std::size_t t = 0; t < m_tracks.size(); ++t)
    for (std::size_t k = 0; k < m_tracks[t].keys.list.size(); ++k)
      for (std::size_t n = 0; n < numberCount(m_tracks[t].keys.list[k].value); ++n) {
        const bool isChosen = m_chosen == Place{t, k, n};
        const QPointF at = positionOf({t, k, n});
        if (!chart().adjusted(-2, -6, 2, 6).contains(at)) continue;
        p.setPen(QPen(theme.card, 1));
        p.setBrush(isChosen ? theme.accent : theme.ink);
        p.drawEllipse(at, isChosen ? 5 : 3.5, isChosen ? 5 : 3.5);
      }
}

void CurveView::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  paintAxes(p);
  p.setPen(QPen(theme.accent, 1, Qt::DashLine));
  if (m_now >= m_first && m_now <= m_last)
    p.drawLine(QPointF(xOf(m_now), chart().top()), QPointF(xOf(m_now), chart().bottom()));
  paintCurves(p);
  paintKeys(p);
  // What is what, above: names with their line, or the chosen key in numbers.
  p.setPen(theme.quiet);
  const QRectF head(chart().left(), 2, chart().width(), 16);
  QString words;
  if (m_chosen) {
    const KeyTrack& track = m_tracks[m_chosen->track];
    words = tr("%1: %2%3 at frame %4")
                .arg(track.label, QLocale().toString(numberOf(keyOf(*m_chosen).value, m_chosen->number), 'g', 6),
                     track.suffix)
                .arg(QLocale().toString(keyOf(*m_chosen).frame, 'g', 8));
  } else {
    QStringList names;
    for (const KeyTrack& track : m_tracks) names << track.label;
    words = names.join(QStringLiteral(" · "));
  }
  p.drawText(head, Qt::AlignLeft | Qt::AlignVCenter,
             QFontMetricsF(p.font()).elidedText(words, Qt::ElideRight, head.width()));
  if (hasFocus()) {
    p.setPen(QPen(theme.accent, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
  }
}

}  // namespace arvesk
