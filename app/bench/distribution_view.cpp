#include "app/bench/distribution_view.h"

#include "app/model/words.h"
#include "app/window/share_text.h"
#include "app/window/theme.h"
#include "core/base/curve.h"

#include <QContextMenuEvent>
#include <QLocale>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

/// 1, 2 or 5 times a power of ten, so that about `count` ticks fit.
double tickStep(double range, int count) {
  const double raw = range / count;
  const double power = std::pow(10, std::floor(std::log10(raw)));
  for (const double m : {1.0, 2.0, 5.0})
    if (m * power >= raw) return m * power;
  return 10 * power;
}

}  // namespace

DistributionView::DistributionView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("distribution"));
  setAccessibleName(tr("Distribution"));
  setMinimumSize(200, 120);
  setMouseTracking(true);
}

void DistributionView::showWords(const QString& words) {
  m_words = words;
  update();
}

void DistributionView::showHistogram(std::shared_ptr<const Histogram> histogram, bool isMask) {
  if (histogram != m_histogram)
    m_ghost = m_histogram && histogram && m_histogram->label == histogram->label ? m_histogram : nullptr;
  m_histogram = std::move(histogram);
  m_isMask = isMask;
  update();
}

void DistributionView::showHandles(std::vector<double> values, double hardMin, double hardMax) {
  m_hardMin = hardMin;
  m_hardMax = hardMax;
  if (m_dragged < 0) m_values = std::move(values);
  update();
}

QRectF DistributionView::chart() const { return QRectF(16, 22, width() - 44, height() - 50); }

double DistributionView::from() const { return m_histogram ? static_cast<double>(m_histogram->from) : 0; }
double DistributionView::to() const { return m_histogram ? static_cast<double>(m_histogram->to) : 1; }
double DistributionView::xOf(double value) const {
  const QRectF c = chart();
  return c.left() + std::clamp((value - from()) / (to() - from()), 0.0, 1.0) * c.width();
}
double DistributionView::valueAt(double x) const {
  const QRectF c = chart();
  return from() + (x - c.left()) / c.width() * (to() - from());
}

QPointF DistributionView::handlePosition(int handle) const {
  if (handle < 0 || handle >= static_cast<int>(m_values.size())) return {};
  const QRectF c = chart();
  const bool isFoot = m_values.size() == 4 && (handle == 0 || handle == 3);
  return {xOf(m_values[static_cast<std::size_t>(handle)]), isFoot ? c.bottom() : c.top()};
}

void DistributionView::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF c = chart();
  if (!m_histogram && !m_curve.empty()) {
    p.setPen(QPen(t.rule, 1));
    p.drawRect(c);
    paintCurve(p);
    return;
  }
  if (!m_histogram) {
    p.setPen(t.quiet);
    p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignCenter | Qt::TextWordWrap,
               !m_words.isEmpty() ? m_words
               : m_isMask         ? tr("Not asked at any point yet.")
                                  : QString());
    return;
  }
  paintBins(p, *m_histogram);
  paintTicks(p, *m_histogram);
  if (!m_pieces.empty()) paintPieces(p);
  paintNumbers(p, *m_histogram);
  if (!m_curve.empty()) paintCurve(p);
  if (m_values.empty()) return;
  p.setPen(QPen(t.accent, 2));
  if (m_values.size() == 4) {
    p.drawPolyline(QPolygonF{handlePosition(0), handlePosition(1), handlePosition(2), handlePosition(3)});
  } else {
    for (int i = 0; i < 2; ++i) p.drawLine(handlePosition(i), QPointF(handlePosition(i).x(), c.bottom()));
    p.drawLine(handlePosition(0), handlePosition(1));
  }
  for (int i = 0; i < static_cast<int>(m_values.size()); ++i) {
    p.setBrush(i == m_dragged ? t.accent : t.card);
    p.drawEllipse(handlePosition(i), 5.5, 5.5);
  }
}

