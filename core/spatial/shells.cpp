#include "core/spatial/shells.h"

#include "core/base/groups.h"
#include "core/base/sorting.h"
#include "core/geometry/welding.h"
#include "core/spatial/winding_tree.h"

#include <algorithm>
#include <numeric>

namespace arvesk {
namespace {

/// A side of a triangle: the places it joins, and whether it runs from the lower to the higher one.
struct Side {
  std::uint64_t places;
  std::uint32_t triangle;
  bool isRising;
};

Array<Side> sidesOf(const Array<UVec3>& triangles) {
  Array<Side> sides;
  sides.reserve(3 * triangles.size());
  for (std::uint32_t t = 0; t < triangles.size(); ++t)
    for (int k = 0; k < 3; ++k) {
      endIfStoppedAt(t);
      const std::uint64_t a = triangles[t][k];
      const std::uint64_t b = triangles[t][(k + 1) % 3];
      sides.push_back({std::min(a, b) << 32 | std::max(a, b), t, a < b});
    }
  sortLarge(sides, [](const Side& a, const Side& b) {
    return a.places != b.places ? a.places < b.places : a.triangle < b.triangle;
  });
  return sides;
}

/// Calls visit(begin, end) for the sides along each edge.
template <typename Visit>
void forEdges(const Array<Side>& sides, Visit visit) {
  for (std::size_t begin = 0; begin < sides.size();) {
    std::size_t end = begin + 1;
    while (end < sides.size() && sides[end].places == sides[begin].places) ++end;
    if ((begin & 0xfffU) == 0) endIfStopped();
    visit(begin, end);
    begin = end;
  }
}

/// Turns triangles so that two that share an edge alone pass it both ways, starting with the first of each shell.
void turnAlike(Array<UVec3>& triangles, const Array<Side>& sides) {
  struct Neighbor {
    std::uint32_t triangle;
    bool isAlike;
  };
  std::vector<std::array<Neighbor, 3>> neighbors(triangles.size());
  std::vector<std::uint8_t> count(triangles.size(), 0);
  bool isAnyOther = false;
  forEdges(sides, [&](std::size_t begin, std::size_t end) {
    if (end - begin != 2 || sides[begin].triangle == sides[begin + 1].triangle) return;
    const Side& a = sides[begin];
    const Side& b = sides[begin + 1];
    const bool isAlike = a.isRising != b.isRising;
    isAnyOther = isAnyOther || !isAlike;
    neighbors[a.triangle][count[a.triangle]++] = {b.triangle, isAlike};
    neighbors[b.triangle][count[b.triangle]++] = {a.triangle, isAlike};
  });
  if (!isAnyOther) return;
  std::vector<std::uint8_t> state(triangles.size(), 0);  // 1: stays, 2: turned
  std::vector<std::uint32_t> open;
  for (std::uint32_t first = 0; first < triangles.size(); ++first) {
    if (state[first]) continue;
    state[first] = 1;
    open.push_back(first);
    // Most of a shell decides: a few faces that someone turned do not turn all others.
    std::vector<std::uint32_t> shell;
    std::size_t turned = 0;
    while (!open.empty()) {
      endIfStopped();
      const std::uint32_t t = open.back();
      open.pop_back();
      shell.push_back(t);
      turned += state[t] == 2;
      for (std::uint8_t k = 0; k < count[t]; ++k) {
        const auto [next, isAlike] = neighbors[t][k];
        if (state[next]) continue;
        state[next] = isAlike ? state[t] : static_cast<std::uint8_t>(3 - state[t]);
        open.push_back(next);
      }
    }
    const std::uint8_t toTurn = 2 * turned > shell.size() ? 1 : 2;
    for (const std::uint32_t t : shell)
      if (state[t] == toTurn) std::swap(triangles[t].y, triangles[t].z);
  }
}

}  // namespace

Shells shellsOf(const std::vector<SurfacePtr>& surfaces) {
  Shells out;
  Array<Vec3> positions;
  std::uint32_t face = 0;
  for (const SurfacePtr& surface : surfaces) {
    const auto welded = weldedOf(*surface);
    const auto base = static_cast<std::uint32_t>(positions.size());
    for (const std::uint32_t v : welded->vertex) positions.push_back(surface->positions[v]);
    for (const UVec3& t : surface->triangles) {
      const UVec3 at = UVec3(welded->place[t.x], welded->place[t.y], welded->place[t.z]) + base;
      if (at.x != at.y && at.y != at.z && at.z != at.x) {
        out.triangles.push_back(at);
        out.faceOf.push_back(face);
      }
      ++face;
    }
  }
  out.positions = std::move(positions);
  turnAlike(out.triangles, sidesOf(out.triangles));
  const Array<Side> sides = sidesOf(out.triangles);
  Groups groups(out.triangles.size());
  forEdges(sides, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin + 1; i < end; ++i) groups.join(sides[begin].triangle, sides[i].triangle);
  });
  std::vector<std::uint32_t> shellOfRoot(out.triangles.size(), 0xffffffffU);
  out.shellOf.resize(out.triangles.size());
  for (std::uint32_t t = 0; t < out.triangles.size(); ++t) {
    std::uint32_t& shell = shellOfRoot[groups.rootOf(t)];
    if (shell == 0xffffffffU) {
      shell = static_cast<std::uint32_t>(out.list.size());
      out.list.emplace_back().isClosed = true;
    }
    out.shellOf[t] = shell;
    if ((t & 0xfffU) == 0) endIfStopped();
    Shell& s = out.list[shell];
    const UVec3 v = out.triangles[t];
    const glm::dvec3 a(out.positions[v.x]);
    s.volume += glm::dot(a, glm::cross(glm::dvec3(out.positions[v.y]), glm::dvec3(out.positions[v.z]))) / 6;
    for (int k = 0; k < 3; ++k) s.bounds.add(out.positions[v[k]]);
  }
  forEdges(sides, [&](std::size_t begin, std::size_t end) {
    int sum = 0;
    for (std::size_t i = begin; i < end; ++i) sum += sides[i].isRising ? 1 : -1;
    if (sum != 0) out.list[out.shellOf[sides[begin].triangle]].isClosed = false;
  });
  return out;
}

