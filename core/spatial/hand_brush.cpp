#include "core/spatial/hand_brush.h"

#include "core/base/random.h"

#include <algorithm>
#include <numeric>

namespace arvesk {
namespace {

/// Numbers that a hand makes are rounded: to what nobody sees, and to short lines in files.
float rounded(float v, float to) { return std::round(v / to) * to; }
Vec3 rounded(const Vec3& v, float to) { return {rounded(v.x, to), rounded(v.y, to), rounded(v.z, to)}; }
constexpr float kPlaceStep = 1e-4F;  // m, as `standOn` rounds
constexpr float kAngleStep = 0.1F;   // degrees
constexpr float kSizeStep = 1e-3F;

/// Two directions across `normal`.
std::pair<Vec3, Vec3> acrossOf(const Vec3& normal) {
  const Vec3 a = glm::normalize(glm::cross(normal, std::abs(normal.y) < 0.9F ? kUp : Vec3(1, 0, 0)));
  return {a, glm::cross(normal, a)};
}

/// 1 in the middle of the dab, 0 at its rim and beyond (Wendland, "Piecewise polynomial, positive definite and
/// compactly supported radial functions", 1995, of lowest degree but for the square).
float fadeOf(const BrushDab& dab, const Vec3& place) {
  const Vec3 d = place - dab.place;
  const float t = 1 - glm::dot(d, d) / (dab.radius * dab.radius);
  return t > 0 ? t * t : 0;
}

void standAt(HandPoints& points, HandPoint& p, const GroundPlace& place, const BrushGround& ground) {
  if (place.face != kNoFace) return standOn(points, p, place, *ground.surface);
  p.place = rounded(place.position, kPlaceStep);
  p.normal = rounded(place.normal, 1e-4F);
}

}  // namespace

BrushStroke::BrushStroke(BrushGround ground, std::shared_ptr<const BrushSurroundings> surroundings, HandPoints before,
                         const std::function<float(const HandPoint&)>& radiusOf, BrushAdd how, std::uint64_t seed,
                         std::function<bool(const GroundPlace&)> allows)
    : m_ground(std::move(ground)),
      m_surroundings(std::move(surroundings)),
      m_points(std::move(before)),
      m_how(std::move(how)),
      m_seed(seed),
      m_allows(std::move(allows)),
      m_spaced({0, 0, m_how.spacing, false}),
      m_room(m_how.shape == RoomShape::Disc ? ConflictRule{1, m_how.gap, {}, false} : ConflictRule{}) {
  if (m_how.isClear && m_how.shape != RoomShape::Disc) m_rooms = std::make_unique<Rooms>(m_how.rule());
  Array<PointGrid::Entry> entries;
  m_points.list.forEach([&](const HandPoint& p) {
    entries.push_back({p.place, radiusOf(p), static_cast<std::uint32_t>(entries.size())});
    if (m_rooms) addRoom(*m_rooms, p, p.normal, m_how.propOf ? m_how.propOf(p) : BrushProp());
  });
  m_spaced.add(entries);
  if (m_how.isClear) m_room.add(m_rooms ? m_rooms->balls() : entries);
  if (m_how.props.empty()) m_how.props.emplace_back();
}

BrushStroke::Drawn BrushStroke::drawn(const BrushDab& dab, std::uint64_t draw) const {
  const auto unit = [&](std::uint64_t what) { return unitFloat(hashOf(m_seed, draw, what)); };
  const auto between = [&](const Range& r, std::uint64_t what) { return r.from + (r.to - r.from) * unit(what); };
  Drawn out;
  const float all = std::accumulate(m_how.props.begin(), m_how.props.end(), 0.0F,
                                    [](float sum, const BrushProp& p) { return sum + p.weight; });
  float left = unit(1) * all;
  const BrushProp* prop = &m_how.props.back();
  for (const BrushProp& p : m_how.props)
    if ((left -= p.weight) < 0) {
      prop = &p;
      break;
    }
  HandPoint& p = out.point;
  p.key = hashOf(m_seed, draw);
  out.prop = prop;
  p.size = Vec3(rounded(between(m_how.size, 2), kSizeStep));
  p.toNormal = m_how.toNormal;
  const float stroke = m_how.isAlongStroke ? degrees(headingOf(dab.along)) : 0;
  p.heading = rounded(std::remainder(stroke + between(m_how.headingDeg, 3), 360.0F), kAngleStep);
  p.tilt.x = rounded(between(m_how.leanDeg, 4), kAngleStep);
  out.radius = prop->footprint * std::abs(p.size.x);
  return out;
}

void BrushStroke::addRoom(Rooms& to, const HandPoint& point, const Vec3& normal, const BrushProp& prop) const {
  to.add(prop.prop, prop.footprint, point.place + normal * point.lift, point.turnOn(normal), point.size);
}

/// By rooms that are no discs.
bool BrushStroke::isRoomTaken(const GroundPlace& place, const Drawn& drawn) const {
  Rooms own(m_how.rule());
  HandPoint point = drawn.point;
  point.place = place.position;
  addRoom(own, point, place.normal, *drawn.prop);
  const PointGrid::Entry ball = own.ball(0);
  const ConflictRule near;
  const auto meetsIn = [&](const Rooms& rooms) {
    return [&own, &ball, &near, &rooms](const PointGrid::Entry& e) {
      return near.conflicts(ball.position, ball.radius, e.position, e.radius) && own.meets(0, rooms, e.index);
    };
  };
  if (m_room.any(ball.position, ball.radius, meetsIn(*m_rooms))) return true;
  for (const PointGrid::Entry& e : m_new)
    if (own.meets(0, *m_rooms, e.index)) return true;
  return m_surroundings && m_surroundings->rooms &&
         m_surroundings->others.any(ball.position, ball.radius, meetsIn(*m_surroundings->rooms));
}

BrushRefusal BrushStroke::refusalAt(const GroundPlace& place, const Drawn& drawn) const {
  const float radius = drawn.radius;
  if (m_allows && !m_allows(place)) return BrushRefusal::OutsideMask;
  if (m_spaced.hits(place.position, 0)) return BrushRefusal::TooNear;
  const ConflictRule rule{1, m_how.gap, {}, false};
  for (const PointGrid::Entry& e : m_new) {
    const float distance = glm::distance(e.position, place.position);
    if (distance < m_how.spacing || (m_how.isClear && !m_rooms && distance < rule.distance(radius, e.radius)))
      return BrushRefusal::TooNear;
  }
  if (!m_how.isClear) return BrushRefusal::None;
  if (m_rooms) return isRoomTaken(place, drawn) ? BrushRefusal::TooNear : BrushRefusal::None;
  if (m_room.hits(place.position, radius)) return BrushRefusal::TooNear;
  return m_surroundings && m_surroundings->others.hits(place.position, radius) ? BrushRefusal::TooNear
                                                                               : BrushRefusal::None;
}

BrushRefusal BrushStroke::refusal(const BrushDab& dab) const {
  const auto place = m_ground.at(dab.place, dab.normal, dab.radius);
  if (!place) return BrushRefusal::NoGround;
  return refusalAt(*place, drawn(dab, 0));
}

HandPoint BrushStroke::keep(const Drawn& drawn, const GroundPlace& place) {
  HandPoint point = drawn.point;
  standAt(m_points, point, place, m_ground);
  point.prop = drawn.prop->uid.empty() ? 0 : m_points.numberOf(drawn.prop->uid);
  m_new.push_back({point.place, drawn.radius, m_rooms ? m_rooms->count() : 0});
  if (m_rooms) addRoom(*m_rooms, point, point.normal, *drawn.prop);
  return point;
}

std::vector<HandPoint> BrushStroke::add(const BrushDab& dab) {
  constexpr int kFewest = 12;
  constexpr int kMost = 600;  // a stroke comes by again
  const float reach = dab.radius * m_how.spread;
  const float apart = std::max(m_how.spacing, 1e-3F);
  const int tries = std::clamp(static_cast<int>(12 * reach * reach / (apart * apart)), kFewest, kMost);
  const auto [a, b] = acrossOf(dab.normal);
  ++m_dabs;
  std::vector<HandPoint> out;
  for (int k = 0; k < tries; ++k) {
    const std::uint64_t draw = hashOf(m_dabs, static_cast<std::uint64_t>(k));
    const float angle = 2 * kPi * unitFloat(hashOf(m_seed, draw, 5));
    // The first one in the middle, so that a press sets where it points.
    const float away = k == 0 ? 0 : reach * std::sqrt(unitFloat(hashOf(m_seed, draw, 6)));
    const Vec3 at = dab.place + (a * std::cos(angle) + b * std::sin(angle)) * away;
    const auto place = m_ground.at(at, dab.normal, dab.radius);
    if (!place) continue;
    const Drawn d = drawn(dab, draw);
    // Judged where it will stand, rounded.
    GroundPlace stands = *place;
    stands.position = rounded(place->position, kPlaceStep);
    if (refusalAt(stands, d) != BrushRefusal::None) continue;
    out.push_back(keep(d, stands));
    if (reach <= 0) break;
  }
  m_points.list.append(out);
  m_spaced.add(m_new);
  if (m_rooms)
    for (PointGrid::Entry& e : m_new) e = m_rooms->ball(e.index);
  if (m_how.isClear) m_room.add(m_new);
  m_new.clear();
  m_isFull = out.empty();
  return out;
}

std::pair<HandPoint, std::string> BrushStroke::ghost(const BrushDab& dab, std::uint64_t turn) const {
  Drawn d = drawn(dab, turn);
  d.point.place = dab.place;
  d.point.normal = dab.normal;
  return {d.point, d.prop->uid};
}

HandPoint BrushStroke::one(HandPoints& points, const GroundPlace& place, float headingDeg, float size, Vec2 tiltDeg,
                           std::uint64_t turn) const {
  const Drawn d = drawn({}, turn);
  HandPoint out = d.point;
  out.key = hashOf(m_seed, turn, std::uint64_t{7});
  out.heading = rounded(std::remainder(headingDeg, 360.0F), kAngleStep);
  out.size = Vec3(rounded(size, kSizeStep));
  out.tilt = {rounded(tiltDeg.x, kAngleStep), rounded(tiltDeg.y, kAngleStep)};
  out.prop = d.prop->uid.empty() ? 0 : points.numberOf(d.prop->uid);
  standAt(points, out, place, m_ground);
  return out;
}

namespace {

/// Where each point within the dab is pushed to, so that footprints part: some rounds of half of what is missing
/// between each two, summed (position-based dynamics; Müller and others 2007), along the ground.
std::map<std::uint64_t, Vec3> pushesOf(const HandPoints& points, const BrushDab& dab, float gap,
                                       const std::function<float(const HandPoint&)>& radiusOf) {
  constexpr int kRounds = 12;
  Array<PointGrid::Entry> entries;
  std::vector<const HandPoint*> within;
  float largest = 0;
  points.list.forEach([&](const HandPoint& p) { largest = std::max(largest, radiusOf(p)); });
  points.list.forEach([&](const HandPoint& p) {
    if (glm::distance(p.place, dab.place) >= dab.radius + 2 * largest + gap) return;
    entries.push_back({p.place, radiusOf(p), static_cast<std::uint32_t>(within.size())});
    within.push_back(&p);
  });
  for (int round = 0; round < kRounds; ++round) {
    const PointGrid grid(entries, std::max(2 * largest + gap, 1e-3F));
    Array<Vec3> push(entries.size());
    bool isDone = true;
    for (std::size_t i = 0; i < entries.size(); ++i) {
      push[i] = Vec3(0);
      const float fade = fadeOf(dab, within[i]->place);
      if (fade <= 0) continue;
      std::uint32_t last = 0xffffffffU;  // the grid may name one twice, side by side
      grid.near(entries[i].position, entries[i].radius + largest + gap, [&](const PointGrid::Entry& other) {
        if (other.index == i || other.index == last) return false;
        last = other.index;
        const float needed = entries[i].radius + other.radius + gap;
        Vec3 away = entries[i].position - other.position;
        const float distance = glm::length(away);
        if (distance >= needed) return false;
        if (distance < 1e-4F) {  // in one place: apart by who they are
          const float angle = 2 * kPi * unitFloat(hashOf(within[i]->key));
          const auto [a, b] = acrossOf(glm::normalize(within[i]->normal));
          away = a * std::cos(angle) + b * std::sin(angle);
        }
        push[i] += glm::normalize(away) *
                   (0.55F * (1.01F * needed + 1e-3F - distance));  // ends, in place of closing in
        return false;
      });
      push[i] *= std::min(1.0F, 2 * fade) * dab.strength;
      isDone = isDone && push[i] == Vec3(0);
    }
    if (isDone) break;
    for (std::size_t i = 0; i < entries.size(); ++i) entries[i].position += push[i];
  }
  std::map<std::uint64_t, Vec3> out;
  for (std::size_t i = 0; i < entries.size(); ++i)
    if (const Vec3 by = entries[i].position - within[i]->place; by != Vec3(0)) out[within[i]->key] = by;
  return out;
}

}  // namespace

bool adjust(HandPoints& points, const BrushDab& dab, const BrushAdjust& how, const BrushGround& ground,
            const std::function<float(const HandPoint&)>& radiusOf) {
  using Fate = SharedList<HandPoint>::Fate;
  const auto pushes = how.effect == BrushEffect::Apart ? pushesOf(points, dab, how.gap, radiusOf)
                                                       : std::map<std::uint64_t, Vec3>();
  const auto moved = [&](HandPoint& p, const Vec3& by) {
    if (glm::length(by) < kPlaceStep) return false;
    const Vec3 axis = glm::normalize(p.normal);
    const Vec3 along = by - axis * glm::dot(by, axis);
    if (p.ground == 0) {  // on no ground: along its own side
      p.place = rounded(p.place + along, kPlaceStep);
      return true;
    }
    const auto place = groundOnLine(*ground.surface, *ground.index, p.place + along, axis, dab.radius);
    if (place) standOn(points, p, *place, *ground.surface);
    return place.has_value();
  };
  const auto sized = [&](HandPoint& p, float factor) {
    const float now = std::clamp(p.size.x * factor, std::min(how.size.from, p.size.x), std::max(how.size.to, p.size.x));
    if (std::abs(now / p.size.x - 1) < 1e-4F) return false;
    const Vec3 before = p.size;
    p.size = rounded(p.size * (now / p.size.x), kSizeStep);
    if ((p.size.x > before.x) != (factor > 1)) p.size = before;  // rounding went the other way
    return p.size != before;
  };
  HandPoints out = points;
  bool isChanged = false;
  out.list.edit([&](HandPoint& p) {
    const float effect = fadeOf(dab, p.place) * dab.strength;
    if (effect <= 0) return Fate::Stays;
    const HandPoint before = p;
    switch (how.effect) {
      case BrushEffect::Apart:
        if (const auto it = pushes.find(p.key); it != pushes.end()) moved(p, it->second);
        break;
      case BrushEffect::Together: moved(p, (dab.place - p.place) * (0.2F * effect)); break;
      case BrushEffect::Grow: sized(p, 1 + 0.1F * effect); break;
      case BrushEffect::Shrink: sized(p, 1 / (1 + 0.1F * effect)); break;
      case BrushEffect::Turn: p.heading = rounded(std::remainder(p.heading + 10 * effect, 360.0F), kAngleStep); break;
      case BrushEffect::Lean:
        p.tilt.x = rounded(std::min(p.tilt.x + 3 * effect, std::max(how.leanDeg, p.tilt.x)), kAngleStep);
        break;
      case BrushEffect::Raise:
        p.lift = rounded(std::min(p.lift + 0.05F * effect, std::max(how.lift, p.lift)), kSizeStep);
        break;
      case BrushEffect::Lower:
        p.lift = rounded(std::max(p.lift - 0.05F * effect, std::min(-how.lift, p.lift)), kSizeStep);
        break;
    }
    if (p == before) return Fate::Stays;
    isChanged = true;
    return Fate::Changed;
  });
  // `moved` gives numbers of grounds to `points`, which were taken up there.
  out.grounds = points.grounds;
  points = std::move(out);
  return isChanged;
}

std::size_t remove(HandPoints& points, const BrushDab& dab, const std::function<bool(const HandPoint&)>& fits) {
  using Fate = SharedList<HandPoint>::Fate;
  const std::size_t before = points.list.size();
  points.list.edit([&](HandPoint& p) {
    return glm::distance(p.place, dab.place) <= dab.radius && fits(p) ? Fate::Goes : Fate::Stays;
  });
  return before - points.list.size();
}

}  // namespace arvesk