/// Kept and left out, bin by bin, and the line of what was before.
void DistributionView::paintBins(QPainter& p, const Histogram& h) const {
  const Theme& t = Theme::current();
  const QRectF c = chart();
  const auto scaled = [this](double v) { return m_isLog ? std::log1p(v) : v; };
  double most = 1;
  for (std::size_t i = 0; i < h.kept.size(); ++i)
    most = std::max(most, scaled(static_cast<double>(h.kept[i]) + static_cast<double>(h.left[i])));
  const double bin = c.width() / static_cast<double>(h.kept.size());
  const double tall = std::max(10.0, c.height() - std::max(18.0, roomOfPieces() + 4));
  const QBrush hatch = hatchBrush(t.quiet);
  for (std::size_t i = 0; i < h.kept.size(); ++i) {
    const double both = scaled(static_cast<double>(h.kept[i]) + static_cast<double>(h.left[i])) / most * tall;
    const double share = h.kept[i] + h.left[i] > 0
                             ? static_cast<double>(h.kept[i]) / static_cast<double>(h.kept[i] + h.left[i])
                             : 0;
    const double kept = both * share;
    const double x = c.left() + static_cast<double>(i) * bin;
    if (both > kept) {
      const QRectF r(x + 0.5, c.bottom() - both, bin - 1, both - kept);
      p.fillRect(r, hatch);
      p.setPen(QPen(t.hatch, 0.6));
      p.drawRect(r);
    }
    if (kept > 0)
      p.fillRect(QRectF(x + 0.5, c.bottom() - kept, bin - 1, kept), t.isNight ? t.quiet : t.ink.lighter(130));
  }
  if (m_ghost && m_ghost->from == h.from && m_ghost->to == h.to) {
    QPainterPath line;
    for (std::size_t i = 0; i < m_ghost->kept.size(); ++i) {
      const QPointF at(c.left() + (static_cast<double>(i) + 0.5) * bin,
                       c.bottom() - std::min(1.0, scaled(static_cast<double>(m_ghost->kept[i])) / most) * tall);
      if (i == 0)
        line.moveTo(at);
      else
        line.lineTo(at);
    }
    p.setPen(QPen(t.quiet, 1, Qt::DotLine));
    p.drawPath(line);
  }
}

void DistributionView::paintTicks(QPainter& p, const Histogram& h) const {
  const Theme& t = Theme::current();
  const QRectF c = chart();
  p.setPen(QPen(t.ink, 1));
  p.drawLine(c.bottomLeft(), c.bottomRight());
  QFont small = font();
  small.setPixelSize(11);
  p.setFont(small);
  const double step = tickStep(to() - from(), 6);
  for (double v = std::ceil(from() / step) * step; v <= to() + step * 1e-6; v += step) {
    const QString text = QString::number(std::abs(v) < step * 1e-6 ? 0 : v, 'g', 4) + said(h.suffix);
    p.setPen(t.quiet);
    p.drawText(QRectF(xOf(v) - 30, c.bottom() + 6, 60, 16), Qt::AlignHCenter, text);
  }
}

