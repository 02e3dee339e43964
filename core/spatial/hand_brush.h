// The brush that sets, takes away and adjusts points by hand. Without a window: it is given dabs and gives back points.
#pragma once

#include "core/base/band.h"
#include "core/spatial/clearance.h"
#include "core/spatial/hand_ground.h"
#include "core/spatial/rooms.h"

#include <functional>
#include <memory>

namespace arvesk {

/// What is placed on: ground, with what finds places on it, or whatever `find` finds along an axis (unit length) to
/// both sides of a place. Places without a face are no ground: what is set there stays, whatever moves.
struct BrushGround {
  SurfacePtr surface;
  std::shared_ptr<const SurfaceIndex> index;
  std::function<std::optional<GroundPlace>(const Vec3& place, const Vec3& axis, float reach)> find{};
  std::optional<GroundPlace> at(const Vec3& place, const Vec3& axis, float reach) const {
    return find ? find(place, axis, reach) : groundOnLine(*surface, *index, place, axis, reach);
  }
};

struct BrushProp {
  std::string uid;  // in the plan's Kit; empty: one of the Kit that is connected, by weight
  float weight = 1;
  float footprint = 0.25F;  // m at size 1
  PropPtr prop{};           // where rooms are no discs; null: a ball of the footprint
};

/// How points are set.
struct BrushAdd {
  float spacing = 1;  // m: no two of this hand's are nearer to each other
  float spread = 1;   // share 0…1 of the radius in which they lie; 0: on the line of the stroke
  Range size{0.8F, 1.25F};
  Range headingDeg{0, 360};
  bool isAlongStroke = false;  // headings count from the way that the stroke goes
  Range leanDeg{0, 0};         // forward
  float toNormal = 0;          // share 0…1
  bool isClear = true;         // of what else stands there: `others`, and what the hand set, by footprints
  float gap = 0;               // m besides
  RoomShape shape = RoomShape::Disc;
  Footprint footprint = Footprint::Spread;
  std::vector<BrushProp> props;
  /// Of what the hand set before, where rooms are no discs.
  std::function<BrushProp(const HandPoint&)> propOf{};

  RoomRule rule() const { return {shape, footprint, false, 1, gap}; }
};

struct BrushDab {
  Vec3 place{0};
  Vec3 normal = kUp;
  Vec3 along{0};  // the way that the stroke goes, of any length; 0 at its beginning
  float radius = 1;
  float strength = 1;  // 0…1
};

/// Why a place takes no point.
enum class BrushRefusal { None, NoGround, TooNear, OutsideMask };

/// What stands already, as balls around it: never changed, so many strokes share it. With rooms, the balls are theirs.
struct BrushSurroundings {
  explicit BrushSurroundings(float gap) : others({1, gap, {}, false}) {}
  explicit BrushSurroundings(std::shared_ptr<const Rooms> all) : others({}), rooms(std::move(all)) {
    others.add(rooms->balls());
  }
  KeptPoints others;
  std::shared_ptr<const Rooms> rooms;
};

/// One stroke that adds. What it gives depends on ground, dabs, what stands there and the seed alone.
class BrushStroke {
 public:
  /// `before`: what this hand set until now; `radiusOf` gives a point's footprint, m at its size. `allows`, if there is
  /// one, says where the brush may set at all.
  BrushStroke(BrushGround ground, std::shared_ptr<const BrushSurroundings> surroundings, HandPoints before,
              const std::function<float(const HandPoint&)>& radiusOf, BrushAdd how, std::uint64_t seed,
              std::function<bool(const GroundPlace&)> allows = {});
  /// What this dab sets; it is in `points()` then.
  std::vector<HandPoint> add(const BrushDab& dab);
  /// One point for `points` exactly there, whatever is near, as the hand says. The same `turn` draws the same prop. A
  /// place without a face is no ground: it stands there whatever moves.
  HandPoint one(HandPoints& points, const GroundPlace& place, float headingDeg, float size, Vec2 tiltDeg,
                std::uint64_t turn) const;
  /// What a dab would set in its middle, to be shown beforehand, and the uid of its prop.
  std::pair<HandPoint, std::string> ghost(const BrushDab& dab, std::uint64_t turn) const;
  /// Of the last dab: true when it found no room for any.
  bool isFull() const { return m_isFull; }
  /// Would a point of the first prop be set at the middle of this dab, and if not, why?
  BrushRefusal refusal(const BrushDab& dab) const;
  const HandPoints& points() const { return m_points; }

 private:
  struct Drawn {
    HandPoint point;
    const BrushProp* prop = nullptr;
    float radius = 0;  // of its footprint at its size, m
  };
  Drawn drawn(const BrushDab& dab, std::uint64_t draw) const;
  BrushRefusal refusalAt(const GroundPlace& place, const Drawn& drawn) const;
  bool isRoomTaken(const GroundPlace& place, const Drawn& drawn) const;
  void addRoom(Rooms& to, const HandPoint& point, const Vec3& normal, const BrushProp& prop) const;
  HandPoint keep(const Drawn& drawn, const GroundPlace& place);

  BrushGround m_ground;
  std::shared_ptr<const BrushSurroundings> m_surroundings;
  HandPoints m_points;
  BrushAdd m_how;
  std::uint64_t m_seed;
  std::function<bool(const GroundPlace&)> m_allows;
  KeptPoints m_spaced;             // this hand's, by spacing
  KeptPoints m_room;               // and by footprint, or the balls of the rooms
  std::unique_ptr<Rooms> m_rooms;  // of this hand's, in order; null where discs say all
  Array<PointGrid::Entry> m_new;   // of the dab under way, in neither yet
  std::uint64_t m_dabs = 0;
  bool m_isFull = false;
};

/// Which of the points under it a brush means that takes away: all, or those of the kind that the stroke begins on.
enum class BrushMeets { All, OneKind };
enum class BrushEffect { Apart, Together, Grow, Shrink, Turn, Lean, Raise, Lower };

/// How points are adjusted, and how far that may go.
struct BrushAdjust {
  BrushEffect effect = BrushEffect::Apart;
  Range size{0.2F, 5};  // factors that growing and shrinking stay within
  float leanDeg = 45;   // the most that Lean leans
  float lift = 2;       // m that Raise and Lower go to at most, up and down
  float gap = 0;        // m between footprints, for Apart
};

/// Changes what lies within the dab, strongest in its middle (1 − d²/r²)²; `radiusOf` gives a point's footprint, m at
/// its size. True when something changed.
bool adjust(HandPoints& points, const BrushDab& dab, const BrushAdjust& how, const BrushGround& ground,
            const std::function<float(const HandPoint&)>& radiusOf);

/// Takes away what lies within the dab and `fits`; gives back how many.
std::size_t remove(HandPoints& points, const BrushDab& dab, const std::function<bool(const HandPoint&)>& fits);

}  // namespace arvesk
