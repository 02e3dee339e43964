#include "app/site/hand_brush.h"

#include <QCoreApplication>
#include <QRandomGenerator>

#include <cmath>
#include <unordered_set>

namespace arvesk {
namespace {

using nodes::BrushJob;

/// The picture is asked for again no more often than this while a stroke goes on.
constexpr qint64 kPostMs = 120;
/// One by one with Alt: what is nearer than this is meant, m.
constexpr float kSnap = 0.6F;
/// One by one: the front follows a drag of more pixels than this.
constexpr double kDragPixels = 6;

HandPoints pointsOf(const Node& node) { return nodes::placedByHandParams(node).points; }

bool isSameBrush(const nodes::PlacedByHandParams& a, const nodes::PlacedByHandParams& b) {
  const nodes::BrushSettings& x = a;
  const nodes::BrushSettings& y = b;
  return x == y && a.footprint == b.footprint && a.reach == b.reach;
}

}  // namespace

HandBrush::HandBrush(PlanModel* model, QString uid, std::shared_ptr<FileService> files)
    : m_model(model), m_uid(std::move(uid)), m_files(std::move(files)) {
  readSettings();
}

QString HandBrush::hint() const {
  if (m_ready && !m_ready->note.isEmpty()) return m_ready->note;
  switch (m_settings.job) {
    case BrushJob::Add:
      return m_isFull ? tr("full: no more fit here") : tr("left drag adds · Ctrl takes away · Shift+wheel size");
    case BrushJob::Remove: return tr("left drag takes away · Shift+wheel size");
    case BrushJob::Adjust: return tr("left drag adjusts · Shift+wheel size");
    case BrushJob::Single: return tr("press sets · drag turns · wheel sizes · Shift+drag leans · Alt snaps");
  }
  return {};
}

void HandBrush::readSettings() {
  if (const Node* node = m_model->plan().find(m_uid.toStdString())) m_settings = nodes::placedByHandParams(*node);
}

void HandBrush::prepare() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  if (!m_view || !node || m_isDown) return;
  m_isAsked = true;
  m_preparing.ask([this, number = ++m_number, view = m_view, node = *node, on = m_on, files = m_files,
                   seed = QRandomGenerator::system()->generate64()](const Task& task) -> Worker::Answer {
    std::shared_ptr<Ready> ready = made(view, node, on, seed, nullptr, task);
    if (view->quality == Quality::Final || !ready) return [this, ready] { take(ready); };
    // At once with what is shown; then with all that a draft leaves out, which is worked out for the budget anyway.
    m_preparing.post([this, number, ready] {
      // Unless it was asked for anew since, with other settings. Dabs may wait for it.
      if (number == m_number && (!m_isDown || !m_isUsable)) take(ready);
    });
    EvalRequest request;
    request.task = {task.stop, {}};
    for (const PictureLayer& layer : view->shown)
      if (view->plan->find(layer.source)) request.wanted.push_back(layer.source);
    if (request.wanted.empty()) return {};
    const Evaluation whole = Evaluator(files).evaluate(*view->plan, request);
    if (task.isCancelled() || whole.isCancelled) return {};
    ready = made(view, node, on, hashOf(seed, 2), &whole, task);
    return [this, ready] {
      if (ready && !m_isDown) take(ready);
    };
  });
}

void HandBrush::take(const std::shared_ptr<Ready>& ready) {
  m_isAsked = false;
  m_ready = ready;
  m_overlaps = ready ? ready->overlaps : 0;
  if (ready && !m_isUsable && (!m_ones.empty() || m_setAt)) setWaiting();
  if (!m_waiting.empty()) m_isUsable = ready != nullptr;
  if (ready && !m_waiting.empty()) {
    // Those of one job; what another one does next has to know of it, and waits for that.
    m_now = ready->points;
    m_job = m_waiting.front().job;
    std::size_t done = 0;
    while (done < m_waiting.size() && m_waiting[done].job == m_job) {
      apply(m_waiting[done].dab, m_waiting[done].begins);
      ++done;
    }
    m_waiting.erase(m_waiting.begin(), m_waiting.begin() + static_cast<std::ptrdiff_t>(done));
    post(!m_isDown);
    if (!m_waiting.empty()) {
      m_isUsable = false;
      prepare();
    }
  }
  tellChanged();
}