/// How many, in words; they stand where the chart is low.
void DistributionView::paintNumbers(QPainter& p, const Histogram& h) const {
  const Theme& t = Theme::current();
  const QRectF c = chart();
  const QLocale locale;
  std::size_t leftSide = 0;
  std::size_t rightSide = 0;
  for (std::size_t i = 0; i < h.kept.size(); ++i) {
    if (i * 5 < h.kept.size() * 2) leftSide = std::max<std::size_t>(leftSide, h.kept[i] + h.left[i]);
    if (i * 5 >= h.kept.size() * 3) rightSide = std::max<std::size_t>(rightSide, h.kept[i] + h.left[i]);
  }
  const bool isRightTall = rightSide > leftSide;
  const std::size_t all = h.keptCount + h.leftCount;
  const double share = all > 0 ? static_cast<double>(h.keptCount) / static_cast<double>(all) : 0;
  QStringList lines{tr("%1 at %2 points").arg(said(h.label), locale.toString(static_cast<qulonglong>(all)))};
  const auto count = [&](std::size_t n) { return locale.toString(static_cast<qulonglong>(n)); };
  if (m_pieces.empty())
    lines << (m_isMask ? tr("%1 at 0.5 or more · %2") : tr("%1 kept · %2")).arg(count(h.keptCount), shareText(share))
          << (m_isMask ? tr("%1 below") : tr("%1 left out")).arg(count(h.leftCount))
          << tr("median %1%2").arg(locale.toString(static_cast<double>(h.median), 'g', 3), said(h.suffix));
  else
    lines << tr("%1 without a prop").arg(count(h.leftCount));
  for (int i = 0; i < lines.size(); ++i) {
    QFont f = font();
    f.setPixelSize(12);
    f.setWeight(i == 1 ? QFont::DemiBold : QFont::Normal);
    p.setFont(f);
    p.setPen(i == 1 ? t.ink : t.quiet);
    const QRectF box(isRightTall ? c.left() + 12 : width() - 236, 20 + roomOfPieces() + i * 17, 220, 16);
    const double wide = QFontMetricsF(f).horizontalAdvance(lines[i]);
    p.fillRect(QRectF(isRightTall ? box.left() - 3 : box.right() - wide - 3, box.top(), wide + 6, 16),
               QColor(t.paper.red(), t.paper.green(), t.paper.blue(), 215));
    p.drawText(box, (isRightTall ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter, lines[i]);
  }
}

void DistributionView::showCurve(std::vector<double> points) {
  if (points.empty()) m_curvePoint = -1;
  if (!m_isCurveDragged) m_curve = std::move(points);
  setFocusPolicy(m_curve.empty() ? Qt::NoFocus : Qt::StrongFocus);
  update();
}

QPointF DistributionView::curvePosition(int point) const {
  const QRectF c = chart();
  const auto i = static_cast<std::size_t>(point) * 2;
  return i + 1 < m_curve.size() ? QPointF(c.left() + m_curve[i] * c.width(), c.bottom() - m_curve[i + 1] * c.height())
                                : QPointF();
}

int DistributionView::curvePointAt(const QPointF& at) const {
  for (int i = 0; i * 2 < static_cast<int>(m_curve.size()); ++i)
    if (QLineF(at, curvePosition(i)).length() < 12) return i;
  return -1;
}

void DistributionView::paintCurve(QPainter& p) const {
  const Theme& t = Theme::current();
  const QRectF c = chart();
  CurveShape shape;
  shape.points.clear();
  for (std::size_t i = 0; i + 1 < m_curve.size(); i += 2)
    shape.points.push_back({static_cast<float>(m_curve[i]), static_cast<float>(m_curve[i + 1])});
  QPainterPath line;
  for (int x = 0; x <= static_cast<int>(c.width()); x += 2) {
    const QPointF at(c.left() + x,
                     c.bottom() - static_cast<double>(shape.at(static_cast<float>(x / c.width()))) * c.height());
    if (x == 0)
      line.moveTo(at);
    else
      line.lineTo(at);
  }
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(t.accent, 2));
  p.drawPath(line);
  for (int i = 0; i * 2 < static_cast<int>(m_curve.size()); ++i) {
    p.setBrush(i == m_curvePoint ? t.accent : t.card);
    p.drawEllipse(curvePosition(i), 5.5, 5.5);
  }
}

void DistributionView::mouseDoubleClickEvent(QMouseEvent* event) {
  if (m_curve.empty() || event->button() != Qt::LeftButton || curvePointAt(event->position()) >= 0) return;
  const QRectF c = chart();
  const double x = std::clamp((event->position().x() - c.left()) / c.width(), 0.0, 1.0);
  const double y = std::clamp((c.bottom() - event->position().y()) / c.height(), 0.0, 1.0);
  std::size_t at = 0;
  while (at < m_curve.size() && m_curve[at] < x) at += 2;
  const std::vector<double> point{x, y};
  m_curve.insert(m_curve.begin() + static_cast<std::ptrdiff_t>(at), point.begin(), point.end());
  m_curvePoint = static_cast<int>(at / 2);
  Q_EMIT curveChanged(m_curve, ++m_gesture);
  update();
}

