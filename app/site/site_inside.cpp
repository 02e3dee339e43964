// Site looks inside: the plane that cuts it open, and the outline of a volume that is in Site.
#include "app/site/site_view.h"

#include <QPainter>
#include <QToolButton>
#include "app/model/words.h"

namespace arvesk {

void SiteView::toggleCut() {
  if (m_cut.cut()) {
    m_cut.close();
  } else {
    // Through the volume in Site or what is selected; else through what the camera looks at.
    Box3 box;
    if (m_view && m_view->volume && m_view->volume->facets) box = m_view->volume->facets->bounds();
    if (box.isEmpty())
      for (const Vec3& place : m_selection) box.add(place);
    const Vec3 extent = box.extent();
    const float least = 0.1F * glm::distance(m_camera.eye, m_camera.target);
    if (box.isEmpty())
      box = {m_camera.target - 2.5F * least, m_camera.target + 2.5F * least};
    else if (std::max({extent.x, extent.y, extent.z}) < 0.1F * least)
      box = {box.min - least, box.max + least};
    m_cut.open(box, m_camera);
  }
  m_cutButton->setChecked(m_cut.cut().has_value());
  Q_EMIT hintChanged(m_cut.cut() ? tr("cut: drag the square to move it, the ball to lean it, with Shift to an axis")
                     : m_tool    ? m_tool->hint()
                                 : QString());
  requestFrame();
}

void SiteView::paintVolume(QPainter& p) {
  if (!m_view || !m_view->volume) return;
  const VolumeLines& lines = m_renderer.latest().lines;
  p.setPen(QPen(QColor(20, 24, 22, 90), 2.6));
  p.drawLines(lines.outline);
  p.setPen(QPen(QColor(255, 255, 255, 220), 1.1));
  p.drawLines(lines.outline);
  p.setPen(QPen(QColor(20, 24, 22, 130), 4));
  p.drawLines(lines.open);
  p.setPen(QPen(QColor(0xE0, 0x6A, 0x2C), 2));
  p.drawLines(lines.open);
  if (m_view->volume->problem) drawWords(p, QPointF(17, height() - 44), lineOf(*m_view->volume->problem));
}

}  // namespace arvesk
