// Points: places with orientation, size, footprint, ground record, id and attributes; placements once each has a prop.
#pragma once

#include "core/base/hash.h"
#include "core/geometry/attributes.h"

#include <limits>
#include <optional>

namespace arvesk {

struct Kit;  // props/kit.h

inline constexpr std::uint32_t kNoFace = 0xffffffffU;
inline constexpr std::int32_t kNoProp = -1;
inline constexpr float kDraftByRank = -1;
inline constexpr float kNeverInDraft = 2;
/// Nothing is made smaller than this; what is not larger along any axis is not there: Output leaves it out.
inline constexpr float kGoneSize = 1e-4F;

/// Bounds on the room of points, wherever they lie; infinite where nothing is known.
struct Most {
  float footprint = std::numeric_limits<float>::infinity();  // at size 1, m
  float size = std::numeric_limits<float>::infinity();       // along any own axis
  bool operator==(const Most&) const = default;
  float effective() const { return footprint > 0 && size > 0 ? footprint * size : 0; }  // effectiveFootprint, m
  Most with(const Most& o) const { return {std::max(footprint, o.footprint), std::max(size, o.size)}; }
};

struct Points {
  std::size_t count = 0;
  Column<Vec3> position;                       // m, world
  Column<Quat> orientation{Quat(1, 0, 0, 0)};  // world from own
  Column<Vec3> size{Vec3(1)};                  // factors along own axes
  Column<float> footprint{0.0F};               // radius of ground claimed at size 1, m
  Column<Vec3> groundNormal{kUp};              // ground record: normal, face and uv where last set down
  Column<std::uint32_t> groundFace{kNoFace};
  Column<Vec2> groundUv{Vec2(0)};
  Column<Vec3> movedBy{Vec3(0)};                 // along the ground since that record was made, m: see withMoves
  Column<std::uint64_t> id;                      // unique within the points
  Column<float> draftLevel{0.0F};                // see isInDraft
  Column<std::uint8_t> isKept{std::uint8_t{0}};  // by hand: no filter takes it away
  Attributes attributes;
  std::shared_ptr<const Kit> kit;      // null until dressed
  Column<std::int32_t> prop{kNoProp};  // index into the kit
  Most most{};  // of the whole that these are a part of, set by the evaluator; says nothing of what they are

  /// Does a draft that delivers `share` of all (0…1) deliver this one? Each point has its level for good: 0 is in every
  /// draft, kDraftByRank draws it from the id, above 1 is only in final.
  bool isInDraft(std::size_t i, float share) const { return share >= 1 || levelOf(i) < share; }
  float levelOf(std::size_t i) const { return draftLevel[i] == kDraftByRank ? draftRank(id[i]) : draftLevel[i]; }
  static float draftRank(std::uint64_t pointId) { return unitFloat(mix64(pointId ^ 0x64726166744c766cULL)); }

  bool isGone(std::size_t i) const {
    return std::max({std::abs(size[i].x), std::abs(size[i].y), std::abs(size[i].z)}) <= kGoneSize;
  }
  /// Footprint × the larger of the own x and z size, m.
  float effectiveFootprint(std::size_t i) const {
    return footprint[i] * std::max(std::abs(size[i].x), std::abs(size[i].z));
  }
  /// Does it not stand where its ground record was made any more? A jitter of boards is less than that.
  bool isMoved(std::size_t i) const { return glm::dot(movedBy[i], movedBy[i]) > 0.05F * 0.05F; }
  std::size_t movedCount() const;
  /// Of the arrays; the kit is counted by who knows what it is (props/prop.h).
  void countBytes(ByteCounter& counter) const;
};

using PointsPtr = std::shared_ptr<const Points>;

/// The points at `indices`, in that order; everything that is the same for all stays shared.
Points gathered(const Points& points, const Array<std::uint32_t>& indices);

/// The points for which `keeps` is true and, in second place, the others; order and ids stay.
std::pair<PointsPtr, PointsPtr> split(const Points& points, const Array<std::uint8_t>& keeps);

/// Adds to `movedBy` of `after` how far a node moved each point along the ground, where it kept the ground record. Up
/// and down, by the world or by the ground's normal, does not count: who sinks or lifts something means it.
PointsPtr withMoves(const Points& before, PointsPtr after);

/// The room that these points have at most.
Most mostOf(const Points& points);
/// The same points with that bound.
PointsPtr withMost(PointsPtr points, const Most& most);

/// Checks the invariants: array lengths, finite positions, unique ids. For tests and assertions.
std::optional<std::string> findFault(const Points& points);

/// Do two sets agree bit for bit? Says where not.
std::optional<std::string> findDifference(const Points& a, const Points& b);

}  // namespace arvesk
