#include "app/site/touch_handles.h"

#include "app/site/pointer_math.h"

#include <QCoreApplication>
#include <QLineF>

#include <cmath>

namespace arvesk {
namespace {

QString tr(const char* words) { return QCoreApplication::translate("Site", words); }

}  // namespace

QString TouchHandles::hint() const {
  return tr("handles and arrow keys move them, with Shift up and down or in larger steps · Esc");
}

/// Outside of what is selected, or as far as can be seen well.
float TouchHandles::reachOf(const SiteLens& lens) const {
  const float seen = glm::distance(m_session->middle(), lens.camera.eye);
  return std::clamp(m_session->extent() * 1.15F, 0.09F * seen, 0.3F * seen);
}

Vec3 TouchHandles::placeOf(Handle handle, const SiteLens& lens) const {
  const bool isDragged = m_dragged != Handle::None;
  const Vec3 middle = m_session->middle();
  const float reach = isDragged ? m_reach : reachOf(lens);
  const float heading = isDragged ? m_delta.headingDeg : 0;
  const float size = isDragged ? m_delta.size : 1;
  // Toward the one who looks, so that they lie on the near side of what is selected.
  const Vec3 way(lens.camera.eye.x - middle.x, 0, lens.camera.eye.z - middle.z);
  const float toEye = degrees(headingOf(directionOr(way, Vec3(0, 0, 1))));
  switch (handle) {
    case Handle::Turn: return middle + reach * headingVector(radians(toEye - 40 + heading));
    case Handle::Size: return middle + reach * size * headingVector(radians(toEye + 40));
    default: return middle;
  }
}

TouchHandles::Handle TouchHandles::handleAt(const QPointF& at, const SiteLens& lens) const {
  if (!m_session->hasHandles()) return Handle::None;
  for (const Handle handle : {Handle::Turn, Handle::Size, Handle::Move})
    if (const auto p = lens.project(placeOf(handle, lens)); p && QLineF(*p, at).length() < 11) return handle;
  return Handle::None;
}

bool TouchHandles::press(const SitePointer& pointer, const SiteLens& lens) {
  const Handle handle = handleAt(pointer.at, lens);
  if (handle == Handle::None) return false;
  m_middle = m_session->middle();
  m_reach = reachOf(lens);
  m_delta = {};
  m_delta.isEach = m_isEach;
  m_delta.isFree = m_isFree;
  const auto level = onPlane(pointer, m_middle, kUp);
  const auto at = handle == Handle::Move && !m_isFree && pointer.ground ? pointer.ground : level;
  if (!at) return false;
  m_grabbed = *at - m_middle;
  m_dragged = handle;
  m_session->begin();
  return true;
}

void TouchHandles::drag(const SitePointer& pointer, const SiteLens&) {
  if (m_dragged == Handle::None) return;
  const bool isShift = pointer.modifiers & Qt::ShiftModifier;
  const auto rounded = [](float v, float step) { return std::round(v / step) * step; };
  const auto level = onPlane(pointer, m_middle, kUp);
  switch (m_dragged) {
    case Handle::Move:
      if (isShift) {
        m_delta.lift = rounded(alongAxis(pointer, m_middle + m_delta.move, kUp), 1e-3F);
      } else if (const auto at = m_isFree ? level : pointer.ground ? pointer.ground : level) {
        const Vec3 by = *at - m_middle - m_grabbed;
        m_delta.move = {rounded(by.x, 1e-3F), m_isFree ? 0 : rounded(by.y, 1e-3F), rounded(by.z, 1e-3F)};
      }
      break;
    case Handle::Turn:
      if (level && glm::distance(*level, m_middle) > 1e-4F) {
        const float now = degrees(headingOf(*level - m_middle)) - degrees(headingOf(m_grabbed));
        float heading = rounded(now, isShift ? 15.0F : 0.5F);
        // On from where it is: 350° and 20° more are 370°, not 10°.
        heading += 360 * std::round((m_delta.headingDeg - heading) / 360);
        m_delta.headingDeg = heading;
      }
      break;
    case Handle::Size:
      if (level && glm::length(m_grabbed) > 1e-4F)
        m_delta.size = std::clamp(rounded(glm::distance(*level, m_middle) / glm::length(m_grabbed), 1e-3F), 0.01F,
                                  100.0F);
      break;
    case Handle::None: break;
  }
  m_session->set(m_delta);
}

void TouchHandles::release() {
  if (m_dragged == Handle::None) return;
  m_dragged = Handle::None;
  m_session->end();
}

void TouchHandles::hover(const SitePointer& pointer, const SiteLens& lens) {
  m_lit = pointer.isIn ? handleAt(pointer.at, lens) : Handle::None;
}

void TouchHandles::paint(QPainter& painter, const SiteLens& lens) const {
  if (!m_session->hasHandles()) return;
  const Vec3 middle = m_session->middle();
  const float reach = m_dragged == Handle::None ? reachOf(lens) : m_reach;
  std::vector<Vec3> ring;
  for (int i = 0; i <= 64; ++i) ring.push_back(middle + reach * headingVector(2 * kPi * static_cast<float>(i) / 64));
  drawInWorld(painter, lens, ring, QColor(255, 255, 255, 190), 1);
  if (m_delta.lift != 0 && m_dragged == Handle::Move)
    drawInWorld(painter, lens, {middle - kUp * m_delta.lift, middle}, QColor(255, 255, 255, 190), 1);
  for (const Handle handle : {Handle::Move, Handle::Turn, Handle::Size}) {
    const auto p = lens.project(placeOf(handle, lens));
    if (!p) continue;
    const bool isLit = handle == m_lit || handle == m_dragged;
    const HandleShape shape = handle == Handle::Move   ? HandleShape::Square
                              : handle == Handle::Turn ? HandleShape::Arrow
                                                       : HandleShape::Corner;
    drawHandle(painter, shape, *p, lens.project(middle), isLit);
  }
}

}  // namespace arvesk
