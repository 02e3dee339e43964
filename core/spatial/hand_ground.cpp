#include "core/spatial/hand_ground.h"

namespace arvesk {
namespace {

constexpr float kStill = 1e-3F;  // m; ground that is no farther from a place has not moved away from it

/// Calls visit(hit, height) for the faces that a line through `place` along `axis` meets, from `reach` above on down,
/// until it returns true. Faces that lie in each other count once.
template <typename Visit>
void forFacesOnLine(const SurfaceIndex& index, const Vec3& place, const Vec3& axis, float reach, Visit visit) {
  constexpr int kMost = 256;
  float height = reach;
  for (int i = 0; i < kMost; ++i) {
    SurfaceHit hit = index.first(place + axis * height, -axis, height + reach);
    if (!hit.isHit()) return;
    const float at = height - hit.distance;
    if (visit(hit, at)) return;
    height = at - std::max(1e-4F, 2e-6F * std::max({std::abs(place.x), std::abs(place.y), std::abs(place.z)}));
  }
}

}  // namespace

std::optional<GroundPiece> pieceOf(const Surface& ground, std::uint32_t key) {
  for (const GroundPiece& piece : ground.pieces)
    if (piece.key == key) return piece;
  if (key == 0 && ground.pieces.empty()) return GroundPiece{};
  return {};
}

void followGround(HandPoint& point, const GroundPiece& then, const Surface& ground) {
  const auto now = pieceOf(ground, then.key);
  if (!now || *now == then) return;
  const Quat turn = glm::normalize(now->turn * glm::conjugate(then.turn));
  point.place = turn * ((point.place - then.origin) * (now->size / then.size)) + now->origin;
  if (std::abs(turn.w) > 0.9999999F) return;
  const auto upOf = [&](const Vec3& normal) { return directionOr(glm::mix(kUp, normal, point.toNormal), normal); };
  const Vec3 front = turn * (turnAbout(upOf(point.normal), radians(point.heading)) * Vec3(0, 0, 1));
  point.normal = glm::normalize(turn * point.normal);
  point.heading = degrees(headingOf(glm::conjugate(shortestTurn(kUp, upOf(point.normal))) * front));
}

std::optional<GroundPlace> groundOnLine(const Surface& ground, const SurfaceIndex& index, const Vec3& place,
                                        const Vec3& axis, float reach) {
  struct Nearest {
    SurfaceHit hit;
    float height = std::numeric_limits<float>::infinity();
    void offer(const SurfaceHit& other, float at) {
      if (std::abs(at) < std::abs(height)) *this = {other, at};
    }
  };
  Nearest facing;
  Nearest any;
  forFacesOnLine(index, place, axis, reach, [&](const SurfaceHit& hit, float at) {
    any.offer(hit, at);
    if (glm::dot(ground.faceNormal(hit.face), axis) > 0) facing.offer(hit, at);
    return at < -std::abs(facing.height);  // farther below than the nearest is above
  });
  const Nearest& found = facing.hit.isHit() ? facing : any;
  if (!found.hit.isHit()) return {};
  GroundPlace out = groundPlaceOf(ground, found.hit);
  if (glm::dot(out.normal, axis) < 0) out.normal = -out.normal;
  if (std::abs(found.height) <= kStill) out.position = place;
  return out;
}

std::optional<GroundPlace> groundOfHand(const Surface& ground, const SurfaceIndex& index, const Vec3& place,
                                        const Vec3& normal, float reach) {
  const Vec3 axis = std::abs(normal.y) < 0.5F ? glm::normalize(normal) : normal.y > 0 ? kUp : -kUp;
  return groundOnLine(ground, index, place, axis, reach);
}

void standOn(HandPoints& points, HandPoint& point, const GroundPlace& place, const Surface& ground) {
  // To a tenth of a millimeter (and of a unit length): nobody sees it, and lines in files are short. Divided, so that
  // it is the float nearest to the decimal number.
  const auto rounded = [](const Vec3& v) { return glm::round(v * 1e4F) / 1e4F; };
  point.place = rounded(place.position);
  point.normal = rounded(place.normal);
  const auto key = static_cast<std::uint32_t>(ground.faceKey(place.face) >> 32);
  point.ground = points.numberOf(pieceOf(ground, key).value_or(GroundPiece{key}));
}

HandPoints settled(HandPoints points, const Surface& ground, const SurfaceIndex& index, float reach) {
  using Fate = SharedList<HandPoint>::Fate;
  const std::vector<GroundPiece> before = points.grounds;
  HandPoints out = points;
  out.list.edit([&](HandPoint& p) {
    if (p.ground == 0 || p.ground > before.size()) return Fate::Stays;
    HandPoint now = p;
    followGround(now, before[p.ground - 1], ground);
    const auto place = groundOfHand(ground, index, now.place, now.normal, reach);
    if (!place) return Fate::Stays;
    const auto piece = pieceOf(ground, before[p.ground - 1].key);
    if (now == p && place->position == p.place && piece == before[p.ground - 1]) return Fate::Stays;
    standOn(points, now, *place, ground);
    p = now;
    return Fate::Changed;
  });
  out.grounds = points.grounds;
  return out;
}

}  // namespace arvesk
