// Vectors, turns and boxes: names for the glm types that everything uses. Meters, right-handed, Y up, radians.
#pragma once

#include <glm/glm.hpp>
#include <glm/gtc/quaternion.hpp>

#include <cmath>
#include <cstdint>
#include <limits>
#include <numbers>

namespace arvesk {

using Vec2 = glm::vec2;
using Vec3 = glm::vec3;
using Vec4 = glm::vec4;
using DVec3 = glm::dvec3;
using IVec3 = glm::ivec3;
using UVec3 = glm::uvec3;
using Quat = glm::quat;  // glm order in the constructor: w, x, y, z
using Mat3 = glm::mat3;
using Mat4 = glm::mat4;

inline constexpr float kPi = std::numbers::pi_v<float>;
inline constexpr Vec3 kUp{0, 1, 0};

inline bool isFinite(const Vec3& v) { return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z); }
inline float degrees(float radians) { return radians * (180.0F / kPi); }
inline float radians(float deg) { return deg * (kPi / 180.0F); }

/// Unit vector along v, or `fallback` when v has no direction.
inline Vec3 directionOr(const Vec3& v, const Vec3& fallback) {
  const float length = glm::length(v);
  return length > 1e-12F && std::isfinite(length) ? v / length : fallback;
}

/// Angle between two unit vectors, radians; exact near 0 and pi where acos is not (Kahan, "How futile are mindless
/// assessments of roundoff", 2006, section 12).
inline float angleBetween(const Vec3& a, const Vec3& b) {
  return 2.0F * std::atan2(glm::length(a - b), glm::length(a + b));
}

/// The way a compass heading looks: 0 is north (−Z), a quarter turn is east (+X), clockwise from above. Radians.
inline Vec3 headingVector(float heading) { return {std::sin(heading), 0, -std::cos(heading)}; }
/// The heading of a direction, radians in (−π, π]; of one that points straight up or down, 0.
inline float headingOf(const Vec3& v) { return v.x == 0 && v.z == 0 ? 0.0F : std::atan2(v.x, -v.z); }

/// The shortest turn that takes unit vector `from` to unit vector `to`.
inline Quat shortestTurn(const Vec3& from, const Vec3& to) {
  const float cosine = glm::dot(from, to);
  if (cosine < -0.999999F) {  // opposite: any axis across does, take a fixed one
    const Vec3 side = std::abs(from.x) < 0.9F ? Vec3(1, 0, 0) : Vec3(0, 0, 1);
    const Vec3 axis = glm::normalize(glm::cross(from, side));
    return Quat(0, axis.x, axis.y, axis.z);
  }
  const Vec3 axis = glm::cross(from, to);
  return glm::normalize(Quat(1.0F + cosine, axis.x, axis.y, axis.z));
}

/// A turn from degrees about X, then Y, then Z.
inline Quat turnOf(const Vec3& turnDeg) {
  const auto about = [](float deg, const Vec3& axis) { return glm::angleAxis(radians(deg), axis); };
  return about(turnDeg.z, {0, 0, 1}) * about(turnDeg.y, {0, 1, 0}) * about(turnDeg.x, {1, 0, 0});
}

/// Turn whose Y axis is `up` and whose Z axis looks as far as possible along `ahead`; where that says nothing, it looks
/// north (or east) and `isParallel` is set.
inline Quat turnFacing(const Vec3& up, const Vec3& ahead, bool& isParallel) {
  Vec3 flat = ahead - up * glm::dot(up, ahead);
  isParallel = glm::length(flat) < 1e-4F;
  if (isParallel) {
    const Vec3 other = std::abs(up.z) < 0.9F ? Vec3(0, 0, -1) : Vec3(1, 0, 0);
    flat = other - up * glm::dot(up, other);
  }
  flat = glm::normalize(flat);
  return glm::normalize(glm::quat_cast(Mat3(glm::cross(up, flat), up, flat)));
}

/// Turn whose Y axis is `up` and whose front is at `heading` (radians, clockwise) about it: the compass, leaned as a
/// whole by the shortest way from upright. Headings that are uniform stay so on every wall.
inline Quat turnAbout(const Vec3& up, float heading) {
  return glm::normalize(shortestTurn(kUp, up) * glm::angleAxis(kPi - heading, kUp));
}

/// Turn of a thing that is tilted about its own axes and then looks, by its front, toward a compass heading. Degrees.
inline Quat headingTurn(float headingDeg, const Vec3& tiltDeg) {
  return glm::normalize(turnAbout(kUp, radians(headingDeg)) * turnOf(tiltDeg));
}

struct Box3 {
  Vec3 min{std::numeric_limits<float>::max()};
  Vec3 max{std::numeric_limits<float>::lowest()};

  bool isEmpty() const { return min.x > max.x; }
  void add(const Vec3& p) {
    min = glm::min(min, p);
    max = glm::max(max, p);
  }
  void add(const Box3& b) {
    min = glm::min(min, b.min);
    max = glm::max(max, b.max);
  }
  Vec3 center() const { return isEmpty() ? Vec3(0) : 0.5F * (min + max); }
  Vec3 extent() const { return isEmpty() ? Vec3(0) : max - min; }
  bool holds(const Vec3& p) const {
    return glm::all(glm::greaterThanEqual(p, min)) && glm::all(glm::lessThanEqual(p, max));
  }
  bool overlaps(const Box3& b) const {
    return glm::all(glm::lessThanEqual(min, b.max)) && glm::all(glm::greaterThanEqual(max, b.min));
  }
};

}  // namespace arvesk
