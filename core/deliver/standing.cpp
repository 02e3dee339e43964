#include "core/deliver/standing.h"

#include "core/geometry/prop.h"
#include "core/props/quantities.h"
#include "core/spatial/ground.h"

#include <algorithm>
#include <mutex>

namespace arvesk {
namespace {

/// Vertices that may be lowest or highest when the prop is turned: the extreme ones of the mesh in directions over the
/// sphere.
std::vector<Vec3> extremesOf(const Surface& s) {
  std::vector<Vec3> directions;
  for (const float tilt : {-90.0F, -60.0F, -30.0F, 30.0F, 60.0F, 90.0F})
    for (int k = 0; k < (std::abs(tilt) == 90 ? 1 : 8); ++k) {
      const float a = 2 * kPi * static_cast<float>(k) / 8;
      directions.push_back(
          {std::cos(radians(tilt)) * std::sin(a), std::sin(radians(tilt)), std::cos(radians(tilt)) * std::cos(a)});
    }
  std::vector<Vec3> out;
  for (const Vec3& d : directions) {
    float most = std::numeric_limits<float>::lowest();
    Vec3 best(0);
    for (const UVec3& t : s.triangles)
      for (int k = 0; k < 3; ++k)
        if (const float along = glm::dot(s.positions[t[k]], d); along > most) {
          most = along;
          best = s.positions[t[k]];
        }
    if (std::find(out.begin(), out.end(), best) == out.end()) out.push_back(best);
  }
  return out;
}

}  // namespace

StandingReport checkStanding(const std::vector<PointsPtr>& layers, const std::vector<SurfacePtr>& grounds,
                             const StandingRule& rule, const Task& task) {
  StandingReport report;
  std::vector<std::shared_ptr<const SurfaceIndex>> indices;
  for (const SurfacePtr& g : grounds)
    if (const auto index = SurfaceIndex::of(*g)) indices.push_back(*index);
  if (indices.empty()) return report;
  std::map<const Prop*, std::vector<Vec3>> extremes;
  for (const PointsPtr& p : layers)
    if (p->kit)
      for (const KitEntry& e : p->kit->entries)
        if (!extremes.contains(e.prop.get())) extremes[e.prop.get()] = extremesOf(*e.prop->surface);

  /// Height above the nearest ground; nothing where there is none.
  const auto above = [&](const Vec3& place) -> std::optional<float> {
    std::optional<float> best;
    for (std::size_t g = 0; g < indices.size(); ++g) {
      const auto found = groundUnder(*grounds[g], *indices[g], place);
      if (!found) continue;
      const float d = place.y - found->position.y;
      if (!best || std::abs(d) < std::abs(*best)) best = d;
    }
    return best;
  };
  std::mutex mutex;
  for (std::size_t l = 0; l < layers.size(); ++l) {
    const Points& p = *layers[l];
    if (!p.kit) continue;
    const bool isInVolume = columnOf<Column<float>>(p.attributes, "depth") != nullptr;
    const auto* cells = columnOf<Column<Vec3>>(p.attributes, "cell");
    const bool isInCourses = cells && p.attributes.contains("row");
    const Extents extents(p);
    const bool hasParents = columnOf<Column<std::uint64_t>>(p.attributes, "parent") != nullptr;
    const Array<std::uint32_t> order = mortonOrder(p.position, p.count);
    parallelPieces(task, p.count, 256, [&](std::size_t begin, std::size_t end) {
      StandingReport part;
      std::vector<Vec3> world;
      for (std::size_t k = begin; k < end; ++k) {
        const std::uint32_t i = order[k];
        if (p.prop[i] == kNoProp) continue;
        // Put together with others, points that lie in no cell have one of nothing.
        if (isInCourses && (*cells)[i].x > 0 && (*cells)[i].z > 0) {
          const Vec3 own = extents(i);
          bool hasGap = false;
          bool isOver = false;
          for (const int axis : {0, 2}) {
            hasGap = hasGap || own[axis] < 0.9F * (*cells)[i][axis];
            isOver = isOver || own[axis] > 1.1F * (*cells)[i][axis];
          }
          ++part.inCourses;
          part.withGaps += hasGap;
          part.overlapping += isOver;
          continue;
        }
        // Pieces of one whole hold each other.
        const bool isPiece = p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->piece != nullptr;
        if ((hasParents || isPiece) && p.groundFace[i] == kNoFace) {
          ++part.onProps;
          continue;
        }
        if (isInVolume && p.groundFace[i] == kNoFace) {
          ++part.inVolumes;
          continue;
        }
        const Prop& prop = *p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop;
        world.clear();
        float lowest = std::numeric_limits<float>::max();
        float highest = std::numeric_limits<float>::lowest();
        for (const Vec3& v : extremes.at(&prop)) {
          world.push_back(p.position[i] + p.orientation[i] * (p.size[i] * v));
          lowest = std::min(lowest, world.back().y);
          highest = std::max(highest, world.back().y);
        }
        const float height = std::max(highest - lowest, 1e-4F);
        // The foot: what lies in the lower half; any of it that touches holds the whole.
        float gap = std::numeric_limits<float>::max();
        float top = std::numeric_limits<float>::lowest();
        bool hasGround = false;
        for (const Vec3& v : world) {
          const bool isFoot = v.y <= lowest + 0.5F * height;
          const bool isTop = v.y >= highest - 0.25F * height;
          if (!isFoot && !isTop) continue;
          const auto d = above(v);
          if (!d) continue;
          hasGround = true;
          if (isFoot) gap = std::min(gap, *d);
          if (isTop) top = std::max(top, *d);
        }
        if (!hasGround || gap == std::numeric_limits<float>::max()) {
          ++part.withoutGround;
          continue;
        }
        ++part.checked;
        StandingFault fault{static_cast<std::uint32_t>(l), i, false, gap, gap - rule.hoverOver};
        const float allowed = (1 - rule.buriedOver) * height;  // how much must look out
        if (gap > rule.hoverOver) {
          ++part.hovering;
          part.faults.push_back(fault);
        } else if (top < allowed && top > std::numeric_limits<float>::lowest()) {
          fault.isBuried = true;
          fault.gap = top;
          fault.badness = allowed - top;
          ++part.buried;
          part.faults.push_back(fault);
        }
      }
      const std::lock_guard lock(mutex);
      report.faults.insert(report.faults.end(), part.faults.begin(), part.faults.end());
      report.checked += part.checked;
      report.onProps += part.onProps;
      report.inVolumes += part.inVolumes;
      report.withoutGround += part.withoutGround;
      report.inCourses += part.inCourses;
      report.withGaps += part.withGaps;
      report.overlapping += part.overlapping;
      report.hovering += part.hovering;
      report.buried += part.buried;
    });
  }
  std::sort(report.faults.begin(), report.faults.end(), [](const StandingFault& a, const StandingFault& b) {
    return std::tuple(-a.badness, a.layer, a.point) < std::tuple(-b.badness, b.layer, b.point);
  });
  return report;
}

}  // namespace arvesk