bool HandBrush::isUsable() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const bool looksAtOthers = m_settings.job == BrushJob::Add || m_settings.job == BrushJob::Single;
  return m_ready && node && !(m_ready->isBehind && looksAtOthers) && isSameBrush(m_ready->settings, m_settings) &&
         pointsOf(*node) == m_ready->expected;
}

void HandBrush::showResults(const EvalViewPtr& view) {
  m_view = view;
  readSettings();
  // What the picture shows needs no outline any more.
  if (const Node* node = view->plan->find(m_uid.toStdString())) {
    std::unordered_set<std::uint64_t> there;
    pointsOf(*node).list.forEach([&](const HandPoint& p) { there.insert(p.key); });
    std::erase_if(m_fresh, [&](const Mark& m) { return there.contains(m.point.key) != m.isGone; });
    if (m_settings.job == BrushJob::Adjust) m_fresh.clear();
  }
  if (!m_isDown) prepare();
}

float HandBrush::radiusNow(const SitePointer& pointer) const {
  return m_settings.radius *
         (m_settings.job == BrushJob::Adjust ? 1 : std::max(0.1F, std::min(1.0F, pointer.pressure)));
}

void HandBrush::follow(const SitePointer& pointer) {
  readSettings();
  m_cursor.reset();
  m_ghost.reset();
  const bool isOnThings = m_settings.on == nodes::BrushLiesOn::Things;
  if (!pointer.isIn) return;
  if (!isOnThings && m_ready && m_ready->isBound) {
    const SurfaceHit hit = m_ready->ground.index->first(pointer.eye, pointer.direction,
                                                        std::numeric_limits<float>::infinity());
    if (hit.isHit()) {
      m_cursor = pointer.eye + pointer.direction * hit.distance;
      const Vec3 normal = m_ready->ground.surface->faceNormal(hit.face);
      m_normal = glm::dot(normal, pointer.direction) > 0 ? -normal : normal;
      choose(m_ready->ground.surface);
    }
  } else if (!isOnThings && pointer.ground) {
    m_cursor = pointer.ground;
    m_normal = pointer.groundNormal;
    noteGround(pointer);
  } else if (isOnThings && pointer.thing) {
    m_cursor = pointer.thing;
    m_normal = pointer.thingNormal;
    noteGround(pointer);
  }
  m_snap.reset();
  if (m_cursor && m_ready && !m_isDown && m_settings.job == BrushJob::Single && (pointer.modifiers & Qt::AltModifier))
    if ((m_snap = m_ready->snaps.near(*m_cursor, kSnap))) m_cursor = m_snap->place;
  if (!m_cursor || m_isDown) return;
  if (!isUsable()) {
    if (!m_isAsked) prepare();
    return;
  }
  if (m_settings.job != BrushJob::Add && m_settings.job != BrushJob::Single) return;
  const BrushDab d{*m_cursor, m_normal, m_along, radiusNow(pointer), 1};
  m_refusal = m_settings.job == BrushJob::Add ? m_ready->stroke->refusal(d) : BrushRefusal::None;
  m_ghost = m_ready->stroke->ghost(d, m_turn);
  if (m_settings.job != BrushJob::Single) return;
  m_ghost->first.size = Vec3(m_size);
  if (m_snap && m_snap->headingDeg) m_ghost->first.heading = *m_snap->headingDeg;
}

void HandBrush::noteGround(const SitePointer& pointer) {
  if (!m_view || !m_view->scene) return;
  SurfacePtr nearest;
  float distance = std::numeric_limits<float>::infinity();
  for (const SurfacePtr& ground : m_view->scene->input().grounds)
    if (const auto index = SurfaceIndex::of(*ground)) {  // the picture has made it already
      const SurfaceHit hit = (*index)->first(pointer.eye, pointer.direction, distance);
      if (!hit.isHit() || hit.distance >= distance) continue;
      distance = hit.distance;
      nearest = ground;
    }
  if (nearest) choose(nearest);
}

/// What stands around is asked for anew where the brush went farther than it reaches.
void HandBrush::choose(const SurfacePtr& ground) {
  const bool isOther = !m_on || m_on->surface != ground;
  const bool isFar = m_on && m_settings.takes == nodes::BrushTakes::Neighbors &&
                     glm::distance(m_on->place, *m_cursor) > m_settings.radius;
  if (!isOther && !isFar) return;
  m_on = std::make_shared<const GroundChoice>(GroundChoice{ground, *m_cursor});
  if (!m_isDown) prepare();
}

