#include "app/site/region_handles.h"

#include "app/site/pointer_math.h"

#include <QCoreApplication>
#include <QLineF>

#include <cmath>

namespace arvesk {
QString RegionHandles::hint() const {
  return QCoreApplication::translate(
      "Site", "region: drag the middle to move it, with Shift up and down · drag a side to size it");
}

const ParamSpec* RegionHandles::spec(SiteRole role) const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return nullptr;
  for (const ParamSpec& p : kind->params)
    if (p.siteRole == role) return &p;
  return nullptr;
}

std::optional<RegionHandles::Shape> RegionHandles::shape() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* center = spec(SiteRole::Center);
  if (!node || !center) return std::nullopt;
  const auto vector = [&](const ParamSpec* p, const Vec3& fallback) {
    if (!p) return fallback;
    const auto& n = std::get<std::vector<double>>(node->value(*p));
    return Vec3(static_cast<float>(n[0]), static_cast<float>(n[1]), static_cast<float>(n[2]));
  };
  const ParamSpec* heading = spec(SiteRole::Heading);
  const float headingDeg = heading ? static_cast<float>(std::get<double>(node->value(*heading))) : 0;
  Shape s{vector(center, Vec3(0)), vector(spec(SiteRole::Extent), Vec3(10)),
          headingTurn(headingDeg, vector(spec(SiteRole::Tilt), Vec3(0))), false, false};
  if (const ParamSpec* extent = spec(SiteRole::Extent)) {
    const NodeKind& kind = *kindOf(*node);
    s.hasExtent = isShown(kind, *extent, node->params);
    const ParamSpec* by = kind.findParam(extent->shownBy);
    s.isBall = by && node->value(*by) == ParamValue(std::string("ball"));
  }
  return s;
}

std::vector<Vec3> RegionHandles::handles() const {
  const auto s = shape();
  if (!s) return {};
  std::vector<Vec3> out{s->center};
  if (!s->hasExtent) return out;
  for (int axis = 0; axis < 3; ++axis)
    for (const float side : {1.0F, -1.0F}) {
      Vec3 own(0);
      own[axis] = side * s->extent[axis] / 2;
      out.push_back(s->center + s->turn * own);
    }
  return out;
}

int RegionHandles::handleAt(const QPointF& at, const SiteLens& lens) const {
  const std::vector<Vec3> all = handles();
  for (std::size_t i = 0; i < all.size(); ++i)
    if (const auto p = lens.project(all[i]); p && QLineF(*p, at).length() < 11) return static_cast<int>(i);
  return -1;
}

void RegionHandles::set(SiteRole role, const Vec3& value) {
  const ParamSpec* p = spec(role);
  if (!p) return;
  std::vector<double> numbers;
  for (int i = 0; i < 3; ++i)
    numbers.push_back(std::clamp(std::round(static_cast<double>(value[i]) * 100) / 100, p->hardMin, p->hardMax));
  m_model->setParam(m_uid, p->id, numbers, QStringLiteral("%1.handle.%2").arg(m_uid).arg(m_gesture));
}

bool RegionHandles::press(const SitePointer& pointer, const SiteLens& lens) {
  m_dragged = handleAt(pointer.at, lens);
  if (m_dragged < 0) return false;
  ++m_gesture;
  const auto s = shape();
  m_grabbed = Vec3(0);
  if (m_dragged == 0)
    if (const auto at = onPlane(pointer, s->center, kUp)) m_grabbed = *at - s->center;
  return true;
}

void RegionHandles::drag(const SitePointer& pointer, const SiteLens&) {
  const auto s = shape();
  if (!s || m_dragged < 0) return;
  if (m_dragged == 0) {
    if (pointer.modifiers & Qt::ShiftModifier) {
      set(SiteRole::Center, s->center + kUp * alongAxis(pointer, s->center, kUp));
    } else if (const auto at = onPlane(pointer, s->center, kUp)) {
      set(SiteRole::Center, *at - Vec3(m_grabbed.x, 0, m_grabbed.z));
    }
    return;
  }
  const int axis = (m_dragged - 1) / 2;
  Vec3 own(0);
  own[axis] = m_dragged % 2 == 1 ? 1.0F : -1.0F;
  Vec3 extent = s->extent;
  extent[axis] = std::max(0.02F, 2 * alongAxis(pointer, s->center, s->turn * own));
  set(SiteRole::Extent, extent);
}

void RegionHandles::release() { m_dragged = -1; }

void RegionHandles::hover(const SitePointer& pointer, const SiteLens& lens) { m_lit = handleAt(pointer.at, lens); }

void RegionHandles::paint(QPainter& painter, const SiteLens& lens) const {
  const auto s = shape();
  if (!s) return;
  const auto world = [&](const Vec3& own) { return s->center + s->turn * own; };
  const auto line = [&](const std::vector<Vec3>& own) {
    QPolygonF shown;
    for (const Vec3& o : own)
      if (const auto p = lens.project(world(o))) shown << *p;
    drawOutlined(painter, shown, Qt::white, 1.4);
  };
  const Vec3 half = s->extent * 0.5F;
  if (!s->hasExtent) {  // a piece of the plane
    const float reach = 0.12F * glm::distance(s->center, lens.camera.eye);
    line({{-reach, 0, -reach}, {reach, 0, -reach}, {reach, 0, reach}, {-reach, 0, reach}, {-reach, 0, -reach}});
  } else if (s->isBall) {
    for (int axis = 0; axis < 3; ++axis) {
      std::vector<Vec3> ring;
      for (int i = 0; i <= 64; ++i) {
        const float a = 2 * kPi * static_cast<float>(i) / 64;
        Vec3 p(0);
        p[(axis + 1) % 3] = std::cos(a);
        p[(axis + 2) % 3] = std::sin(a);
        ring.push_back(p * half);
      }
      line(ring);
    }
  } else {
    for (const float y : {-half.y, half.y})
      line({{-half.x, y, -half.z},
            {half.x, y, -half.z},
            {half.x, y, half.z},
            {-half.x, y, half.z},
            {-half.x, y, -half.z}});
    for (const float x : {-half.x, half.x})
      for (const float z : {-half.z, half.z}) line({{x, -half.y, z}, {x, half.y, z}});
  }
  const std::vector<Vec3> all = handles();
  for (std::size_t i = 0; i < all.size(); ++i)
    if (const auto p = lens.project(all[i])) {
      const bool isLit = static_cast<int>(i) == m_lit || static_cast<int>(i) == m_dragged;
      painter.setPen(QPen(QColor(0x1D, 0x5F, 0x7A), 2));
      painter.setBrush(isLit ? QColor(0x1D, 0x5F, 0x7A) : QColor(0xFC, 0xFB, 0xF8));
      if (i == 0)
        painter.drawRect(QRectF(p->x() - 6, p->y() - 6, 12, 12));
      else
        painter.drawEllipse(*p, 5.5, 5.5);
    }
}

}  // namespace arvesk
