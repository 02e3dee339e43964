// Removing overlaps: the greedy maximal independent set by priority. Clearance and Even scatter both use it.
#pragma once

#include "core/base/task.h"
#include "core/spatial/point_grid.h"

#include <optional>

namespace arvesk {

class Rooms;

/// When two points are too close: distance < factor × (radius i + radius j) + gap, or distance < a fixed spacing.
/// Touching is allowed.
struct ConflictRule {
  float factor = 1;
  float gap = 0;                      // m
  std::optional<float> fixedSpacing;  // m, instead of the radii
  bool isFromAbove = false;           // distances in x and z only
  const Rooms* rooms = nullptr;  // points of which these meet; by index of an entry, which is a ball about its room

  float distance(float radiusA, float radiusB) const {
    return fixedSpacing ? *fixedSpacing : factor * (radiusA + radiusB) + gap;
  }
  bool conflicts(const Vec3& a, float radiusA, const Vec3& b, float radiusB) const {
    Vec3 d = a - b;
    if (isFromAbove) d.y = 0;
    const float least = distance(radiusA, radiusB);
    return least > 0 && glm::dot(d, d) < least * least;
  }
};

/// Kept points of several sizes, asked about one place at a time. Adding is cheap for its size: what came late stands
/// in a grid of its own until it is a quarter of all.
class KeptPoints {
 public:
  explicit KeptPoints(const ConflictRule& rule) : m_rule(rule) {}
  void add(const Array<PointGrid::Entry>& entries);
  bool hits(const Vec3& position, float radius) const;
  /// The same of an entry of the rule's rooms.
  bool hits(const PointGrid::Entry& entry) const;
  /// Is there a kept point for which visit(entry) is true, among those that could conflict with a point of `radius`
  /// here?
  template <typename Visit>
  bool any(const Vec3& position, float radius, Visit&& visit) const {
    const Vec3 place = m_rule.isFromAbove ? Vec3(position.x, 0, position.z) : position;
    for (const std::vector<PointGrid>* grids : {&m_grids, &m_lateGrids})
      for (const PointGrid& grid : *grids)
        if (grid.near(place, m_rule.distance(radius, grid.largestRadius()), visit)) return true;
    return false;
  }

 private:
  ConflictRule m_rule;
  Array<PointGrid::Entry> m_entries;
  Array<PointGrid::Entry> m_late;
  std::vector<PointGrid> m_grids;
  std::vector<PointGrid> m_lateGrids;
};

/// Splits by size (factor 4 each) and makes a grid of each class with cells 1.75 × the largest conflict distance of the
/// class.
std::vector<PointGrid> gridsBySize(const Array<PointGrid::Entry>& entries, const ConflictRule& rule);

/// How a point ends: kStays, kGoes, or kOpen where that hangs on points that are not there.
inline constexpr std::uint8_t kGoes = 0;
inline constexpr std::uint8_t kStays = 1;
inline constexpr std::uint8_t kOpen = 2;

/// kStays for each point that stays: it has no conflict with `against` nor with a staying point of higher priority.
/// Equals the sequential greedy answer for any number of threads. Parallel rounds over doubling prefixes of the
/// priority order (Blelloch, Fineman, Shun: "Greedy sequential maximal independent set and matching are parallel on
/// average", SPAA 2012); departs from the paper in that each prefix is first cleared of what earlier kept points hit,
/// and that a point waits on its first undecided neighbor. `points[i].index` must be i; `order` lists the indices by
/// falling priority. `unsure` (by index; empty: nobody): points that others of any priority may be near to who are not
/// there. Then a point that no staying one hits, but an open one may, or an unknown one, is kOpen.
Array<std::uint8_t> keepByPriority(const Task& task, const Array<PointGrid::Entry>& points,
                                   const Array<std::uint32_t>& order, const KeptPoints& against,
                                   const ConflictRule& rule, const Array<std::uint8_t>& unsure = {});

}  // namespace arvesk