HandBrush::Mark HandBrush::markOf(const HandPoint& point, const HandPoints& among) {
  return {point, point.prop > 0 && point.prop <= among.props.size() ? among.props[point.prop - 1] : std::string(),
          false};
}

std::string HandBrush::kindOf(const HandPoint& point) const {
  if (point.prop > 0 && point.prop <= m_now.props.size()) return m_now.props[point.prop - 1];
  const auto it = m_ready->given.find(point.key);
  return it == m_ready->given.end() ? std::string() : it->second;
}

/// The first that a stroke meets says of what kind all are that it takes away, where it is to be of one kind.
bool HandBrush::takesAway(const HandPoint& point) const { return !m_kind || kindOf(point) == *m_kind; }

void HandBrush::apply(const BrushDab& d, bool begins) {
  if (begins) m_kind.reset();
  switch (m_job) {
    case BrushJob::Add: {
      for (const HandPoint& p : m_ready->stroke->add(d)) m_fresh.push_back(markOf(p, m_ready->stroke->points()));
      m_isFull = m_ready->stroke->isFull();
      m_now = m_ready->stroke->points();
      break;
    }
    case BrushJob::Remove: {
      std::vector<Mark> gone;
      m_now.list.forEach([&](const HandPoint& p) {
        if (glm::distance(p.place, d.place) <= d.radius) gone.push_back({p, {}, true});
      });
      // With Ctrl, while it adds, it takes all.
      const bool isOneKind = m_settings.job == BrushJob::Remove && m_settings.meets == BrushMeets::OneKind;
      if (isOneKind && !m_kind && !gone.empty())
        m_kind = kindOf(std::min_element(gone.begin(), gone.end(), [&](const Mark& a, const Mark& b) {
                          return glm::distance(a.point.place, d.place) < glm::distance(b.point.place, d.place);
                        })->point);
      std::erase_if(gone, [&](const Mark& m) { return !takesAway(m.point); });
      remove(m_now, d, [&](const HandPoint& p) { return takesAway(p); });
      m_fresh.insert(m_fresh.end(), gone.begin(), gone.end());
      break;
    }
    case BrushJob::Adjust: {
      BrushAdjust how;
      how.effect = m_settings.effect;
      how.size = m_settings.sizeLimits;
      how.gap = m_settings.gap;
      adjust(m_now, d, how, m_ready->ground, m_ready->radiusOf);
      m_fresh.clear();
      m_now.list.forEach([&](const HandPoint& p) {
        if (glm::distance(p.place, d.place) <= d.radius) m_fresh.push_back(markOf(p, m_now));
      });
      break;
    }
    case BrushJob::Single: break;
  }
}

void HandBrush::dab(const Vec3& place, const SitePointer& pointer) {
  const BrushDab d{place, m_normal, m_along, radiusNow(pointer), m_settings.strength / 100 * pointer.pressure};
  const bool begins = !m_last;
  m_last = place;
  if (m_ready && m_isUsable)
    apply(d, begins);
  else
    m_waiting.push_back({d, m_job, begins});
}

bool HandBrush::press(const SitePointer& pointer, const SiteLens&) {
  follow(pointer);
  if (!m_cursor) return false;
  m_isDown = false;
  const bool takesAway = m_settings.job == BrushJob::Add && (pointer.modifiers & Qt::ControlModifier);
  m_job = takesAway ? BrushJob::Remove : m_settings.job;
  if (!isUsable()) prepare();                    // with the settings as they are now, whatever is being made
  m_isUsable = m_waiting.empty() && isUsable();  // in their order
  m_isDown = true;
  m_isFull = false;
  ++m_stroke;
  m_along = Vec3(0);
  m_last.reset();
  if (m_isUsable) m_now = m_ready->points;
  if (m_settings.job == BrushJob::Single) {
    m_before = m_now;
    m_setAt = GroundPlace{*m_cursor, m_normal, kNoFace, Vec2(0)};
    m_pressedAt = pointer.at;
    m_headingDeg = m_ghost ? m_ghost->first.heading : 0;
    m_tilt = m_ghost ? m_ghost->first.tilt : Vec2(0);
    if (m_isUsable) setOne();
    return true;
  }
  dab(*m_cursor, pointer);
  post(false);
  return true;
}