void DistributionView::keyPressEvent(QKeyEvent* event) {
  if ((event->key() != Qt::Key_Delete && event->key() != Qt::Key_Backspace) || m_curvePoint < 0 || m_curve.size() <= 4)
    return QWidget::keyPressEvent(event);
  const auto at = m_curve.begin() + 2 * m_curvePoint;
  m_curve.erase(at, at + 2);
  m_curvePoint = -1;
  Q_EMIT curveChanged(m_curve, ++m_gesture);
  update();
}

void DistributionView::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  if (pressPiece(event->position())) return;
  if (const int point = curvePointAt(event->position()); point >= 0) {
    static int curveGesture = 3'000'000;
    m_gesture = ++curveGesture;
    m_curvePoint = point;
    m_isCurveDragged = true;
    update();
    return;
  }
  double best = 14;
  // Handles that lie on each other: the one that can still move away is taken.
  for (int i = 0; i < static_cast<int>(m_values.size()); ++i) {
    const double d = QLineF(event->position(), handlePosition(i)).length();
    const bool isOuter = i >= static_cast<int>(m_values.size()) / 2;
    if (d < best || (d == best && isOuter)) {
      best = d;
      m_dragged = i;
    }
  }
  static int gesture = 1'000'000;
  m_gesture = ++gesture;
  update();
}

void DistributionView::mouseMoveEvent(QMouseEvent* event) {
  if (!m_pieceEnds.empty()) return dragPiece(event->position());
  if (m_isCurveDragged) {
    const QRectF c = chart();
    const auto i = static_cast<std::size_t>(m_curvePoint) * 2;
    const double low = i >= 2 ? m_curve[i - 2] : 0;
    const double high = i + 2 < m_curve.size() ? m_curve[i + 2] : 1;
    m_curve[i] = std::clamp(std::round((event->position().x() - c.left()) / c.width() * 200) / 200, low, high);
    m_curve[i + 1] = std::clamp(std::round((c.bottom() - event->position().y()) / c.height() * 200) / 200, 0.0, 1.0);
    Q_EMIT curveChanged(m_curve, m_gesture);
    update();
    return;
  }
  if (m_dragged < 0) {
    bool isOver = false;
    for (int i = 0; i < static_cast<int>(m_values.size()); ++i)
      isOver = isOver || QLineF(event->position(), handlePosition(i)).length() < 14;
    for (int i = 0; i < static_cast<int>(m_pieces.size()); ++i)
      for (const QPointF& at : {piecePosition(i), pieceEnd(i, 0), pieceEnd(i, 1)})
        isOver = isOver || QLineF(event->position(), at).length() < 12;
    setCursor(isOver ? Qt::SizeHorCursor : Qt::ArrowCursor);
    return;
  }
  const auto at = static_cast<std::size_t>(m_dragged);
  double v = std::clamp(valueAt(event->position().x()), std::max(m_hardMin, std::min(from(), m_values[at])),
                        std::min(m_hardMax, std::max(to(), m_values[at])));
  const double grain = std::pow(10, std::floor(std::log10((to() - from()) / 400)));
  v = std::round(v / grain) * grain;
  // Numbers stay in order: a handle pushes the others before it.
  m_values[at] = v;
  for (std::size_t i = at; i-- > 0;) m_values[i] = std::min(m_values[i], v);
  for (std::size_t i = at + 1; i < m_values.size(); ++i) m_values[i] = std::max(m_values[i], v);
  Q_EMIT handlesMoved(m_values, m_gesture);
  update();
}

void DistributionView::mouseReleaseEvent(QMouseEvent*) {
  m_dragged = -1;
  m_isCurveDragged = false;
  m_pieceEnds.clear();
  update();
}

void DistributionView::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  QAction* log = menu.addAction(tr("Logarithmic count"));
  log->setCheckable(true);
  log->setChecked(m_isLog);
  if (menu.exec(event->globalPos()) == log) {
    m_isLog = !m_isLog;
    update();
  }
}

}  // namespace arvesk
