#include "app/site/cut_handles.h"

#include "app/site/pointer_math.h"

#include <QLineF>

namespace arvesk {

void CutHandles::open(const Box3& box, const Camera& camera) {
  const Vec3 middle = box.center();
  const Vec3 toEye = camera.eye - middle;
  const int axis = std::abs(toEye.x) > std::abs(toEye.z) ? 0 : 2;
  Cut cut;
  cut.at = middle;
  cut.normal = Vec3(0);
  cut.normal[axis] = toEye[axis] < 0 ? -1.0F : 1.0F;
  const Vec3 extent = box.extent();
  m_size = std::max(0.5F * std::max({extent.x, extent.y, extent.z}), 1e-3F);
  m_cut = cut;
}

void CutHandles::align(int axis) {
  if (!m_cut) return;
  const float side = m_cut->normal[axis] < 0 ? -1.0F : 1.0F;
  m_cut->normal = Vec3(0);
  m_cut->normal[axis] = side;
}

void CutHandles::turnRound() {
  if (m_cut) m_cut->normal = -m_cut->normal;
}

CutHandles::Handle CutHandles::handleAt(const QPointF& at, const SiteLens& lens) const {
  if (!m_cut) return Handle::None;
  constexpr double kGrab = 12;
  for (const Handle handle : {Handle::Tip, Handle::Middle})
    if (const auto p = lens.project(handle == Handle::Tip ? tip() : middle()); p && QLineF(*p, at).length() < kGrab)
      return handle;
  return Handle::None;
}

bool CutHandles::press(const SitePointer& pointer, const SiteLens& lens) {
  m_dragged = handleAt(pointer.at, lens);
  return m_dragged != Handle::None;
}

void CutHandles::drag(const SitePointer& pointer, const SiteLens& lens) {
  if (!m_cut) return;
  if (m_dragged == Handle::Middle) {
    m_cut->at += m_cut->normal * alongAxis(pointer, m_cut->at, m_cut->normal);
    return;
  }
  // The tip goes on a ball around the middle: to where the pointer's ray meets it, or comes nearest to it.
  const Vec3 toMiddle = m_cut->at - pointer.eye;
  const float along = glm::dot(toMiddle, pointer.direction);
  const float squared = m_size * m_size - (glm::dot(toMiddle, toMiddle) - along * along);
  const Vec3 before = tip();
  const Vec3 near = pointer.eye + pointer.direction * (along - std::sqrt(std::max(squared, 0.0F)));
  const Vec3 far = pointer.eye + pointer.direction * (along + std::sqrt(std::max(squared, 0.0F)));
  const Vec3 to = glm::distance(near, before) <= glm::distance(far, before) ? near : far;
  Vec3 normal = -directionOr(to - m_cut->at, -m_cut->normal);
  if (pointer.modifiers & Qt::ShiftModifier) {  // to the nearest axis
    int axis = 0;
    for (int i = 1; i < 3; ++i)
      if (std::abs(normal[i]) > std::abs(normal[axis])) axis = i;
    const float side = normal[axis] < 0 ? -1.0F : 1.0F;
    normal = Vec3(0);
    normal[axis] = side;
  }
  m_cut->normal = normal;
  Q_UNUSED(lens)
}

bool CutHandles::hover(const SitePointer& pointer, const SiteLens& lens) {
  const Handle before = std::exchange(m_lit, handleAt(pointer.at, lens));
  return before != m_lit;
}

void CutHandles::paint(QPainter& painter, const SiteLens& lens) const {
  if (!m_cut) return;
  bool isParallel = false;
  const Quat turn = turnFacing(m_cut->normal, kUp, isParallel);
  QPolygonF frame;
  for (const Vec2 corner : {Vec2(-1, -1), Vec2(1, -1), Vec2(1, 1), Vec2(-1, 1), Vec2(-1, -1)})
    if (const auto p = lens.project(m_cut->at + turn * (1.1F * m_size * Vec3(corner.x, 0, corner.y)))) frame << *p;
  drawOutlined(painter, frame, QColor(0xE8, 0xA0, 0x4C), 1.4);
  const auto at = lens.project(middle());
  const auto end = lens.project(tip());
  if (at && end) drawOutlined(painter, QPolygonF{*at, *end}, QColor(0xE8, 0xA0, 0x4C), 1.4);
  const auto handle = [&](const std::optional<QPointF>& place, Handle which) {
    if (!place) return;
    const bool isLit = which == m_lit || which == m_dragged;
    painter.setPen(QPen(QColor(0x8A, 0x4A, 0x10), 2));
    painter.setBrush(isLit ? QColor(0xE8, 0xA0, 0x4C) : QColor(0xFC, 0xFB, 0xF8));
    if (which == Handle::Middle)
      painter.drawRect(QRectF(place->x() - 6, place->y() - 6, 12, 12));
    else
      painter.drawEllipse(*place, 5.5, 5.5);
  };
  handle(end, Handle::Tip);
  handle(at, Handle::Middle);
}

}  // namespace arvesk
