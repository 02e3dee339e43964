// How a body lies: a place and a turn that it carries along.
#pragma once

#include "core/base/vec.h"

namespace arvesk {

/// World = origin + turn · own, both in m.
struct BodyFrame {
  DVec3 origin{0};
  glm::dmat3 turn{1};

  bool isNone() const { return origin == DVec3(0) && turn == glm::dmat3(1); }
  Vec3 toWorld(const DVec3& own) const { return Vec3(origin + turn * own); }
  DVec3 toOwn(const Vec3& world) const {
    return (DVec3(world) - origin) * turn;
  }  // · turn: its transpose from the left
  Vec3 turned(const Vec3& own) const { return Vec3(turn * DVec3(own)); }
  /// A frame that is given in this one.
  BodyFrame of(const BodyFrame& inner) const { return {origin + turn * inner.origin, turn * inner.turn}; }
  BodyFrame reversed() const { return {-(origin * turn), glm::transpose(turn)}; }
  /// Around a box of the own space; without room for what rounding does.
  Box3 toWorld(const DVec3& from, const DVec3& to) const {
    const DVec3 middle = origin + turn * (0.5 * (from + to));
    const DVec3 h = 0.5 * (to - from);
    const DVec3 half = glm::abs(turn[0]) * h.x + glm::abs(turn[1]) * h.y + glm::abs(turn[2]) * h.z;
    return {Vec3(middle - half), Vec3(middle + half)};
  }
};

}  // namespace arvesk
