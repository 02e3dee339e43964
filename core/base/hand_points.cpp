#include "core/base/hand_points.h"

#include "core/base/number_line.h"

#include <unordered_set>

namespace arvesk {
namespace {

/// The more often a number is as usual, the later it stands.
using PointNumbers = std::array<float, 21>;
PointNumbers numbersOf(const HandPoint& p) {
  return {p.place.x,  p.place.y, p.place.z, p.heading,    p.normal.x, p.normal.y, p.normal.z,
          p.toNormal, p.size.x,  p.size.y,  p.size.z,     p.tilt.x,   p.tilt.y,   p.lift,
          p.tint.x,   p.tint.y,  p.tint.z,  p.colorShare, p.color.x,  p.color.y,  p.color.z};
}

using GroundNumbers = std::array<float, 8>;
GroundNumbers numbersOf(const GroundPiece& g) {
  return {g.origin.x, g.origin.y, g.origin.z, g.size, g.turn.w, g.turn.x, g.turn.y, g.turn.z};
}

}  // namespace

std::uint64_t HandPoint::hashed() const {
  return hashOf(key, bitsOf(place.x, place.y), bitsOf(place.z, normal.x), bitsOf(normal.y, normal.z),
                bitsOf(heading, toNormal), bitsOf(tilt.x, tilt.y), bitsOf(size.x, size.y), bitsOf(size.z, lift),
                bitsOf(tint.x, tint.y), bitsOf(tint.z, colorShare), bitsOf(color.x, color.y), bitsOf(color.z, 0),
                std::uint64_t{prop} << 32 | ground, static_cast<std::uint64_t>(isTaken));
}

Quat HandPoint::turnOn(const Vec3& groundNormal) const {
  const Vec3 up = directionOr(glm::mix(kUp, groundNormal, toNormal), groundNormal);
  return glm::normalize(turnAbout(up, radians(heading)) * arvesk::turnOf({tilt.x, 0, tilt.y}));
}

void HandPoint::setTurn(const Quat& turn, const Vec3& groundNormal) {
  const Vec3 up = directionOr(glm::mix(kUp, groundNormal, toNormal), groundNormal);
  // What is left is a turn about Y, then, as seen by the thing, about Z and X: the angles of Tait and Bryan in the
  // order Y, Z, X.
  const glm::dmat3 m(glm::mat3_cast(glm::normalize(glm::dquat(glm::inverse(turnAbout(up, 0)) * turn))));
  const double across = std::hypot(m[0][0], m[0][2]);
  const bool isLocked = across < 1e-6;  // then only the sum of the two others says something
  const double y = isLocked ? std::atan2(m[2][0], m[2][2]) : std::atan2(-m[0][2], m[0][0]);
  const double x = isLocked ? 0 : std::atan2(-m[2][1], m[1][1]);
  heading = degrees(static_cast<float>(-y));
  tilt = {degrees(static_cast<float>(x)), degrees(static_cast<float>(std::atan2(m[0][1], across)))};
}

std::uint32_t HandPoints::numberOf(const std::string& prop) { return numberInList(props, prop); }
std::uint32_t HandPoints::numberOf(const GroundPiece& ground) { return numberInList(grounds, ground); }

std::string faultOf(const HandPoints& points) {
  std::unordered_set<std::uint64_t> keys;
  std::string fault;
  points.list.forEach([&](const HandPoint& p) {
    if (!fault.empty()) return;
    if (!keys.insert(p.key).second)
      fault = fmt::format("two placed points are called {:x}", p.key);
    else if (p.prop > points.props.size() || p.ground > points.grounds.size())
      fault = fmt::format("the placed point {:x} names a prop or a ground that is not listed", p.key);
  });
  return fault;
}

std::string lineOf(const HandPoint& p) {
  std::string line = fmt::format("{}{:x} {} {}", p.isTaken ? "=" : "", p.key, p.prop, p.ground);
  writeNumbers(line, numbersOf(p), numbersOf(HandPoint()));
  return line;
}

std::optional<HandPoint> handPointIn(std::string_view line) {
  HandPoint p;
  p.isTaken = line.starts_with('=');
  if (p.isTaken) line.remove_prefix(1);
  PointNumbers n = numbersOf(p);
  if (!takeWhole(line, p.key, 16) || !takeWhole(line, p.prop) || !takeWhole(line, p.ground) || !takeNumbers(line, n))
    return {};
  p.place = {n[0], n[1], n[2]};
  p.heading = n[3];
  p.normal = {n[4], n[5], n[6]};
  const float length = glm::length(p.normal);
  if (std::abs(length - 1) > 1e-3F) p.normal = directionOr(p.normal, kUp);  // else as written, to the bit
  p.toNormal = std::clamp(n[7], 0.0F, 1.0F);
  p.size = {n[8], n[9], n[10]};
  p.tilt = {n[11], n[12]};
  p.lift = n[13];
  p.tint = {n[14], n[15], n[16]};
  p.colorShare = std::clamp(n[17], 0.0F, 1.0F);
  p.color = glm::max(Vec3(n[18], n[19], n[20]), Vec3(0));
  return p;
}

std::string lineOf(const GroundPiece& g) {
  std::string line = fmt::format("{:x}", g.key);
  writeNumbers(line, numbersOf(g), numbersOf(GroundPiece()));
  return line;
}

std::optional<GroundPiece> groundPieceIn(std::string_view line) {
  GroundPiece g;
  GroundNumbers n = numbersOf(g);
  if (!takeWhole(line, g.key, 16) || !takeNumbers(line, n)) return {};
  g.origin = {n[0], n[1], n[2]};
  g.size = n[3];
  g.turn = Quat(n[4], n[5], n[6], n[7]);
  const float length = glm::length(g.turn);
  if (!(g.size > 0) || !(length > 1e-3F)) return {};
  if (std::abs(length - 1) > 1e-5F) g.turn = g.turn / length;
  return g;
}

}  // namespace arvesk
