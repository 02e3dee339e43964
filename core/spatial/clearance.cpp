#include "core/spatial/clearance.h"

#include "core/spatial/rooms.h"

#include <atomic>

namespace arvesk {
namespace {

enum State : std::uint8_t { kUndecided, kKept, kOut, kUnknown };
constexpr std::uint32_t kNobody = 0xffffffffU;

/// Decides among some points alone. They are called by their place in the order of priority, so that who goes before
/// whom needs no looking up, and what is written of them lies together.
class Rounds {
 public:
  /// `open`: by falling priority; `index` is anything. `unsure`: of them, who cannot be said to stay; or empty.
  Rounds(const Array<PointGrid::Entry>& open, const ConflictRule& rule, const Array<std::uint8_t>& unsure)
      : m_rule(rule), m_unsure(unsure), m_state(open.size()), m_waitsFor(open.size(), kNobody) {
    Array<PointGrid::Entry> ranked = open;
    if (rule.rooms) m_room.resize(open.size());
    for (std::size_t i = 0; i < ranked.size(); ++i) {
      if (rule.rooms) m_room[i] = ranked[i].index;
      ranked[i].index = static_cast<std::uint32_t>(i);
    }
    m_grids = gridsBySize(ranked, rule);
  }

  bool isKept(std::size_t i) const { return m_state[i].load(std::memory_order_relaxed) == kKept; }
  bool isUnknown(std::size_t i) const { return m_state[i].load(std::memory_order_relaxed) == kUnknown; }

  void decide(const Task& task) {
    Array<PointGrid::Entry> open;
    for (const PointGrid& grid : m_grids) open.insert(open.end(), grid.entries().begin(), grid.entries().end());
    while (!open.empty() && !task.isCancelled()) {
      parallelPieces(task, open.size(), 512, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) visit(open[i]);
      });
      endIfStopped();
      std::erase_if(open, [&](const PointGrid::Entry& e) {
        return m_state[e.index].load(std::memory_order_relaxed) != kUndecided;
      });
    }
  }

 private:
  // States only move away from undecided and each final state is the greedy one, so it does not matter when a thread
  // reads them.
  void visit(const PointGrid::Entry& self) {
    std::uint32_t& waitsFor = m_waitsFor[self.index];
    if (waitsFor != kNobody) {
      const std::uint8_t state = m_state[waitsFor].load(std::memory_order_relaxed);
      if (state == kUndecided) return;
      if (state == kKept) {
        m_state[self.index].store(kOut, std::memory_order_relaxed);
        return;
      }
      waitsFor = kNobody;
    }
    bool isOut = false;
    bool isUnknown = !m_unsure.empty() && m_unsure[self.index] != 0;
    for (const PointGrid& grid : m_grids) {
      grid.near(self.position, m_rule.distance(self.radius, grid.largestRadius()), [&](const PointGrid::Entry& other) {
        if (other.index >= self.index || !m_rule.conflicts(self.position, self.radius, other.position, other.radius))
          return false;
        const std::uint8_t state = m_state[other.index].load(std::memory_order_relaxed);
        if (state == kOut) return false;
        if (m_rule.rooms && !m_rule.rooms->meet(m_room[self.index], m_room[other.index])) return false;
        if (state == kUnknown) {
          isUnknown = true;
          return false;
        }
        if (state == kKept)
          isOut = true;
        else
          waitsFor = other.index;
        return true;
      });
      if (isOut || waitsFor != kNobody) break;
    }
    if (isOut)
      m_state[self.index].store(kOut, std::memory_order_relaxed);
    else if (waitsFor == kNobody)
      m_state[self.index].store(isUnknown ? kUnknown : kKept, std::memory_order_relaxed);
  }

  ConflictRule m_rule;
  const Array<std::uint8_t>& m_unsure;  // by place in the order
  std::vector<PointGrid> m_grids;
  Array<std::uint32_t> m_room;  // place in the order → room; empty where balls say all
  std::vector<std::atomic<std::uint8_t>> m_state;
  std::vector<std::uint32_t> m_waitsFor;
};

}  // namespace

