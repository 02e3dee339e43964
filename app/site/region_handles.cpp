#include "app/site/region_handles.h"

#include "app/site/pointer_math.h"
#include "core/plan/dials.h"

#include <QCoreApplication>
#include <QLineF>

#include <cmath>

namespace arvesk {

namespace {

QString tr(const char* words) { return QCoreApplication::translate("Site", words); }

}  // namespace

QString RegionHandles::hint() const {
  QStringList all{tr("middle moves, with Shift up and down")};
  if (const auto s = shape()) {
    if (s->hasExtent) all << tr("a side sizes, with Alt both");
    if (s->headingDeg) all << tr("front turns, with Shift by 15°");
    if (s->size) all << tr("corner sizes");
  }
  return all.join(QStringLiteral(" · "));
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
  const Node* saved = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* center = spec(SiteRole::Center);
  if (!saved || !center) return std::nullopt;
  Node now = *saved;  // what moves or follows something is taken where it is
  now.params = paramsNow(m_model->plan(), *saved, Quality::Final);
  const Node* node = &now;
  const auto vector = [&](const ParamSpec* p, const Vec3& fallback) {
    if (!p) return fallback;
    const auto& n = std::get<std::vector<double>>(node->value(*p));
    return Vec3(static_cast<float>(n[0]), static_cast<float>(n[1]), static_cast<float>(n[2]));
  };
  const auto number = [&](SiteRole role) -> std::optional<float> {
    const ParamSpec* p = spec(role);
    return p ? std::optional<float>(static_cast<float>(std::get<double>(node->value(*p)))) : std::nullopt;
  };
  const std::optional<float> heading = number(SiteRole::Heading);
  Shape s{vector(center, Vec3(0)),
          vector(spec(SiteRole::Extent), Vec3(10)),
          headingTurn(heading.value_or(0), vector(spec(SiteRole::Tilt), Vec3(0))),
          false,
          false,
          heading,
          number(SiteRole::Size),
          number(SiteRole::Softness).value_or(0)};
  if (const ParamSpec* extent = spec(SiteRole::Extent)) {
    const NodeKind& kind = *kindOf(*node);
    s.hasExtent = isShown(kind, *extent, node->params);
    const ParamSpec* by = kind.findParam(extent->shownBy);
    s.isBall = by && node->value(*by) == ParamValue(std::string("ball"));
  }
  return s;
}

/// How far from the middle the front and the size are taken: outside of the body, or as far as can be seen well.
float RegionHandles::reachOf(const Shape& s, const SiteLens& lens) const {
  const float seen = 0.12F * glm::distance(s.center, lens.camera.eye);
  return s.hasExtent ? std::max(0.62F * std::max(s.extent.x, s.extent.z), 0.5F * seen) : seen;
}

std::vector<RegionHandles::Handle> RegionHandles::handles(const SiteLens& lens) const {
  const auto s = shape();
  if (!s) return {};
  std::vector<Handle> out{{Handle::Does::Move, s->center}};
  if (s->hasExtent)
    for (int axis = 0; axis < 3; ++axis)
      for (const float side : {1.0F, -1.0F}) {
        Vec3 own(0);
        own[axis] = side * s->extent[axis] / 2;
        out.push_back({Handle::Does::Side, s->center + s->turn * own, axis, side});
      }
  const float reach = reachOf(*s, lens);
  const float heading = radians(s->headingDeg.value_or(0));
  if (s->headingDeg) out.push_back({Handle::Does::Turn, s->center + reach * headingVector(heading)});
  if (s->size) out.push_back({Handle::Does::Size, s->center + reach * headingVector(heading + 0.75F * kPi)});
  return out;
}

int RegionHandles::handleAt(const QPointF& at, const SiteLens& lens) const {
  const std::vector<Handle> all = handles(lens);
  for (std::size_t i = 0; i < all.size(); ++i)
    if (const auto p = lens.project(all[i].place); p && QLineF(*p, at).length() < 11) return static_cast<int>(i);
  return -1;
}

void RegionHandles::add(Values& to, SiteRole role, const Vec3& value) const {
  const ParamSpec* p = spec(role);
  if (!p) return;
  std::vector<double> numbers;
  for (int i = 0; i < 3; ++i)
    numbers.push_back(std::clamp(std::round(static_cast<double>(value[i]) * 100) / 100, p->hardMin, p->hardMax));
  to.push_back({p->id, numbers});
}

void RegionHandles::set(const Values& values) {
  m_model->setParams(m_uid, values, QStringLiteral("%1.handle.%2").arg(m_uid).arg(m_gesture));
}

bool RegionHandles::press(const SitePointer& pointer, const SiteLens& lens) {
  m_dragged = handleAt(pointer.at, lens);
  if (m_dragged < 0) return false;
  ++m_gesture;
  m_before = shape();
  m_grabbed = Vec3(0);
  if (const auto at = onPlane(pointer, m_before->center, kUp)) m_grabbed = *at - m_before->center;
  return true;
}

void RegionHandles::drag(const SitePointer& pointer, const SiteLens& lens) {
  const auto s = shape();
  const std::vector<Handle> all = handles(lens);
  if (!s || !m_before || m_dragged < 0 || m_dragged >= static_cast<int>(all.size())) return;
  const Handle& handle = all[static_cast<std::size_t>(m_dragged)];
  const auto onFloor = onPlane(pointer, s->center, kUp);
  Values values;
  switch (handle.does) {
    case Handle::Does::Move:
      if (pointer.modifiers & Qt::ShiftModifier)
        add(values, SiteRole::Center, s->center + kUp * alongAxis(pointer, s->center, kUp));
      else if (onFloor)
        add(values, SiteRole::Center, *onFloor - Vec3(m_grabbed.x, 0, m_grabbed.z));
      break;
    case Handle::Does::Side: {
      // The other side stays where it was; with Alt it goes as far the other way.
      Vec3 own(0);
      own[handle.axis] = handle.side;
      const Vec3 way = m_before->turn * own;
      const float half = 0.5F * m_before->extent[handle.axis];
      const float out = alongAxis(pointer, m_before->center, way);
      const bool isBoth = pointer.modifiers & Qt::AltModifier;
      Vec3 extent = m_before->extent;
      extent[handle.axis] = std::max(0.02F, isBoth ? 2 * out : out + half);
      add(values, SiteRole::Extent, extent);
      add(values, SiteRole::Center,
          isBoth ? m_before->center : m_before->center + way * (0.5F * extent[handle.axis] - half));
      break;
    }
    case Handle::Does::Turn:
      if (onFloor && glm::distance(*onFloor, s->center) > 1e-4F) {
        const Vec3 way = *onFloor - s->center;
        const double step = pointer.modifiers & Qt::ShiftModifier ? 15 : 0.5;
        double heading = std::round(static_cast<double>(degrees(std::atan2(way.x, -way.z))) / step) * step;
        // On from where it is: 350° and 20° more are 370°, not 10°.
        heading += 360 * std::round((static_cast<double>(*s->headingDeg) - heading) / 360);
        if (const ParamSpec* p = spec(SiteRole::Heading))
          values.push_back({p->id, std::clamp(heading, p->hardMin, p->hardMax)});
      }
      break;
    case Handle::Does::Size:
      if (const ParamSpec* p = spec(SiteRole::Size); p && onFloor && glm::length(m_grabbed) > 1e-4F) {
        const double factor = static_cast<double>(glm::distance(*onFloor, s->center) / glm::length(m_grabbed));
        const double size = std::round(static_cast<double>(*m_before->size) * factor * 1000) / 1000;
        values.push_back({p->id, std::clamp(size, p->hardMin, p->hardMax)});
      }
      break;
  }
  set(values);
}

void RegionHandles::release() { m_dragged = -1; }

void RegionHandles::hover(const SitePointer& pointer, const SiteLens& lens) { m_lit = handleAt(pointer.at, lens); }

/// The outline of the body, `half` of its extent wide.
void RegionHandles::paintShape(QPainter& painter, const SiteLens& lens, const Shape& s, const Vec3& half,
                               const QColor& color, double width) const {
  const auto line = [&](const std::vector<Vec3>& own) {
    std::vector<Vec3> shown;
    for (const Vec3& o : own) shown.push_back(s.center + s.turn * o);
    drawInWorld(painter, lens, shown, color, width);
  };
  if (!s.hasExtent) {  // a piece of the plane
    const float reach = reachOf(s, lens);
    line({{-reach, half.y, -reach},
          {reach, half.y, -reach},
          {reach, half.y, reach},
          {-reach, half.y, reach},
          {-reach, half.y, -reach}});
  } else if (s.isBall) {
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
}

void RegionHandles::paint(QPainter& painter, const SiteLens& lens) const {
  const auto s = shape();
  if (!s) return;
  const Vec3 half = s->hasExtent ? s->extent * 0.5F : Vec3(0);
  paintShape(painter, lens, *s, half, Qt::white, 1.4);
  // Where it is whole: so far inside the skin it fades.
  const Vec3 whole = half - s->softness;
  if (s->softness > 0 && (!s->hasExtent || std::min({whole.x, whole.y, whole.z}) > 0))
    paintShape(painter, lens, *s, s->hasExtent ? whole : Vec3(0, -s->softness, 0), QColor(255, 255, 255, 110), 1);
  const std::vector<Handle> all = handles(lens);
  if (s->headingDeg || s->size) {
    std::vector<Vec3> ring;
    const float reach = reachOf(*s, lens);
    for (int i = 0; i <= 64; ++i) {
      const float a = 2 * kPi * static_cast<float>(i) / 64;
      ring.push_back(s->center + reach * Vec3(std::cos(a), 0, std::sin(a)));
    }
    drawInWorld(painter, lens, ring, QColor(255, 255, 255, 190), 1);
  }
  for (std::size_t i = 0; i < all.size(); ++i)
    if (const auto p = lens.project(all[i].place)) {
      const bool isLit = static_cast<int>(i) == m_lit || static_cast<int>(i) == m_dragged;
      const int alpha = isLit || !lens.isHidden(all[i].place) ? 255 : 110;
      const HandleShape shape = all[i].does == Handle::Does::Move   ? HandleShape::Square
                                : all[i].does == Handle::Does::Side ? HandleShape::Round
                                : all[i].does == Handle::Does::Turn ? HandleShape::Arrow
                                                                    : HandleShape::Corner;
      drawHandle(painter, shape, *p, lens.project(s->center), isLit, alpha);
    }
}

}  // namespace arvesk