void HandBrush::setOne() {
  const auto found = m_ready->ground.at(m_setAt->position, m_setAt->normal, 0.05F);
  m_now = m_before;
  const HandPoint p = m_ready->stroke->one(m_now, found ? *found : *m_setAt, m_headingDeg, m_size, m_tilt, m_turn);
  m_now.list.append(std::span(&p, 1));
  m_fresh = {markOf(p, m_now)};
}

void HandBrush::setWaiting() {
  m_isUsable = true;
  m_now = m_ready->points;
  for (const One& one : std::exchange(m_ones, {})) {
    const auto found = m_ready->ground.at(one.at.position, one.at.normal, 0.05F);
    const HandPoint p = m_ready->stroke->one(m_now, found ? *found : one.at, one.headingDeg, one.size, one.tilt,
                                             one.turn);
    m_now.list.append(std::span(&p, 1));
    m_fresh.push_back(markOf(p, m_now));
  }
  m_before = m_now;
  if (m_setAt) setOne();
  post(!m_isDown);
}

void HandBrush::drag(const SitePointer& pointer, const SiteLens&) {
  follow(pointer);
  if (m_settings.job == BrushJob::Single) {
    if (!m_setAt) return;
    const QPointF by = pointer.at - m_pressedAt;
    if (std::hypot(by.x(), by.y()) < kDragPixels) return;
    if (pointer.modifiers & Qt::ShiftModifier) {
      m_tilt.x = std::clamp(static_cast<float>(-by.y()) * 0.5F, -90.0F, 90.0F);
    } else if (m_cursor) {
      const Vec3 way = *m_cursor - m_setAt->position;
      if (glm::length(way) > 1e-4F) m_headingDeg = degrees(headingOf(way));
    }
    if (m_isUsable) setOne();
    return;
  }
  if (!m_cursor || !m_last) return;
  const std::vector<Vec3> places = dabsBetween(*m_last, *m_cursor, radiusNow(pointer));
  if (places.empty()) return;
  m_along = *m_cursor - *m_last;
  for (const Vec3& place : places) dab(place, pointer);
  if (m_posted.isValid() && m_posted.elapsed() > kPostMs) post(false);
}

void HandBrush::release() {
  m_isDown = false;
  m_last.reset();
  if (m_settings.job == BrushJob::Single) {
    if (m_setAt && m_isUsable)
      post(true);
    else if (m_setAt)
      m_ones.push_back({*m_setAt, m_headingDeg, m_tilt, m_size, m_turn});
    m_setAt.reset();
    ++m_turn;
    return;
  }
  if (m_waiting.empty())
    post(true);
  else if (!m_isAsked)
    prepare();
  if (m_settings.job == BrushJob::Adjust) m_fresh.clear();
}

void HandBrush::post(bool isLast) {
  if (!m_ready || !m_isUsable) return;
  m_posted.restart();
  const Node* node = m_model->plan().find(m_uid.toStdString());
  if (!node) return;
  m_ready->expected = m_now;
  m_ready->points = m_now;
  if (!(pointsOf(*node) == m_now))
    m_model->setParam(m_uid, "points", m_now, QStringLiteral("%1.stroke.%2").arg(m_uid).arg(m_stroke));
  if (m_job != BrushJob::Add) m_ready->isBehind = true;
  if (isLast && m_ready->isBehind) prepare();  // the stroke that adds next has to know
}

void HandBrush::hover(const SitePointer& pointer, const SiteLens&) { follow(pointer); }

bool HandBrush::wheel(double steps) {
  const double factor = std::pow(1.12, steps);
  if (m_settings.job == BrushJob::Single) {
    m_size = std::clamp(m_size * static_cast<float>(factor), 0.01F, 100.0F);
    if (m_ghost) m_ghost->first.size = Vec3(m_size);
    if (m_isDown && m_setAt && m_isUsable) setOne();
    return true;
  }
  const double radius = std::clamp(static_cast<double>(m_settings.radius) * factor, 0.01, 1e4);
  m_model->setParam(m_uid, "brush_radius", std::round(radius * 1000) / 1000, QStringLiteral("%1.wheel").arg(m_uid));
  readSettings();
  return true;
}

}  // namespace arvesk
