#include "app/site/cover_view.h"

#include "app/window/theme.h"
#include "core/picture/film.h"

#include <QImage>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

QColor colorOf(float value) {
  const Vec3 c = scaleColor(std::clamp(value, 0.0F, 1.0F)) * 255.0F;
  return QColor(static_cast<int>(c.r), static_cast<int>(c.g), static_cast<int>(c.b));
}

/// Where a count lies on the scale: by its root, so that a few and many can both be told apart.
float onScale(float value, float top) { return std::sqrt(std::clamp(value / top, 0.0F, 1.0F)); }

}  // namespace

CoverView::CoverView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("cover"));
  setAccessibleName(tr("Count map"));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
}

void CoverView::show(std::shared_ptr<const CoverMap> map) {
  m_map = std::move(map);
  makeImages();
  if (!m_isFitted) fit();
  update();
  Q_EMIT hoverChanged(hovered());
}

void CoverView::makeImages() {
  m_relief = m_colors = QImage();
  if (!m_map || m_map->columns == 0) return;
  const int width = m_map->columns * m_map->shadePixels;
  const int height = m_map->rows * m_map->shadePixels;
  m_relief = QImage(width, height, QImage::Format_ARGB32);
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const float s =
          m_map->shade[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
      const int v = 130 + static_cast<int>(110 * s);
      m_relief.setPixel(x, y, s < 0 ? qRgba(0, 0, 0, 0) : qRgba(v, v, std::max(0, v - 6), 255));
    }
  // The scale ends at a round number that all but the fullest hundredth of the cells stay below.
  std::vector<float> filled;
  for (const std::uint32_t c : m_map->count)
    if (c > 0) filled.push_back(static_cast<float>(c) / (m_map->cell * m_map->cell));
  m_top = 1;
  if (!filled.empty()) {
    const auto at = filled.begin() + static_cast<std::ptrdiff_t>(static_cast<double>(filled.size() - 1) * 0.99);
    std::nth_element(filled.begin(), at, filled.end());
    m_top = roundedUp(*at);
  }
  m_colors = QImage(m_map->columns, m_map->rows, QImage::Format_ARGB32);
  for (int y = 0; y < m_map->rows; ++y)
    for (int x = 0; x < m_map->columns; ++x) {
      const float v = m_map->perSquareMeter(x, y);
      const QColor c = colorOf(onScale(v, m_top));
      m_colors.setPixel(x, y, v > 0 ? qRgba(c.red(), c.green(), c.blue(), 225) : qRgba(0, 0, 0, 0));
    }
}

void CoverView::fit() {
  if (!m_map || m_map->columns == 0 || width() < 20) return;
  const double w = static_cast<double>(m_map->cell) * m_map->columns;
  const double h = static_cast<double>(m_map->cell) * m_map->rows;
  m_scale = std::min((width() - 24) / w, (height() - 64) / h);
  m_origin = QPointF(width() / 2.0, (height() + 40) / 2.0) -
             QPointF(static_cast<double>(m_map->corner.x) + w / 2, static_cast<double>(m_map->corner.y) + h / 2) *
                 m_scale;
  m_isFitted = true;
  update();
}

QPointF CoverView::toView(Vec2 place) const {
  return m_origin + QPointF(static_cast<double>(place.x), static_cast<double>(place.y)) * m_scale;
}

Vec2 CoverView::toPlace(const QPointF& at) const {
  const QPointF p = (at - m_origin) / m_scale;
  return {static_cast<float>(p.x()), static_cast<float>(p.y())};
}

QString CoverView::hovered() const {
  if (!m_map || !m_pointer) return {};
  const Vec2 place = toPlace(*m_pointer);
  const auto value = m_map->at(place);
  if (!value) return {};
  const auto inSpace = m_map->perCubicMeter(place);
  return (inSpace ? tr("%1 per m², in the volume %2 per m³, at x %3, z %4") : tr("%1 per m² at x %3, z %4"))
      .replace(QStringLiteral("%2"),
               inSpace ? QLocale().toString(static_cast<double>(*inSpace), 'f', *inSpace < 10 ? 2 : 0) : QString())
      .arg(QLocale().toString(static_cast<double>(*value), 'f', *value < 10 ? 2 : 0),
           QLocale().toString(static_cast<double>(place.x), 'f', 1),
           QLocale().toString(static_cast<double>(place.y), 'f', 1));
}