void turnOutward(Shells& shells, const Task& task) {
  if (std::none_of(shells.list.begin(), shells.list.end(), [](const Shell& s) { return s.isClosed && s.volume < 0; }))
    return;
  const std::size_t count = shells.list.size();
  std::vector<Array<UVec3>> triangles(count);
  for (std::size_t t = 0; t < shells.triangles.size(); ++t)
    if (shells.list[shells.shellOf[t]].isClosed) triangles[shells.shellOf[t]].push_back(shells.triangles[t]);
  std::vector<WindingTree> trees(count);
  for (std::size_t s = 0; s < count; ++s)
    if (!triangles[s].empty()) trees[s] = WindingTree(shells.positions, triangles[s]);

  // What lies in what: the smallest of those around it.
  constexpr std::size_t kNone = ~std::size_t{0};
  std::vector<std::size_t> around(count, kNone);
  parallelPieces(task, count, 16, [&](std::size_t begin, std::size_t end) {
    for (std::size_t s = begin; s < end; ++s) {
      const Shell& shell = shells.list[s];
      if (!shell.isClosed) continue;
      const Vec3 place = shells.positions[triangles[s].front().x];
      for (std::size_t o = 0; o < count; ++o) {
        const Shell& other = shells.list[o];
        if (o == s || !other.isClosed || std::abs(other.volume) <= std::abs(shell.volume) ||
            glm::any(glm::lessThan(shell.bounds.min, other.bounds.min)) ||
            glm::any(glm::greaterThan(shell.bounds.max, other.bounds.max)))
          continue;
        if (around[s] != kNone && std::abs(shells.list[around[s]].volume) <= std::abs(other.volume)) continue;
        if (std::abs(trees[o].at(place)) > 0.5) around[s] = o;
      }
    }
  });
  // From the largest down: what is around is decided before what lies in it.
  std::vector<std::size_t> order(count);
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return std::abs(shells.list[a].volume) > std::abs(shells.list[b].volume);
  });
  for (const std::size_t s : order) {
    Shell& shell = shells.list[s];
    if (!shell.isClosed) continue;
    shell.isTurned = around[s] == kNone ? shell.volume < 0 : shells.list[around[s]].isTurned;
  }
}

}  // namespace arvesk
