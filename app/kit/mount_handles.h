// Handles of one mount point on the picture of its prop: it is moved over the mesh, leaned, turned about its axis and
// sized.
#pragma once

#include "core/plan/document.h"

#include <QPointF>

#include <functional>

class QPainter;

namespace arvesk {

class MountHandles {
 public:
  enum class Handle { None, Move, Lean, Turn, Size };
  struct Pointer {
    Vec3 eye{0};
    Vec3 direction{0, 0, -1};
    std::optional<Vec3> onMesh{};  // the place that it points at
  };
  using Project = std::function<QPointF(const Vec3&)>;

  /// `reach`: how long its axis is shown at size 1, m.
  void take(const MountEntry& mount, float reach);
  void leave() { m_isTaken = false; }
  bool isTaken() const { return m_isTaken; }
  bool isDragging() const { return m_dragged != Handle::None; }
  const MountEntry& now() const { return m_now; }
  Vec3 placeOf(Handle handle) const;
  Handle at(const QPointF& pixel, const Project& project) const;
  void press(Handle handle, const Pointer& pointer);
  void drag(const Pointer& pointer);
  void release() { m_dragged = Handle::None; }
  void paint(QPainter& p, const Project& project) const;

 private:
  Vec3 axis() const { return turnOf(m_now.turnDeg) * kUp; }
  std::optional<Vec3> across(const Pointer& pointer) const;

  bool m_isTaken = false;
  MountEntry m_now;
  MountEntry m_before;  // when the drag began
  float m_reach = 0.1F;
  Handle m_dragged = Handle::None;
  Vec3 m_grabbed{0};  // from the mount point, when the drag began
};

}  // namespace arvesk
