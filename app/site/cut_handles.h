// The handles of the plane that cuts Site open: one moves it along the way it looks, one leans it.
#pragma once

#include "app/site/site_tool.h"
#include "core/picture/cut.h"

namespace arvesk {

class CutHandles {
 public:
  const std::optional<Cut>& cut() const { return m_cut; }
  /// On, across what lies in the middle: hides the half of `box` that is nearer to the eye.
  void open(const Box3& box, const Camera& camera);
  void close() { m_cut.reset(); }
  /// Square to an axis (0 is X), on the side that it is on.
  void align(int axis);
  void turnRound();

  bool press(const SitePointer& pointer, const SiteLens& lens);
  void drag(const SitePointer& pointer, const SiteLens& lens);
  void release() { m_dragged = Handle::None; }
  /// Whether another handle is lit now.
  bool hover(const SitePointer& pointer, const SiteLens& lens);
  void paint(QPainter& painter, const SiteLens& lens) const;

  /// Where the handles are in the world: the middle, and the tip that leans the plane.
  Vec3 middle() const { return m_cut ? m_cut->at : Vec3(0); }
  Vec3 tip() const { return m_cut ? m_cut->at - m_size * m_cut->normal : Vec3(0); }

 private:
  enum class Handle { None, Middle, Tip };
  Handle handleAt(const QPointF& at, const SiteLens& lens) const;

  std::optional<Cut> m_cut;
  float m_size = 1;  // m, of the frame that is drawn: half its edge
  Handle m_dragged = Handle::None;
  Handle m_lit = Handle::None;
};

}  // namespace arvesk
