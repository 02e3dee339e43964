#include "core/base/hand_points.h"

#include "core/base/number_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cstring>
#include <unordered_set>

namespace arvesk {
namespace {

constexpr float kFarthest = 1e7F;  // m; what is farther has no place that a float can say

std::uint64_t bitsOf(float a, float b) {
  std::uint32_t x = 0;
  std::uint32_t y = 0;
  std::memcpy(&x, &a, sizeof x);
  std::memcpy(&y, &b, sizeof y);
  return std::uint64_t{x} << 32 | y;
}

/// The next word of a line of words parted by blanks.
std::string_view wordOf(std::string_view& line) {
  const std::size_t begin = std::min(line.find_first_not_of(' '), line.size());
  const std::size_t end = std::min(line.find(' ', begin), line.size());
  const std::string_view word = line.substr(begin, end - begin);
  line.remove_prefix(end);
  return word;
}

template <typename T>
bool takeWhole(std::string_view& line, T& out, int base = 10) {
  const std::string_view word = wordOf(line);
  const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), out, base);
  return !word.empty() && error == std::errc() && end == word.data() + word.size();
}

/// The numbers that the line holds, in place of the first of `out`; false where a word is none or there are too many.
template <std::size_t N>
bool takeNumbers(std::string_view line, std::array<float, N>& out) {
  for (std::size_t i = 0;; ++i) {
    const std::string_view word = wordOf(line);
    if (word.empty()) return true;
    const auto number = i < N ? numberIn<float>(word) : std::nullopt;
    if (!number || std::abs(*number) > kFarthest) return false;
    out[i] = *number;
  }
}

template <std::size_t N>
void writeNumbers(std::string& line, const std::array<float, N>& numbers, const std::array<float, N>& usual) {
  std::size_t count = N;
  while (count > 0 && numbers[count - 1] == usual[count - 1]) --count;
  for (std::size_t i = 0; i < count; ++i) line += fmt::format(" {}", numbers[i] + 0.0F);  // no −0
}

/// The more often a number is as usual, the later it stands.
using PointNumbers = std::array<float, 17>;
PointNumbers numbersOf(const HandPoint& p) {
  return {p.place.x, p.place.y, p.place.z, p.heading, p.normal.x, p.normal.y, p.normal.z, p.toNormal, p.size.x,
          p.size.y,  p.size.z,  p.tilt.x,  p.tilt.y,  p.lift,     p.tint.x,   p.tint.y,   p.tint.z};
}

using GroundNumbers = std::array<float, 8>;
GroundNumbers numbersOf(const GroundPiece& g) {
  return {g.origin.x, g.origin.y, g.origin.z, g.size, g.turn.w, g.turn.x, g.turn.y, g.turn.z};
}

template <typename T>
std::uint32_t numberIn(std::vector<T>& list, const T& item) {
  const auto it = std::find(list.begin(), list.end(), item);
  if (it != list.end()) return static_cast<std::uint32_t>(it - list.begin()) + 1;
  list.push_back(item);
  return static_cast<std::uint32_t>(list.size());
}

}  // namespace

std::uint64_t HandPoint::hashed() const {
  return hashOf(key, bitsOf(place.x, place.y), bitsOf(place.z, normal.x), bitsOf(normal.y, normal.z),
                bitsOf(heading, toNormal), bitsOf(tilt.x, tilt.y), bitsOf(size.x, size.y), bitsOf(size.z, lift),
                bitsOf(tint.x, tint.y), bitsOf(tint.z, 0), std::uint64_t{prop} << 32 | ground,
                static_cast<std::uint64_t>(isTaken));
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

std::uint32_t HandPoints::numberOf(const std::string& prop) { return numberIn(props, prop); }
std::uint32_t HandPoints::numberOf(const GroundPiece& ground) { return numberIn(grounds, ground); }

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
