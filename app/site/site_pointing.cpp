// What mouse, pen and keys do in Site: the tool in hand, handles, picking, looking around.
#include "app/model/words.h"
#include "app/site/site_view.h"
#include "core/spatial/surface_index.h"

#include <QContextMenuEvent>
#include <QMouseEvent>
#include <QTabletEvent>

#include <cmath>

namespace arvesk {
namespace {

/// How near to a disc or to the divider a click must be, px.
constexpr double kGrabPixels = 8;
/// A shorter drag is a click, px.
constexpr double kDragPixels = 4;

}  // namespace

Vec3 SiteView::rayAt(const QPointF& p) const {
  return m_camera.direction(static_cast<float>(p.x() / width()), static_cast<float>(p.y() / height()),
                            static_cast<float>(width()) / static_cast<float>(height()));
}

SiteLens SiteView::lens() const {
  const Film* film = m_renderer.latest().film.get();
  return {m_camera, width(), height(), film, m_view ? m_view->scene.get() : nullptr};
}

SitePointer SiteView::pointerAt(const QPointF& p, Qt::KeyboardModifiers modifiers) const {
  SitePointer out;
  out.isIn = true;
  out.at = p;
  out.eye = m_camera.eye;
  out.direction = rayAt(p);
  out.modifiers = modifiers;
  out.pressure = m_pressure;
  if (!m_view || !m_view->scene) return out;
  float nearest = std::numeric_limits<float>::infinity();
  for (const SurfacePtr& ground : m_view->scene->input().grounds)
    if (const auto index = SurfaceIndex::of(*ground)) {  // the picture has made it already
      const SurfaceHit hit = (*index)->first(out.eye, out.direction, nearest);
      if (!hit.isHit() || hit.distance >= nearest) continue;
      nearest = hit.distance;
      out.ground = out.eye + out.direction * hit.distance;
      const Vec3 normal = ground->faceNormal(hit.face);
      out.groundNormal = glm::dot(normal, out.direction) > 0 ? -normal : normal;
    }
  if (const PictureRayHit hit = m_view->scene->first(out.eye, out.direction, cut()); hit.isHit()) {
    const PictureInstance& in = m_view->scene->instance(hit.instance);
    const Vec3 normal = directionOr(glm::transpose(in.localTurn) * m_view->scene->shape(in.shape).faceNormal(hit.face),
                                    kUp);
    out.thing = out.eye + out.direction * hit.distance;
    out.thingNormal = glm::dot(normal, out.direction) > 0 ? -normal : normal;
  }
  return out;
}

std::optional<SiteView::Found> SiteView::findAt(const QPointF& p) const {
  if (!m_view || !m_view->scene) return std::nullopt;
  // One ray costs microseconds; this is not the computing that the interface thread must keep from.
  const Vec3 d = rayAt(p);
  const PictureRayHit hit = m_view->scene->first(m_camera.eye, d, cut());
  const float depth = hit.isHit() ? hit.distance : std::numeric_limits<float>::infinity();
  // Discs first: they are drawn over what they stand on.
  std::optional<Found> disc;
  double nearest = kGrabPixels;
  for (const PictureLayer& layer : m_view->shown) {
    const bool hasDiscs = m_mode == SiteMode::Points ||
                          std::any_of(m_view->bare.begin(), m_view->bare.end(),
                                      [&](const PointsPtr& bare) { return bare == layer.points; });
    if (!hasDiscs) continue;
    for (std::size_t i = 0; i < layer.points->count; ++i) {
      const Vec3 place = layer.points->position[i];
      if (cut() && cut()->hides(place)) continue;
      const Vec3 at = m_camera.projected(place, width(), height());
      if (at.z <= 0) continue;
      const double away = QLineF(p, QPointF(static_cast<double>(at.x), static_cast<double>(at.y))).length();
      if (away >= nearest || glm::distance(place, m_camera.eye) > depth * 1.02F + 0.05F) continue;
      nearest = away;
      disc = Found{place, &layer, i};
    }
  }
  if (disc) return disc;
  if (!hit.isHit()) return std::nullopt;
  const PictureInstance& in = m_view->scene->instance(hit.instance);
  Found found{m_camera.eye + d * hit.distance, nullptr, 0};
  if (in.layer != kGround) {
    found.layer = &m_view->scene->input().layers[in.layer];
    found.point = in.point;
  }
  return found;
}

void SiteView::pick(const QPointF& p) {
  m_pickedPlace.reset();
  m_pickedWords.clear();
  SiteSelection chosen;
  if (const auto found = findAt(p)) {
    m_pickedPlace = found->place;
    if (found->layer) {
      const Points& points = *found->layer->points;
      chosen[found->layer->source] = {points.id[found->point]};
      if (points.kit && points.prop[found->point] != kNoProp) {
        const Prop& prop = *points.kit->entries[static_cast<std::size_t>(points.prop[found->point])].prop;
        m_pickedWords = tr("%1 · %2 m high")
                            .arg(text(prop.name))
                            .arg(static_cast<double>(prop.height * points.size[found->point].y), 0, 'f', 2);
      } else {
        m_pickedWords = tr("a point");
      }
    } else {
      const Vec3 at = found->place;
      m_pickedWords = tr("%1, %2, %3 m")
                          .arg(static_cast<double>(at.x), 0, 'f', 2)
                          .arg(static_cast<double>(at.y), 0, 'f', 2)
                          .arg(static_cast<double>(at.z), 0, 'f', 2);
    }
  }
  select(std::move(chosen));
  Q_EMIT picked(m_pickedWords);
  update();
}

void SiteView::ask(const QPointF& p) {
  const auto found = findAt(p);
  if (!found) return;
  m_askedNode = found->layer ? text(found->layer->source) : QString();
  m_askedId = found->layer ? found->layer->points->id[found->point] : 0;
  // A placement is asked about where it stands, not where the ray met its leaf.
  m_askedSpot = found->layer ? found->layer->points->position[found->point] : found->place;
  m_pickedPlace.reset();
  m_why->showBusy();
  Q_EMIT whyWanted(*m_askedSpot, m_askedNode, m_askedId, m_why->radius());
  update();
}

void SiteView::mousePressEvent(QMouseEvent* event) {
  setFocus();
  m_last = event->position();
  m_hasMoved = false;
  const bool alt = event->modifiers() & Qt::AltModifier;
  m_drag = Drag::None;
  if (event->button() == Qt::MiddleButton) m_drag = alt ? Drag::Pan : Drag::Orbit;
  if (event->button() == Qt::RightButton) m_drag = alt ? Drag::Zoom : Drag::Pan;
  if (event->button() == Qt::LeftButton && (alt || m_walk.isOn())) m_drag = Drag::Orbit;
  if (m_walk.isOn()) {  // looks around from where one stands
    m_pivot = m_camera.eye;
    return;
  }
  if (m_drag == Drag::Orbit && alt && event->button() == Qt::LeftButton && !m_isAsking && m_tool &&
      m_tool->takesAlt() && m_tool->press(pointerAt(event->position(), event->modifiers()), lens())) {
    m_drag = Drag::Tool;
    return update();
  }
  if (event->button() == Qt::LeftButton && !alt) {
    if (m_held && std::abs(event->position().x() - m_divider * width()) < kGrabPixels)
      m_drag = Drag::Divider;
    else if (m_mode != SiteMode::Cover && m_cut.press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Cut;
    else if (TouchHandles* handles = handlesNow();
             handles && handles->press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Touch;
    else if (!m_isAsking && m_tool && m_tool->press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Tool;
    if (m_drag != Drag::None) return update();
    if (!m_isAsking && !(m_tool && m_tool->isArmed()) && m_mode != SiteMode::Cover) {
      m_drag = Drag::Area;
      m_area = QPolygonF{event->position(), event->position()};
      return;
    }
  }
  m_pivot = m_camera.target;
  if (m_view && m_view->scene) {
    const Vec3 d = rayAt(event->position());
    const PictureRayHit hit = m_view->scene->first(m_camera.eye, d, cut());
    if (hit.isHit()) m_pivot = m_camera.eye + d * hit.distance;
  }
}

void SiteView::mouseMoveEvent(QMouseEvent* event) {
  if (m_drag == Drag::None) {
    if (m_cut.cut() && m_cut.hover(pointerAt(event->position(), event->modifiers()), lens())) update();
    if (TouchHandles* handles = handlesNow()) {
      handles->hover(pointerAt(event->position(), event->modifiers()), lens());
      update();
    }
    if (m_tool && !m_isAsking) {
      showCursor();
      m_tool->hover(pointerAt(event->position(), event->modifiers()), lens());
      update();
    }
    return;
  }
  if (m_drag == Drag::Cut) {
    m_cut.drag(pointerAt(event->position(), event->modifiers()), lens());
    return requestFrame();
  }
  if (m_drag == Drag::Touch) {
    m_handles->drag(pointerAt(event->position(), event->modifiers()), lens());
    return update();
  }
  if (m_drag == Drag::Tool) {
    m_tool->drag(pointerAt(event->position(), event->modifiers()), lens());
    return update();
  }
  if (m_drag == Drag::Area) {
    if (QLineF(m_area.front(), event->position()).length() > kDragPixels) m_hasMoved = true;
    if (m_isLasso)
      m_area << event->position();
    else
      m_area.back() = event->position();
    return update();
  }
  if (m_drag == Drag::Divider) {
    m_divider = std::clamp(event->position().x() / width(), 0.02, 0.98);
    return update();
  }
  const QPointF by = event->position() - m_last;
  m_last = event->position();
  if (by.manhattanLength() > 0) m_hasMoved = true;
  if (m_drag == Drag::Orbit) return orbit(by);
  if (m_drag == Drag::Pan) return pan(by);
  m_camera.eye = m_camera.target + (m_camera.eye - m_camera.target) * std::exp(static_cast<float>(by.y()) * 0.01F);
  requestFrame();
}

/// About the pivot, by pixels of a drag.
void SiteView::orbit(const QPointF& by) {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  m_camera.basis(right, up, ahead);
  const Quat turn = glm::angleAxis(static_cast<float>(-by.x()) * 0.006F, kUp);
  float pitch = static_cast<float>(-by.y()) * 0.006F;
  const float now = std::asin(std::clamp(ahead.y, -1.0F, 1.0F));
  pitch = std::clamp(now + pitch, -1.54F, 1.2F) - now;
  const Quat tilt = glm::angleAxis(pitch, right);
  const Quat both = turn * tilt;
  m_camera.eye = m_pivot + both * (m_camera.eye - m_pivot);
  m_camera.target = m_pivot + both * (m_camera.target - m_pivot);
  requestFrame();
}

void SiteView::pan(const QPointF& by) {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  m_camera.basis(right, up, ahead);
  const float distance = std::max(0.1F, glm::dot(m_pivot - m_camera.eye, ahead));
  const float perPixel = 2 * distance * std::tan(0.5F * radians(m_camera.fieldOfViewDeg)) /
                         static_cast<float>(height());
  const Vec3 move = (-right * static_cast<float>(by.x()) + up * static_cast<float>(by.y())) * perPixel;
  m_camera.eye += move;
  m_camera.target += move;
  requestFrame();
}

void SiteView::mouseReleaseEvent(QMouseEvent* event) {
  const Drag drag = m_drag;
  m_drag = Drag::None;
  if (drag == Drag::Area) {
    if (m_hasMoved)
      selectArea(event->modifiers() & Qt::ShiftModifier);
    else
      pick(event->position());
    return update();
  }
  if (event->button() == Qt::RightButton && !m_hasMoved) {
    openMenu(event->globalPosition().toPoint());
    return;
  }
  if (drag == Drag::Cut) m_cut.release();
  if (drag == Drag::Touch) {
    m_handles->release();
    update();
  }
  if (drag == Drag::Tool) {
    m_tool->release();
    update();
  }
  if (drag != Drag::None || event->button() != Qt::LeftButton) return;
  if (m_isAsking)
    ask(event->position());
  else
    pick(event->position());
}

void SiteView::tabletEvent(QTabletEvent* event) {
  m_pressure = event->type() == QEvent::TabletRelease ? 1.0F : static_cast<float>(event->pressure());
  event->ignore();  // it comes again as a mouse event
}

void SiteView::leaveEvent(QEvent*) {
  if (m_tool) m_tool->hover({}, lens());
  update();
}

void SiteView::contextMenuEvent(QContextMenuEvent* event) {
  // By mouse it opens when the button is let go without a drag; here by the keyboard's menu key.
  if (event->reason() == QContextMenuEvent::Keyboard) openMenu(mapToGlobal(rect().center()));
  event->accept();
}

void SiteView::wheelEvent(QWheelEvent* event) {
  const float steps = static_cast<float>(event->angleDelta().y()) / 120.0F;
  const bool isOfTool = (event->modifiers() & Qt::ShiftModifier) ||
                        (m_drag == Drag::Tool && m_tool->takesWheelInDrag());
  if (isOfTool && m_tool && m_tool->wheel(static_cast<double>(steps))) return update();
  if (m_walk.isOn()) {
    m_walk.faster(static_cast<double>(steps));
    return update();
  }
  Vec3 toward = m_camera.target;
  if (m_view && m_view->scene) {
    const Vec3 d = rayAt(event->position());
    const PictureRayHit hit = m_view->scene->first(m_camera.eye, d, cut());
    toward = hit.isHit() ? m_camera.eye + d * hit.distance
                         : m_camera.eye + d * glm::distance(m_camera.eye, m_camera.target);
  }
  const Vec3 move = (toward - m_camera.eye) * (1 - std::pow(0.85F, steps));
  m_camera.eye += move;
  m_camera.target += move * 0.98F;
  requestFrame();
}

void SiteView::fitPlace() {
  if (m_pickedPlace && m_mode != SiteMode::Cover)
    lookAt(*m_pickedPlace);
  else
    fitAll();
}

SiteWalk::Ground SiteView::groundUnder() const {
  const PictureScenePtr scene = m_view ? m_view->scene : nullptr;
  return [scene](const Vec3& from) -> std::optional<float> {
    if (!scene) return std::nullopt;
    const float top = scene->bounds().max.y + 1;
    for (const Vec3& start : {from, Vec3(from.x, top, from.z)}) {
      float nearest = std::numeric_limits<float>::infinity();
      for (const SurfacePtr& ground : scene->input().grounds)
        if (const auto index = SurfaceIndex::of(*ground))  // the picture has made it already
          nearest = std::min(nearest, (*index)->first(start, -kUp, nearest).distance);
      if (std::isfinite(nearest)) return start.y - nearest;
    }
    return std::nullopt;
  };
}

void SiteView::toggleWalk() {
  if (m_walk.isOn()) {
    m_walk.stop();
    m_walkTimer.stop();
  } else if (m_view && m_view->scene) {
    const auto middle = findAt(QPointF(width() / 2.0, height() * 0.6));
    m_walk.start(m_camera, m_pickedPlace ? *m_pickedPlace : middle ? middle->place : m_camera.target, groundUnder());
    m_isFirstView = false;
    setFocus();
  }
  requestFrame();
}

/// One step of the walk.
void SiteView::goOn() {
  const double seconds = std::min(0.1, static_cast<double>(m_walkClock.restart()) / 1000);
  m_walk.step(m_camera, seconds, groundUnder());
  requestFrame();
}

void SiteView::keyReleaseEvent(QKeyEvent* event) {
  if (event->isAutoRepeat() || !m_walk.release(event->key())) return QWidget::keyReleaseEvent(event);
  if (!m_walk.isGoing()) m_walkTimer.stop();
}

void SiteView::focusOutEvent(QFocusEvent* event) {
  for (const int key : {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down}) m_walk.release(key);
  m_walkTimer.stop();
  QWidget::focusOutEvent(event);
}

/// Arrows orbit, with Shift they pan, page keys come nearer and go away, the space bar picks in the middle.
bool SiteView::turnByKey(const QKeyEvent& event) {
  constexpr double kStep = 24;  // px of a drag
  QPointF by;
  switch (event.key()) {
    case Qt::Key_Left: by = {kStep, 0}; break;
    case Qt::Key_Right: by = {-kStep, 0}; break;
    case Qt::Key_Up: by = {0, kStep}; break;
    case Qt::Key_Down: by = {0, -kStep}; break;
    case Qt::Key_PageUp:
    case Qt::Key_PageDown:
      m_camera.eye = m_camera.target +
                     (m_camera.eye - m_camera.target) * (event.key() == Qt::Key_PageUp ? 0.85F : 1.18F);
      requestFrame();
      return true;
    case Qt::Key_Space:
      m_isAsking ? ask(QPointF(width() / 2.0, height() / 2.0)) : pick(QPointF(width() / 2.0, height() / 2.0));
      return true;
    default: return false;
  }
  m_pivot = m_camera.target;
  if (event.modifiers() & Qt::ShiftModifier)
    pan(by);
  else
    orbit(by);
  return true;
}

void SiteView::keyPressEvent(QKeyEvent* event) {
  if (m_walk.press(event->key(), event->modifiers() & Qt::ShiftModifier)) {
    if (!m_walkTimer.isActive()) {
      m_walkClock.start();
      m_walkTimer.start();
    }
    return;
  }
  if (m_walk.isOn() && event->key() == Qt::Key_Escape) return toggleWalk();
  if (nudgeByKey(*event)) return;
  if (m_mode != SiteMode::Cover && turnByKey(*event)) return;
  if (event->key() != Qt::Key_Escape)
    return QWidget::keyPressEvent(event);  // all other keys are commands, see MainWindow::buildMenus
  m_pickedPlace.reset();
  select({});
  Q_EMIT picked({});
  if (m_isAsking) stopAsking();
  update();
}

}  // namespace arvesk
