// Points: places with orientation, size, footprint, ground record, id and attributes; placements once each has a prop.
#pragma once

#include "core/geometry/attributes.h"

#include <optional>

namespace arvesk {

struct Kit;  // props/kit.h

inline constexpr std::uint32_t kNoFace = 0xffffffffU;
inline constexpr std::int32_t kNoProp = -1;

struct Points {
  std::size_t count = 0;
  Column<Vec3> position;                       // m, world
  Column<Quat> orientation{Quat(1, 0, 0, 0)};  // world from own
  Column<Vec3> size{Vec3(1)};                  // factors along own axes
  Column<float> footprint{0.0F};               // radius of ground claimed at size 1, m
  Column<Vec3> groundNormal{kUp};              // ground record: normal, face and uv where last set down
  Column<std::uint32_t> groundFace{kNoFace};
  Column<Vec2> groundUv{Vec2(0)};
  Column<std::uint64_t> id;  // unique within the points
  Attributes attributes;
  std::shared_ptr<const Kit> kit;      // null until dressed
  Column<std::int32_t> prop{kNoProp};  // index into the kit

  /// Footprint × the larger of the own x and z size, m.
  float effectiveFootprint(std::size_t i) const {
    return footprint[i] * std::max(std::abs(size[i].x), std::abs(size[i].z));
  }
  std::size_t bytes() const;
};

using PointsPtr = std::shared_ptr<const Points>;

/// The points at `indices`, in that order; everything that is the same for all stays shared.
Points gathered(const Points& points, const Array<std::uint32_t>& indices);

/// The points for which `keeps` is true and, in second place, the others; order and ids stay.
std::pair<PointsPtr, PointsPtr> split(const Points& points, const Array<std::uint8_t>& keeps);

/// Checks the invariants: array lengths, finite positions, unique ids. For tests and assertions.
std::optional<std::string> findFault(const Points& points);

/// Do two sets agree bit for bit? Says where not.
std::optional<std::string> findDifference(const Points& a, const Points& b);

}  // namespace arvesk
