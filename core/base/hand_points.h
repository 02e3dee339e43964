// Points that a hand made, as a plan keeps them.
#pragma once

#include "core/base/shared_list.h"
#include "core/base/vec.h"

#include <optional>
#include <string>
#include <string_view>

namespace arvesk {

/// One point that a hand made.
struct HandPoint {
  std::uint64_t key = 0;     // for life; what others call it is made from this, or is this where a rule made it once
  bool isTaken = false;      // a rule made it, and a hand took it over
  Vec3 place{0};             // m, in the world, on the ground as it was then
  Vec3 normal = kUp;         // of that ground, toward the side that it stands on; unit length
  float heading = 0;         // degrees, a compass
  float toNormal = 0;        // share 0…1 of the way from upright to the normal
  Vec2 tilt{0};              // degrees about its own X (forward), then Z (aside)
  Vec3 size{1};              // factors
  float lift = 0;            // m above its ground, along the normal
  Vec3 tint{0};              // turns of the color wheel, more or less saturation and brightness as shares
  Vec3 color{0};             // linear light, in place of the prop's
  float colorShare = 0;      // by this share of 0…1
  std::uint32_t prop = 0;    // from 1 in HandPoints::props; 0: one of the Kit, by weight
  std::uint32_t ground = 0;  // from 1 in HandPoints::grounds; 0: it stands where it was put, whatever moves
  bool operator==(const HandPoint&) const = default;
  std::uint64_t hashed() const;

  /// How it stands on ground of this normal.
  Quat turnOn(const Vec3& groundNormal) const;
  /// Sets heading and tilt to what turns it like this there.
  void setTurn(const Quat& turn, const Vec3& groundNormal);
};

/// How a piece of ground lies, as its nodes moved, turned and sized it. A merged ground has several, which move by
/// themselves.
struct GroundPiece {
  std::uint32_t key = 0;  // the upper half of its faces' keys
  Vec3 origin{0};         // m
  Quat turn{1, 0, 0, 0};
  float size = 1;
  bool operator==(const GroundPiece&) const = default;
};

struct HandPoints {
  SharedList<HandPoint> list;
  std::vector<std::string> props;    // uids in the plan's Kit
  std::vector<GroundPiece> grounds;  // as they lay when points were put on them
  bool operator==(const HandPoints&) const = default;

  /// The number that stands for it, taken up if it is new.
  std::uint32_t numberOf(const std::string& prop);
  std::uint32_t numberOf(const GroundPiece& ground);
};

/// What cannot be in them: two points of one key, numbers of no prop or ground; empty when all is well.
std::string faultOf(const HandPoints& points);

/// One line of numbers for a plan's file, and back: what is as usual at its end is left out. Numbers read back as the
/// same floats; nothing where the line is none.
std::string lineOf(const HandPoint& point);
std::optional<HandPoint> handPointIn(std::string_view line);
std::string lineOf(const GroundPiece& ground);
std::optional<GroundPiece> groundPieceIn(std::string_view line);

}  // namespace arvesk
