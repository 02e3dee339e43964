// Handles of the placements that are selected in Site: one in their middle moves them, an arrow turns, a corner sizes.
#pragma once

#include "app/site/site_tool.h"
#include "app/site/touch_session.h"

namespace arvesk {

class TouchHandles : public SiteTool {
 public:
  explicit TouchHandles(TouchSession* session) : m_session(session) {}
  QString hint() const override;
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override;
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;

  enum class Handle { None, Move, Turn, Size };
  /// Where a handle is in the world.
  Vec3 placeOf(Handle handle, const SiteLens& lens) const;
  /// Turns and sizes go about each one's own place, else about the middle of all; moves go through the air.
  void setEach(bool isEach) { m_isEach = isEach; }
  bool isEach() const { return m_isEach; }
  void setFree(bool isFree) { m_isFree = isFree; }
  bool isFree() const { return m_isFree; }

 private:
  Handle handleAt(const QPointF& at, const SiteLens& lens) const;
  float reachOf(const SiteLens& lens) const;

  TouchSession* m_session;
  bool m_isEach = false;
  bool m_isFree = false;
  Handle m_dragged = Handle::None;
  Handle m_lit = Handle::None;
  Vec3 m_middle{0};   // when it was taken
  Vec3 m_grabbed{0};  // from the middle to where the pointer took it, on the ground or level with it
  float m_reach = 1;  // m, from the middle to arrow and corner then
  TouchDelta m_delta;
};

}  // namespace arvesk