void CoverView::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  p.fillRect(rect(), t.paper);
  if (!m_map || m_map->columns == 0) {
    p.setPen(t.quiet);
    p.drawText(rect(), Qt::AlignCenter, tr("Nothing to count yet."));
    return;
  }
  const QRectF sheet(toView(m_map->corner), QSizeF(static_cast<double>(m_map->cell) * m_map->columns,
                                                   static_cast<double>(m_map->cell) * m_map->rows) *
                                                m_scale);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(sheet, m_relief);
  p.setRenderHint(QPainter::SmoothPixmapTransform, false);
  p.drawImage(sheet, m_colors);
  p.setPen(QPen(t.rule, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(sheet);
  p.setRenderHint(QPainter::Antialiasing);
  QFont f = font();
  f.setPixelSize(11);
  p.setFont(f);
  // Legend: what the colors mean, and what a cell is.
  const QRectF box(width() - 198, height() - 62, 186, 50);
  p.setPen(QPen(t.rule, 1));
  p.setBrush(t.card);
  p.drawRoundedRect(box, 4, 4);
  const QRectF bar(box.left() + 10, box.top() + 22, box.width() - 20, 8);
  for (int i = 0; i < static_cast<int>(bar.width()); ++i)
    p.fillRect(QRectF(bar.left() + i, bar.top(), 1.2, bar.height()), colorOf(static_cast<float>(i / bar.width())));
  p.setPen(t.ink);
  p.drawText(box.adjusted(10, 4, -10, 0), Qt::AlignLeft | Qt::AlignTop, tr("count per m²"));
  p.setPen(t.quiet);
  p.drawText(box.adjusted(10, 4, -10, 0), Qt::AlignRight | Qt::AlignTop,
             tr("cells of %1 m").arg(QLocale().toString(static_cast<double>(m_map->cell))));
  p.drawText(box.adjusted(10, 0, -10, -3), Qt::AlignLeft | Qt::AlignBottom, QStringLiteral("0"));
  p.drawText(box.adjusted(10, 0, -10, -3), Qt::AlignHCenter | Qt::AlignBottom,
             QLocale().toString(static_cast<double>(m_top) / 4));
  p.drawText(box.adjusted(10, 0, -10, -3), Qt::AlignRight | Qt::AlignBottom,
             tr("from %1").arg(QLocale().toString(static_cast<double>(m_top))));
  // Scale at the left, as in the other views.
  double length = std::pow(10, std::floor(std::log10(130 / m_scale)));
  for (const double m : {5.0, 2.0})
    if (length * m * m_scale < 140) {
      length *= m;
      break;
    }
  p.setPen(QPen(t.ink, 2));
  p.drawLine(QPointF(17, height() - 17), QPointF(17 + length * m_scale, height() - 17));
  p.drawText(QPointF(17, height() - 23), tr("%1 m").arg(QLocale().toString(length)));
  if (const QString words = hovered(); !words.isEmpty()) {
    const Vec2 place = toPlace(*m_pointer);
    const Vec2 cell = glm::floor((place - m_map->corner) / m_map->cell) * m_map->cell + m_map->corner;
    p.setPen(QPen(t.accent, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawRect(
        QRectF(toView(cell), QSizeF(static_cast<double>(m_map->cell), static_cast<double>(m_map->cell)) * m_scale));
    const double w = QFontMetricsF(f).horizontalAdvance(words) + 16;
    QRectF pill(m_pointer->x() + 14, m_pointer->y() + 10, w, 22);
    if (pill.right() > width() - 4) pill.moveRight(m_pointer->x() - 10);
    p.setPen(QPen(t.rule, 1));
    p.setBrush(t.card);
    p.drawRoundedRect(pill, 4, 4);
    p.setPen(t.ink);
    p.drawText(pill, Qt::AlignCenter, words);
  }
}

void CoverView::mousePressEvent(QMouseEvent* event) {
  setFocus();
  m_last = event->position();
}

void CoverView::mouseMoveEvent(QMouseEvent* event) {
  if (event->buttons() & (Qt::MiddleButton | Qt::RightButton | Qt::LeftButton)) m_origin += event->position() - m_last;
  m_last = event->position();
  m_pointer = event->position();
  Q_EMIT hoverChanged(hovered());
  update();
}

void CoverView::leaveEvent(QEvent*) {
  m_pointer.reset();
  Q_EMIT hoverChanged({});
  update();
}

void CoverView::wheelEvent(QWheelEvent* event) {
  const double factor = std::pow(1.18, event->angleDelta().y() / 120.0);
  m_origin = event->position() + (m_origin - event->position()) * factor;
  m_scale *= factor;
  update();
}

void CoverView::resizeEvent(QResizeEvent*) { fit(); }

}  // namespace arvesk
