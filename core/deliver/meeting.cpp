#include "core/deliver/meeting.h"

#include "core/spatial/clearance.h"
#include "core/spatial/rooms.h"

#include <algorithm>
#include <atomic>
#include <mutex>

namespace arvesk {
namespace {

bool isWorse(const Meeting& a, const Meeting& b) {
  return std::tuple(-a.depth, a.smaller, a.larger) < std::tuple(-b.depth, b.smaller, b.larger);
}

void keepWorst(std::vector<Meeting>& all) {
  if (all.size() <= MeetingReport::kMost) return;
  std::nth_element(all.begin(), all.begin() + MeetingReport::kMost, all.end(), &isWorse);
  all.resize(MeetingReport::kMost);
}

}  // namespace

MeetingReport checkMeetings(const std::vector<PointsPtr>& layers, float deeperThan, const Task& task) {
  MeetingReport report;
  Rooms rooms({RoomShape::Mesh});
  std::vector<Meeting::Side> sides;
  for (std::size_t l = 0; l < layers.size(); ++l) {
    const Points& p = *layers[l];
    if (!p.kit) continue;
    for (std::size_t i = 0; i < p.count; ++i) {
      endIfStoppedAt(i);
      if ((i & 4095U) == 0 && task.isCancelled()) return report;
      if (p.prop[i] == kNoProp) continue;
      const PropPtr& prop = p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop;
      if (prop->isMissing) continue;
      rooms.add(prop, -1, p.position[i], p.orientation[i], p.size[i]);
      sides.push_back({static_cast<std::uint32_t>(l), static_cast<std::uint32_t>(i)});
    }
  }
  report.checked = sides.size();
  std::vector<const Column<std::uint64_t>*> parents;
  for (const PointsPtr& p : layers) parents.push_back(columnOf<Column<std::uint64_t>>(p->attributes, "parent"));
  const auto growsOn = [&](const Meeting::Side& child, const Meeting::Side& parent) {
    return parents[child.layer] && (*parents[child.layer])[child.point] == layers[parent.layer]->id[parent.point];
  };
  const auto sizeOf = [&](const Meeting::Side& side) { return layers[side.layer]->effectiveFootprint(side.point); };
  const Array<PointGrid::Entry> balls = rooms.balls();
  const ConflictRule within;
  const std::vector<PointGrid> grids = gridsBySize(balls, within);
  std::vector<std::atomic<std::uint8_t>> isMeeting(sides.size());
  std::mutex mutex;
  parallelPieces(task, balls.size(), 256, [&](std::size_t begin, std::size_t end) {
    std::vector<Meeting> found;
    std::size_t pairs = 0;
    std::size_t grown = 0;
    std::vector<std::uint32_t> near;
    for (std::size_t i = begin; i < end && !task.isCancelled(); ++i) {
      const PointGrid::Entry& own = balls[i];
      near.clear();
      for (const PointGrid& grid : grids)
        grid.near(own.position, within.distance(own.radius, grid.largestRadius()), [&](const PointGrid::Entry& other) {
          if (other.index < own.index && within.conflicts(own.position, own.radius, other.position, other.radius))
            near.push_back(other.index);
          return false;
        });
      std::sort(near.begin(), near.end());
      near.erase(std::unique(near.begin(), near.end()), near.end());
      for (const std::uint32_t k : near) {
        Meeting::Side a = sides[i];
        Meeting::Side b = sides[k];
        const bool isGrown = growsOn(a, b) || growsOn(b, a);
        const float depth = isGrown ? 0 : rooms.depth(own.index, k);
        grown += isGrown;
        if (depth <= deeperThan) continue;
        ++pairs;
        isMeeting[i].store(1, std::memory_order_relaxed);
        isMeeting[k].store(1, std::memory_order_relaxed);
        if (sizeOf(b) < sizeOf(a)) std::swap(a, b);
        found.push_back({a, b, depth});
      }
    }
    const std::lock_guard lock(mutex);
    report.pairs += pairs;
    report.grown += grown;
    report.worst.insert(report.worst.end(), found.begin(), found.end());
    if (report.worst.size() > 50 * MeetingReport::kMost) keepWorst(report.worst);
  });
  keepWorst(report.worst);
  std::sort(report.worst.begin(), report.worst.end(), &isWorse);
  for (const auto& is : isMeeting) report.placements += is.load(std::memory_order_relaxed);
  return report;
}

}  // namespace arvesk
