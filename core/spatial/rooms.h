// How much room placements take where a disc says too little: ellipses and boxes that turn with them, and the hulls of
// their pieces.
#pragma once

#include "core/geometry/points.h"
#include "core/geometry/prop.h"
#include "core/spatial/point_grid.h"

namespace arvesk {

enum class RoomShape {
  Disc,     // a ball of the footprint about the place
  Ellipse,  // fits into the box
  Box,      // about the geometry, along the prop's own axes
  Mesh,     // the hull of each piece that hangs together
};

struct RoomRule {
  RoomShape shape = RoomShape::Box;
  Footprint of = Footprint::Spread;
  bool isFromAbove = false;  // shadows on level ground meet; else bodies in space
  float factor = 1;          // of every room about its own middle
  float gap = 0;             // m between two rooms: each grows by half of it to all sides; below 0 each shrinks
};

struct PropRoom;
struct ConvexRoom;

/// Rooms of many placements, called by the order in which they were added. Touching rooms do not meet. Points without a
/// prop, and props whose file is missing, take a ball of their footprint. A room that shrinks to nothing meets none.
class Rooms {
 public:
  explicit Rooms(const RoomRule& rule) : m_rule(rule) {}
  /// All of them, in order; their footprints are of the kind that the rule means (see withFootprints).
  void add(const Points& points);
  /// `footprint`: m at size 1. Another one than that of the geometry widens or narrows the room; below 0 it is that.
  void add(const PropPtr& prop, float footprint, const Vec3& position, const Quat& turn, const Vec3& size);
  std::uint32_t count() const { return static_cast<std::uint32_t>(m_rooms.size()); }
  /// A ball that holds room i.
  PointGrid::Entry ball(std::uint32_t i) const { return {m_rooms[i].middle, m_rooms[i].radius, i}; }
  Array<PointGrid::Entry> balls() const;
  bool meet(std::uint32_t a, std::uint32_t b) const { return meets(a, *this, b); }
  /// Room a of these with room b of others, which have the same rule.
  bool meets(std::uint32_t a, const Rooms& others, std::uint32_t b) const;
  /// How far one would have to go to be out of the other, m; 0 when they do not meet. Found by trying ways: never less
  /// than the shortest one, and seldom much more. Of hulls the deepest two count.
  float depth(std::uint32_t a, std::uint32_t b) const;
  /// Closed lines about room i as seen from above, at height y.
  std::vector<std::vector<Vec3>> outlines(std::uint32_t i, float y) const;

 private:
  struct Room {
    Vec3 middle;
    Quat turn;
    Vec3 half;  // m along own axes, with its half of the gap; of hulls a box that holds them
    float radius;
    std::int32_t hulls;  // index; below 0: see kBall and others
  };
  struct HullPlace {
    std::shared_ptr<const PropRoom> room;
    Vec3 position;
    Vec3 size;  // of the prop, with what the footprint widens
  };
  static constexpr std::int32_t kBox = -1;
  static constexpr std::int32_t kEllipse = -2;
  static constexpr std::int32_t kNone = -3;

  std::vector<ConvexRoom> convexOf(const Room& room) const;
  bool boxesMeet(const Room& a, const Room& b) const;
  bool boxShadowsMeet(const Room& a, const Room& b) const;
  bool ellipsesMeet(const Room& a, const Room& b) const;
  bool hullsMeet(const Room& a, const Rooms& others, const Room& b) const;

  RoomRule m_rule;
  Array<Room> m_rooms;
  std::vector<HullPlace> m_hulls;
  const Prop* m_lastProp = nullptr;  // points of one prop often follow each other
  std::shared_ptr<const PropRoom> m_lastRoom;
};

}  // namespace arvesk
