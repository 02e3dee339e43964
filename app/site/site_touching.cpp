// What Site does for placements that a hand touches: handles and keys of what is selected, the strip, the ticks.
#include "app/site/site_view.h"

#include <QKeyEvent>
#include <QPainter>
#include <QToolButton>

namespace arvesk {

void SiteView::setTouching(PlanModel* model) {
  m_touching = std::make_unique<TouchSession>(model);
  m_handles = std::make_unique<TouchHandles>(m_touching.get());
  m_touchPanel = new TouchPanel(m_touching.get(), m_handles.get(), model, this);
  connect(m_touching.get(), &TouchSession::changed, this, [this] {
    m_touchPanel->refresh();
    showTouchPanel();
    tellHint();
    update();
  });
  connect(m_touchPanel, &TouchPanel::sizeChanged, this, &SiteView::showTouchPanel);
  connect(m_touching.get(), &TouchSession::told, this, &SiteView::picked);
}

/// Where there is room for it: the menu has all of it too.
void SiteView::showTouchPanel() {
  if (!m_touchPanel) return;
  const bool isWanted = m_touching->count() > 0 && m_mode != SiteMode::Cover;
  m_touchPanel->setVisible(isWanted);  // its buttons know how large they are once they have been shown
  if (!isWanted) return;
  const QSize size = m_touchPanel->sizeHint();
  const bool fits = size.width() + 8 <= width() && 3 * size.height() < height();
  if (!fits && m_touchPanel->hasColors()) return m_touchPanel->hideColors();  // less of it, which tells its size again
  m_touchPanel->setVisible(fits);
  m_touchPanel->resize(size);
  // Between scale and compass, or above them.
  constexpr int kBeside = 110;
  const int under = size.width() + 2 * kBeside < width() ? 10 : 58;
  m_touchPanel->move(std::max(4, (width() - size.width()) / 2),
                     (m_hiddenPill->isHidden() ? height() : m_hiddenPill->y()) - size.height() - under);
}

TouchHandles* SiteView::handlesNow() const {
  const bool can = m_handles && m_mode != SiteMode::Cover && !m_isAsking && !m_walk.isOn() && exploded() == 0 &&
                   !(m_tool && m_tool->isBrush()) && m_touching->hasHandles();
  return can ? m_handles.get() : nullptr;
}

void SiteView::showTicks(std::vector<Vec3> touched, std::vector<Vec3> removed) {
  m_touched = std::move(touched);
  m_removed = std::move(removed);
  update();
}

void SiteView::setTicksShown(bool are) {
  m_areTicksShown = are;
  update();
}

/// Arrows move what is selected by a step, as one looks: with Shift ten steps, with Ctrl up and down.
bool SiteView::nudgeByKey(const QKeyEvent& event) {
  if (!handlesNow()) return false;
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  m_camera.basis(right, up, ahead);
  const Vec3 away = directionOr(Vec3(ahead.x, 0, ahead.z), Vec3(0, 0, -1));
  const Vec3 aside(-away.z, 0, away.x);
  const float step = m_touching->stepMeters() * (event.modifiers() & Qt::ShiftModifier ? 10 : 1);
  TouchDelta delta;
  delta.isFree = m_handles->isFree();
  const bool isUpright = event.modifiers() & Qt::ControlModifier;
  switch (event.key()) {
    case Qt::Key_Left: delta.move = -step * aside; break;
    case Qt::Key_Right: delta.move = step * aside; break;
    case Qt::Key_Up: isUpright ? void(delta.lift = step) : void(delta.move = step * away); break;
    case Qt::Key_Down: isUpright ? void(delta.lift = -step) : void(delta.move = -step * away); break;
    default: return false;
  }
  m_touching->nudge(delta);
  return true;
}

/// A small tick over what a hand touched, a cross where it took something away.
void SiteView::paintTicks(QPainter& p) {
  if (!m_areTicksShown || m_mode == SiteMode::Cover) return;
  const SiteLens seen = lens();
  const QRectF pane(rect());
  p.setBrush(Qt::NoBrush);
  const auto draw = [&](const std::vector<Vec3>& places, const QList<QPolygonF>& lines) {
    for (const Vec3& place : places) {
      const auto at = seen.project(place);
      if (!at || !pane.contains(*at)) continue;
      const int alpha = seen.isHidden(place) ? 90 : 255;
      for (const QPolygonF& line : lines) drawOutlined(p, line.translated(*at), QColor(0xFC, 0xE9, 0x9A, alpha), 1.8);
    }
  };
  draw(m_touched, {QPolygonF{{-4, -9}, {-1, -5}, {5, -13}}});
  draw(m_removed, {QPolygonF{{-4, -4}, {4, 4}}, QPolygonF{{-4, 4}, {4, -4}}});
}

}  // namespace arvesk
