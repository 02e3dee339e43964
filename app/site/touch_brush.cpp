#include "app/site/touch_brush.h"

#include <cmath>

namespace arvesk {
namespace {

using nodes::TouchBrushJob;

/// The picture is asked for again no more often than this while a stroke goes on.
constexpr qint64 kPostMs = 120;

TouchStroke::Job jobOf(TouchBrushJob job) {
  return job == TouchBrushJob::Remove ? TouchStroke::Job::Remove
         : job == TouchBrushJob::Keep ? TouchStroke::Job::Keep
                                      : TouchStroke::Job::Adjust;
}

}  // namespace

nodes::TouchUpsParams TouchBrush::settings() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  return node ? nodes::touchUpsParams(*node) : nodes::TouchUpsParams();
}

bool TouchBrush::isBrush() const { return settings().job != TouchBrushJob::Off; }

QString TouchBrush::hint() const {
  switch (settings().job) {
    case TouchBrushJob::Off: return {};
    case TouchBrushJob::Adjust: return tr("left drag adjusts · Shift+wheel size");
    case TouchBrushJob::Remove: return tr("left drag takes away · Shift+wheel size");
    case TouchBrushJob::Keep: return tr("left drag keeps what the rules made · Shift+wheel size");
  }
  return {};
}

void TouchBrush::showResults(const EvalViewPtr& view) {
  if (view->isGrowing) return;
  m_view = view;
  if (m_isDown)
    m_isBehind = true;
  else
    prepare();
}

void TouchBrush::prepare() {
  m_isBehind = false;
  if (!m_view) return;
  m_preparing.ask([this, view = m_view, uid = m_uid.toStdString()](const Task&) -> Worker::Answer {
    const Node* node = view->plan->find(uid);
    auto scene = node ? TouchScene::of(view->opened(), view->evaluation, *node) : nullptr;
    TouchUps shown = node ? nodes::touchUpsParams(*node).touches : TouchUps();
    return [this, scene, shown] {
      m_scene = scene;
      m_shown = shown;
      if (isCurrent() && !m_waiting.empty()) {
        begin();
        for (const BrushDab& d : m_waiting) m_stroke->add(d);
        m_waiting.clear();
        post();
        if (!m_isDown) m_stroke.reset();
      }
      tellChanged();
    };
  });
}

void TouchBrush::follow(const SitePointer& pointer) {
  m_cursor.reset();
  if (!pointer.isIn || !isBrush() || !pointer.ground) return;
  m_cursor = pointer.ground;
  m_normal = pointer.groundNormal;
}

void TouchBrush::begin() {
  const nodes::TouchUpsParams now = settings();
  BrushAdjust how;
  how.effect = now.effect;
  how.size = now.sizeLimits;
  m_stroke.emplace(m_scene, jobOf(now.job), how, now.job == TouchBrushJob::Adjust ? BrushMeets::All : now.meets);
  m_before = now.touches;
}

void TouchBrush::dab(const Vec3& place, const SitePointer& pointer) {
  const nodes::TouchUpsParams now = settings();
  const BrushDab d{place, m_normal, {}, now.radius, now.strength / 100 * pointer.pressure};
  m_last = place;
  if (m_stroke)
    m_stroke->add(d);
  else
    m_waiting.push_back(d);
}

bool TouchBrush::press(const SitePointer& pointer, const SiteLens&) {
  follow(pointer);
  if (!m_cursor) return false;
  ++m_number;
  m_isDown = true;
  m_stroke.reset();
  if (isCurrent() && m_waiting.empty()) begin();  // else its dabs wait
  dab(*m_cursor, pointer);
  post();
  return true;
}

void TouchBrush::drag(const SitePointer& pointer, const SiteLens&) {
  follow(pointer);
  if (!m_isDown || !m_cursor || !m_last) return;
  const std::vector<Vec3> places = dabsBetween(*m_last, *m_cursor, settings().radius);
  for (const Vec3& place : places) dab(place, pointer);
  if (!places.empty() && m_posted.elapsed() > kPostMs) post();
}

void TouchBrush::release() {
  if (!m_isDown) return;
  m_isDown = false;
  m_last.reset();
  post();
  m_stroke.reset();
  if (m_isBehind) prepare();
}

void TouchBrush::post() {
  m_posted.restart();
  if (!m_stroke) return;
  const TouchUps now = m_stroke->touches(m_before);
  if (!(now == settings().touches))
    m_model->setParam(m_uid, "touches", now, QStringLiteral("%1.stroke.%2").arg(m_uid).arg(m_number));
}

void TouchBrush::hover(const SitePointer& pointer, const SiteLens&) { follow(pointer); }

bool TouchBrush::wheel(double steps) {
  if (!isBrush()) return false;
  const double radius = std::clamp(static_cast<double>(settings().radius) * std::pow(1.12, steps), 0.01, 1e4);
  m_model->setParam(m_uid, "brush_radius", std::round(radius * 1000) / 1000, QStringLiteral("%1.wheel").arg(m_uid));
  return true;
}

void TouchBrush::paint(QPainter& painter, const SiteLens& lens) const {
  if (!m_cursor || !isBrush()) return;
  drawInWorld(painter, lens, lens.ringOnGround(*m_cursor, m_normal, settings().radius), Qt::white, 2);
  if (!m_stroke) return;
  painter.setPen(Qt::NoPen);
  painter.setBrush(Qt::white);
  for (const Vec3& place : m_stroke->places())
    if (const auto at = lens.project(place)) painter.drawEllipse(*at, 2.2, 2.2);
}

}  // namespace arvesk
