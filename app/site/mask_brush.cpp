#include "app/site/mask_brush.h"

#include <QCoreApplication>

#include <cmath>

namespace arvesk {
namespace {

const NodeKind* brushedKind(const PlanModel& model, const QString& uid, const Node** node) {
  *node = model.plan().find(uid.toStdString());
  return *node ? kindOf(**node) : nullptr;
}

}  // namespace

QString MaskBrush::hint() const {
  return QCoreApplication::translate("Site", "mask brush: left drag paints · Ctrl takes away · Shift+wheel size");
}

const ParamSpec* MaskBrush::spec(SiteRole role) const {
  const Node* node = nullptr;
  if (const NodeKind* kind = brushedKind(*m_model, m_uid, &node))
    for (const ParamSpec& p : kind->params)
      if (p.siteRole == role) return &p;
  return nullptr;
}

double MaskBrush::number(SiteRole role, double fallback) const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* p = node ? spec(role) : nullptr;
  return p ? std::get<double>(node->value(*p)) : fallback;
}

bool MaskBrush::isSet(SiteRole role, const char* option) const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* p = node ? spec(role) : nullptr;
  return p && std::get<std::string>(node->value(*p)) == option;
}

void MaskBrush::follow(const SitePointer& pointer) {
  m_isOnThings = isSet(SiteRole::BrushOn, "things");
  m_cursor = m_isOnThings ? pointer.thing : pointer.ground;
  m_normal = m_isOnThings ? pointer.thingNormal : pointer.groundNormal;
}

std::vector<Vec3> MaskBrush::ringOf(const Vec3& place, float radius, const SiteLens& lens) const {
  return m_isOnThings ? lens.ringAt(place, m_normal, radius) : lens.ringOnGround(place, m_normal, radius);
}

void MaskBrush::dab(const Vec3& place, const SitePointer& pointer, const SiteLens& lens) {
  const Node* node = nullptr;
  const NodeKind* kind = brushedKind(*m_model, m_uid, &node);
  if (!kind) return;
  Dab d;
  d.place = place;
  d.radius = static_cast<float>(number(SiteRole::BrushRadius, 1));
  d.strength = static_cast<float>(number(SiteRole::BrushStrength, 100) / 100) * pointer.pressure *
               (pointer.modifiers & Qt::ControlModifier ? -1.0F : 1.0F);
  d.softness = static_cast<float>(number(SiteRole::BrushSoftness, 50) / 100);
  if (isSet(SiteRole::BrushSides, "one")) d.side = m_normal;
  m_stroke.push_back(d);
  m_rings.push_back(ringOf(place, d.radius, lens));
  m_last = place;
}

bool MaskBrush::press(const SitePointer& pointer, const SiteLens& lens) {
  follow(pointer);
  if (!m_cursor) return false;
  m_stroke.clear();
  m_rings.clear();
  dab(*m_cursor, pointer, lens);
  return true;
}

void MaskBrush::drag(const SitePointer& pointer, const SiteLens& lens) {
  follow(pointer);
  if (!m_cursor || !m_last) return;
  const auto radius = static_cast<float>(number(SiteRole::BrushRadius, 1));
  for (const Vec3& place : dabsBetween(*m_last, *m_cursor, radius)) dab(place, pointer, lens);
}

void MaskBrush::release() {
  const Node* node = nullptr;
  const NodeKind* kind = brushedKind(*m_model, m_uid, &node);
  m_last.reset();
  if (!kind || m_stroke.empty()) return;
  for (const ParamSpec& p : kind->params) {
    if (p.type != ParamType::Strokes) continue;
    std::vector<double> numbers = std::get<std::vector<double>>(node->value(p));
    const std::vector<double> added = numbersOf({m_stroke});
    numbers.insert(numbers.end(), added.begin(), added.end());
    m_model->setParam(m_uid, p.id, numbers, {});
    break;
  }
  m_stroke.clear();
  m_rings.clear();
}

void MaskBrush::hover(const SitePointer& pointer, const SiteLens&) { follow(pointer); }

bool MaskBrush::wheel(double steps) {
  const ParamSpec* p = spec(SiteRole::BrushRadius);
  if (!p) return false;
  const double radius = std::clamp(number(SiteRole::BrushRadius, 1) * std::pow(1.12, steps), p->hardMin, p->hardMax);
  m_model->setParam(m_uid, p->id, std::round(radius * 1000) / 1000, QStringLiteral("%1.wheel").arg(m_uid));
  return true;
}

void MaskBrush::paint(QPainter& painter, const SiteLens& lens) const {
  painter.setPen(Qt::NoPen);
  for (std::size_t i = 0; i < m_stroke.size(); ++i) {
    QPolygonF covered;
    for (const Vec3& place : m_rings[i])
      if (const auto p = lens.project(place)) covered << *p;
    painter.setBrush(m_stroke[i].strength < 0 ? QColor(0x22, 0x30, 0x2F, 40) : QColor(0xFC, 0xFB, 0xF8, 40));
    painter.drawPolygon(covered);
  }
  if (!m_cursor) return;
  const float radius = static_cast<float>(number(SiteRole::BrushRadius, 1));
  const float hard = radius * (1 - static_cast<float>(number(SiteRole::BrushSoftness, 50) / 100));
  drawInWorld(painter, lens, ringOf(*m_cursor, radius, lens), Qt::white, 2);
  if (hard > 0.02F * radius) drawInWorld(painter, lens, ringOf(*m_cursor, hard, lens), QColor(255, 255, 255, 170), 1);
}

}  // namespace arvesk
