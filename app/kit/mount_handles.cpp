#include "app/kit/mount_handles.h"

#include "app/window/theme.h"

#include <QLineF>
#include <QPainter>

#include <cmath>

namespace arvesk {
namespace {

float rounded(float v, float step) { return std::round(v / step) * step; }

/// As `turnOf` puts them together, in tenths of a degree.
Vec3 degreesOf(const Quat& turn) {
  const Vec3 angles = glm::degrees(glm::eulerAngles(turn));
  return {rounded(angles.x, 0.1F), rounded(angles.y, 0.1F), rounded(angles.z, 0.1F)};
}

}  // namespace

void MountHandles::take(const MountEntry& mount, float reach) {
  if (isDragging()) return;
  m_now = mount;
  m_reach = reach;
  m_isTaken = true;
}

Vec3 MountHandles::placeOf(Handle handle) const {
  const Quat turn = turnOf(m_now.turnDeg);
  const float ring = 0.65F * m_reach * static_cast<float>(m_now.size);
  switch (handle) {
    case Handle::Lean: return m_now.position + turn * (kUp * (m_reach * static_cast<float>(m_now.size)));
    case Handle::Turn: return m_now.position + turn * Vec3(0, 0, ring);
    case Handle::Size: return m_now.position + turn * Vec3(ring, 0, 0);
    default: return m_now.position;
  }
}

MountHandles::Handle MountHandles::at(const QPointF& pixel, const Project& project) const {
  if (!m_isTaken) return Handle::None;
  for (const Handle handle : {Handle::Lean, Handle::Turn, Handle::Size, Handle::Move})
    if (QLineF(project(placeOf(handle)), pixel).length() < 9) return handle;
  return Handle::None;
}

/// Where the ray meets the plane of the ring.
std::optional<Vec3> MountHandles::across(const Pointer& pointer) const {
  const Vec3 axis = turnOf(m_before.turnDeg) * kUp;
  const float along = glm::dot(pointer.direction, axis);
  if (std::abs(along) < 0.02F) return std::nullopt;
  const float t = glm::dot(m_before.position - pointer.eye, axis) / along;
  if (t <= 0) return std::nullopt;
  return pointer.eye + pointer.direction * t - m_before.position;
}

void MountHandles::press(Handle handle, const Pointer& pointer) {
  m_dragged = handle;
  m_before = m_now;
  m_grabbed = across(pointer).value_or(placeOf(handle) - m_now.position);
}

void MountHandles::drag(const Pointer& pointer) {
  const Vec3 toPlace = m_before.position - pointer.eye;
  switch (m_dragged) {
    case Handle::None: break;
    case Handle::Move: {
      // Beside the mesh it goes along with the pointer, as far away as it was.
      const Vec3 to = pointer.onMesh.value_or(pointer.eye + pointer.direction * glm::dot(toPlace, pointer.direction));
      m_now.position = {rounded(to.x, 1e-4F), rounded(to.y, 1e-4F), rounded(to.z, 1e-4F)};
      break;
    }
    case Handle::Lean: {
      // Its tip goes over a ball about it, to the side that is seen; outside of that to its rim.
      const float r = m_reach * static_cast<float>(m_before.size);
      const float near = glm::dot(toPlace, pointer.direction);
      const Vec3 nearest = pointer.eye + pointer.direction * near - m_before.position;
      const float left = r * r - glm::dot(nearest, nearest);
      const Vec3 way = left > 0 ? nearest - pointer.direction * std::sqrt(left) : nearest;
      const Quat before = turnOf(m_before.turnDeg);
      m_now.turnDeg = degreesOf(shortestTurn(before * kUp, directionOr(way, before * kUp)) * before);
      break;
    }
    case Handle::Turn:
      if (const auto to = across(pointer)) {
        const Quat before = turnOf(m_before.turnDeg);
        const Vec3 axis = before * kUp;
        const float angle = std::atan2(glm::dot(glm::cross(m_grabbed, *to), axis), glm::dot(m_grabbed, *to));
        m_now.turnDeg = degreesOf(glm::angleAxis(angle, axis) * before);
      }
      break;
    case Handle::Size:
      if (const auto to = across(pointer); to && glm::length(m_grabbed) > 1e-6F) {
        const double size = m_before.size * static_cast<double>(glm::length(*to) / glm::length(m_grabbed));
        m_now.size = std::clamp(std::round(size * 1000) / 1000, 0.01, 100.0);
      }
      break;
  }
}

void MountHandles::paint(QPainter& p, const Project& project) const {
  if (!m_isTaken) return;
  const Theme& t = Theme::current();
  const Quat turn = turnOf(m_now.turnDeg);
  const float ring = 0.65F * m_reach * static_cast<float>(m_now.size);
  QPolygonF circle;
  constexpr int kSides = 40;
  for (int k = 0; k <= kSides; ++k) {
    const float a = 2 * kPi * static_cast<float>(k) / kSides;
    circle << project(m_now.position + turn * (ring * Vec3(std::cos(a), 0, std::sin(a))));
  }
  p.setBrush(Qt::NoBrush);
  for (const auto& [color, width] : {std::pair(t.card, 3.4), std::pair(t.accent, 1.5)}) {
    p.setPen(QPen(color, width));
    p.drawPolyline(circle);
    p.drawLine(project(m_now.position), project(placeOf(Handle::Lean)));
  }
  p.setBrush(t.card);
  p.setPen(QPen(t.accent, 1.6));
  const QPointF move = project(m_now.position);
  p.drawRect(QRectF(move - QPointF(4.5, 4.5), QSizeF(9, 9)));
  p.drawEllipse(project(placeOf(Handle::Lean)), 5, 5);
  const QPointF front = project(placeOf(Handle::Turn));
  p.drawPolygon(QPolygonF{front + QPointF(-5, 4), front + QPointF(5, 4), front + QPointF(0, -5)});
  const QPointF side = project(placeOf(Handle::Size));
  p.drawPolygon(QPolygonF{side + QPointF(-6, 0), side + QPointF(0, -6), side + QPointF(6, 0), side + QPointF(0, 6)});
}

}  // namespace arvesk
