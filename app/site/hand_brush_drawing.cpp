// How the brush by hand shows itself: ring, ghost, outlines of what the picture does not show yet, why nothing fits.
#include "app/site/hand_brush.h"

namespace arvesk {
namespace {

using nodes::BrushJob;

/// More outlines than this say no more.
constexpr std::size_t kMostOutlines = 1500;

}  // namespace

void HandBrush::addOutline(const HandPoint& point, const std::string& uid, const SiteLens& lens,
                           QVector<QLineF>& lines) const {
  Box3 box;
  if (const auto it = m_ready ? m_ready->boxes.find(uid) : std::map<std::string, Box3>::const_iterator();
      m_ready && it != m_ready->boxes.end()) {
    box = it->second;
  } else {
    const float r = std::max(m_settings.footprint, 0.05F);
    box.add(Vec3(-r, 0, -r));
    box.add(Vec3(r, r, r));
  }
  const Vec3 normal = glm::normalize(point.normal);
  const Quat turn = point.turnOn(normal);
  const Vec3 at = point.place + normal * point.lift;
  std::array<std::optional<QPointF>, 8> corner;
  for (unsigned i = 0; i < 8; ++i) {
    const Vec3 own((i & 1U) != 0 ? box.max.x : box.min.x, (i & 2U) != 0 ? box.max.y : box.min.y,
                   (i & 4U) != 0 ? box.max.z : box.min.z);
    corner[i] = lens.project(at + turn * (own * point.size));
  }
  for (unsigned i = 0; i < 8; ++i)
    for (const unsigned bit : {1U, 2U, 4U})
      if ((i & bit) == 0 && corner[i] && corner[i | bit]) lines.append(QLineF(*corner[i], *corner[i | bit]));
  // The front: from the middle of the base to its edge.
  const auto a = lens.project(at);
  const auto b = lens.project(at + turn * (Vec3(0, 0, box.max.z) * point.size));
  if (a && b) lines.append(QLineF(*a, *b));
}

void HandBrush::paint(QPainter& painter, const SiteLens& lens) const {
  const auto draw = [&](const QVector<QLineF>& lines, const QColor& color) {
    painter.setPen(QPen(QColor(0x22, 0x30, 0x2F, 150), 2.6));
    painter.drawLines(lines);
    painter.setPen(QPen(color, 1.2));
    painter.drawLines(lines);
  };
  QVector<QLineF> there;
  QVector<QLineF> gone;
  for (std::size_t i = m_fresh.size() > kMostOutlines ? m_fresh.size() - kMostOutlines : 0; i < m_fresh.size(); ++i) {
    const Mark& mark = m_fresh[i];
    if (!mark.isGone) {
      addOutline(mark.point, mark.prop, lens, there);
    } else if (const auto p = lens.project(mark.point.place)) {
      gone.append(QLineF(*p + QPointF(-5, -5), *p + QPointF(5, 5)));
      gone.append(QLineF(*p + QPointF(-5, 5), *p + QPointF(5, -5)));
    }
  }
  draw(there, Qt::white);
  draw(gone, Qt::white);
  if (!m_cursor || m_settings.job == BrushJob::Single) {
    if (m_cursor && m_ghost && !m_isDown) {
      QVector<QLineF> lines;
      addOutline(m_ghost->first, m_ghost->second, lens, lines);
      draw(lines, Qt::white);
    }
    return;
  }
  const float radius = m_settings.radius;
  const bool isRefused = (m_isDown ? m_job : m_settings.job) == BrushJob::Add &&
                         (m_isDown ? m_isFull : m_refusal != BrushRefusal::None);
  const std::vector<Vec3> ring = m_settings.on == nodes::BrushLiesOn::Things
                                     ? lens.ringAt(*m_cursor, m_normal, radius)
                                     : lens.ringOnGround(*m_cursor, m_normal, radius);
  if (isRefused) {
    QPolygonF area;
    for (const Vec3& place : ring)
      if (const auto p = lens.project(place)) area << *p;
    painter.setPen(Qt::NoPen);
    painter.setBrush(QBrush(QColor(255, 255, 255, 150), Qt::BDiagPattern));
    painter.drawPolygon(area);
    painter.setBrush(Qt::NoBrush);
    drawReason(painter, lens);
  }
  drawInWorld(painter, lens, ring, Qt::white, 2);
  if (m_settings.job == BrushJob::Add && m_settings.spread > 0 && m_settings.spread < 100)
    drawInWorld(painter, lens, lens.ringAt(*m_cursor, m_normal, radius * m_settings.spread / 100),
                QColor(255, 255, 255, 170), 1);
  if (m_ghost && !m_isDown && m_refusal == BrushRefusal::None) {
    QVector<QLineF> lines;
    addOutline(m_ghost->first, m_ghost->second, lens, lines);
    draw(lines, Qt::white);
  }
}

void HandBrush::drawReason(QPainter& painter, const SiteLens& lens) const {
  const auto at = lens.project(*m_cursor);
  if (!at) return;
  const QString why = m_isDown                                 ? tr("full: no more fit here")
                      : m_refusal == BrushRefusal::TooNear     ? tr("too near to what stands here")
                      : m_refusal == BrushRefusal::OutsideMask ? tr("outside of the mask")
                                                               : tr("no ground of this node here");
  const QRectF text = QFontMetricsF(painter.font()).boundingRect(why);
  const QRectF box(*at + QPointF(14, 12), text.size() + QSizeF(14, 8));
  painter.setPen(Qt::NoPen);
  painter.setBrush(QColor(0x22, 0x30, 0x2F, 215));
  painter.drawRoundedRect(box, 4, 4);
  painter.setBrush(Qt::NoBrush);
  painter.setPen(Qt::white);
  painter.drawText(box, Qt::AlignCenter, why);
}

}  // namespace arvesk