std::vector<PointGrid> gridsBySize(const Array<PointGrid::Entry>& entries, const ConflictRule& rule) {
  constexpr std::size_t kClasses = 5;
  float largest = 0;
  for (const PointGrid::Entry& e : entries) largest = std::max(largest, e.radius);
  std::array<Array<PointGrid::Entry>, kClasses> classes;
  std::size_t turn = 0;
  for (const PointGrid::Entry& e : entries) {
    endIfStoppedAt(turn++);
    std::size_t c = 0;
    if (!rule.fixedSpacing)
      for (float limit = largest / 4; c + 1 < kClasses && e.radius <= limit; limit /= 4) ++c;
    classes[c].push_back(rule.isFromAbove ? PointGrid::Entry{{e.position.x, 0, e.position.z}, e.radius, e.index} : e);
  }
  std::vector<PointGrid> grids;
  for (const auto& group : classes) {
    if (group.empty()) continue;
    float radius = 0;
    for (const PointGrid::Entry& e : group) radius = std::max(radius, e.radius);
    grids.emplace_back(group, std::max(1e-4F, 1.75F * rule.distance(radius, radius)));
  }
  return grids;
}

void KeptPoints::add(const Array<PointGrid::Entry>& entries) {
  m_late.insert(m_late.end(), entries.begin(), entries.end());
  if (m_late.size() * 4 < m_entries.size()) {
    m_lateGrids = gridsBySize(m_late, m_rule);
    return;
  }
  m_entries.insert(m_entries.end(), m_late.begin(), m_late.end());
  m_late.clear();
  m_lateGrids.clear();
  m_grids = gridsBySize(m_entries, m_rule);
}

bool KeptPoints::hits(const Vec3& position, float radius) const {
  const Vec3 place = m_rule.isFromAbove ? Vec3(position.x, 0, position.z) : position;
  return any(position, radius,
             [&](const PointGrid::Entry& e) { return m_rule.conflicts(place, radius, e.position, e.radius); });
}

bool KeptPoints::hits(const PointGrid::Entry& entry) const {
  if (!m_rule.rooms) return hits(entry.position, entry.radius);
  const Vec3 place = m_rule.isFromAbove ? Vec3(entry.position.x, 0, entry.position.z) : entry.position;
  return any(entry.position, entry.radius, [&](const PointGrid::Entry& e) {
    return m_rule.conflicts(place, entry.radius, e.position, e.radius) && m_rule.rooms->meet(entry.index, e.index);
  });
}

Array<std::uint8_t> keepByPriority(const Task& task, const Array<PointGrid::Entry>& points,
                                   const Array<std::uint32_t>& order, const KeptPoints& against,
                                   const ConflictRule& rule, const Array<std::uint8_t>& unsure) {
  const std::size_t count = points.size();
  KeptPoints kept = against;
  KeptPoints unknown(rule);
  Array<std::uint8_t> keeps(count, 0);
  Array<std::uint8_t> isHit;
  std::size_t done = 0;
  while (done < count && !task.isCancelled()) {
    // The first prefix is small enough to be cheap where points are dense, and each next one is as large as all before
    // it.
    const std::size_t size = count < 4096 ? count : std::min(count - done, std::max(count / 8, done));
    isHit.assign(size, 0);
    parallelPieces(task, size, 1024, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) { isHit[i] = kept.hits(points[order[done + i]]); }
    });
    Array<PointGrid::Entry> open;
    for (std::size_t i = 0; i < size; ++i) {
      endIfStoppedAt(i);
      if (!isHit[i]) open.push_back(points[order[done + i]]);
    }
    Array<std::uint8_t> isUnsure;
    for (std::size_t i = 0; i < open.size() && !unsure.empty(); ++i)
      isUnsure.push_back(unsure[open[i].index] != 0 || unknown.hits(open[i]));
    Rounds rounds(open, rule, isUnsure);
    rounds.decide(task);
    Array<PointGrid::Entry> stays;
    Array<PointGrid::Entry> hang;
    endIfStopped();
    for (std::size_t i = 0; i < open.size(); ++i) {
      if (rounds.isKept(i)) stays.push_back(open[i]);
      if (rounds.isUnknown(i)) hang.push_back(open[i]);
    }
    endIfStopped();
    for (const PointGrid::Entry& e : stays) keeps[e.index] = kStays;
    for (const PointGrid::Entry& e : hang) keeps[e.index] = kOpen;
    done += size;
    if (done < count) kept.add(stays);
    if (done < count && !hang.empty()) unknown.add(hang);
    task.report(static_cast<float>(done) / static_cast<float>(count));
  }
  return keeps;
}

}  // namespace arvesk
