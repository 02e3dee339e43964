#include "core/spatial/cap.h"

#include "core/base/task.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace arvesk {
namespace {

using DVec2 = glm::dvec2;

struct Corner {
  std::uint32_t place;
  DVec2 at;
};
using Ring = std::vector<Corner>;

/// Twice the area of a triangle, above 0 counter-clockwise.
double turn(const DVec2& a, const DVec2& b, const DVec2& c) {
  return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
}

double areaOf(const Ring& ring) {
  double twice = 0;
  for (std::size_t i = 0; i < ring.size(); ++i) {
    const DVec2& a = ring[i].at - ring[0].at;
    const DVec2& b = ring[(i + 1) % ring.size()].at - ring[0].at;
    twice += a.x * b.y - a.y * b.x;
  }
  return twice / 2;
}

bool holds(const Ring& ring, const DVec2& p) {
  bool isIn = false;
  for (std::size_t i = 0, j = ring.size() - 1; i < ring.size(); j = i++) {
    const DVec2& a = ring[i].at;
    const DVec2& b = ring[j].at;
    if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) isIn = !isIn;
  }
  return isIn;
}

/// Do two sides cross in their inner parts?
bool areCrossing(const DVec2& a, const DVec2& b, const DVec2& c, const DVec2& d) {
  return turn(a, b, c) * turn(a, b, d) < 0 && turn(c, d, a) * turn(c, d, b) < 0;
}

/// Puts a hole into the ring by a bridge there and back, to the nearest corner that nothing stands before, neither the
/// ring nor any of the holes.
void join(Ring& ring, const Ring& hole, const std::vector<Ring>& holes, const std::vector<std::size_t>& others) {
  std::size_t bestRing = 0;
  std::size_t bestHole = 0;
  double best = std::numeric_limits<double>::max();
  for (std::size_t h = 0; h < hole.size(); ++h)
    if (hole[h].at.x > hole[bestHole].at.x) bestHole = h;
  const DVec2& from = hole[bestHole].at;
  std::vector<std::pair<double, std::size_t>> byDistance;
  for (std::size_t r = 0; r < ring.size(); ++r) {
    const DVec2 d = ring[r].at - from;
    byDistance.push_back({d.x * d.x + d.y * d.y, r});
  }
  std::sort(byDistance.begin(), byDistance.end());
  bestRing = byDistance.front().second;
  for (const auto& [distance, r] : byDistance) {
    if (distance >= best) break;
    const DVec2& to = ring[r].at;
    // It leaves the ring's corner to the inside: left of both sides there, or of either where the corner is hollow.
    const DVec2& before = ring[(r + ring.size() - 1) % ring.size()].at;
    const DVec2& after = ring[(r + 1) % ring.size()].at;
    const bool isHollow = turn(before, to, after) < 0;
    const bool isLeftOfLast = turn(before, to, from) > 0;
    const bool isLeftOfNext = turn(to, after, from) > 0;
    if (isHollow ? !(isLeftOfLast || isLeftOfNext) : !(isLeftOfLast && isLeftOfNext)) continue;
    bool isFree = true;
    for (std::size_t k = 0; k < ring.size() && isFree; ++k)
      isFree = !areCrossing(from, to, ring[k].at, ring[(k + 1) % ring.size()].at);
    for (const std::size_t h : others)
      for (std::size_t k = 0; k < holes[h].size() && isFree; ++k)
        isFree = !areCrossing(from, to, holes[h][k].at, holes[h][(k + 1) % holes[h].size()].at);
    if (!isFree) continue;
    best = distance;
    bestRing = r;
  }
  Ring joined(ring.begin(), ring.begin() + static_cast<std::ptrdiff_t>(bestRing) + 1);
  for (std::size_t k = 0; k <= hole.size(); ++k) joined.push_back(hole[(bestHole + k) % hole.size()]);
  joined.insert(joined.end(), ring.begin() + static_cast<std::ptrdiff_t>(bestRing), ring.end());
  ring = std::move(joined);
}

/// A corner is an ear when what it cuts off holds no other corner.
bool isEar(const Ring& ring, std::size_t i, double least) {
  const Corner& a = ring[(i + ring.size() - 1) % ring.size()];
  const Corner& b = ring[i];
  const Corner& c = ring[(i + 1) % ring.size()];
  if (turn(a.at, b.at, c.at) <= least) return false;
  for (const Corner& other : ring) {
    if (other.place == a.place || other.place == b.place || other.place == c.place) continue;
    if (turn(a.at, b.at, other.at) >= 0 && turn(b.at, c.at, other.at) >= 0 && turn(c.at, a.at, other.at) >= 0)
      return false;
  }
  return true;
}

void fill(Ring ring, std::vector<std::array<std::uint32_t, 3>>& out) {
  DVec2 least = ring[0].at;
  DVec2 most = ring[0].at;
  for (const Corner& c : ring) {
    least = glm::min(least, c.at);
    most = glm::max(most, c.at);
  }
  const double scale = (most.x - least.x) * (most.y - least.y);
  std::size_t at = 0;
  while (ring.size() > 3) {
    endIfStoppedAt(ring.size());
    std::size_t ear = ring.size();
    // Good ones first; then whatever there is, as the number of triangles is what holds pieces together.
    for (const double share : {1e-3 / static_cast<double>(ring.size()), 1e-7, 0.0, -1.0}) {
      for (std::size_t k = 0; k < ring.size() && ear == ring.size(); ++k)
        if (isEar(ring, (at + k) % ring.size(), share * scale)) ear = (at + k) % ring.size();
      if (ear != ring.size()) break;
    }
    if (ear == ring.size()) ear = at % ring.size();
    const std::size_t before = (ear + ring.size() - 1) % ring.size();
    out.push_back({ring[before].place, ring[ear].place, ring[(ear + 1) % ring.size()].place});
    ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(ear));
    at = ear + 1;  // not the next one: fans have long sides
  }
  out.push_back({ring[0].place, ring[1].place, ring[2].place});
}

}  // namespace

std::vector<std::array<std::uint32_t, 3>> fillLoops(const std::vector<Loop>& loops,
                                                    const std::vector<std::vector<DVec2>>& at) {
  std::vector<Ring> outer;
  std::vector<Ring> holes;
  for (std::size_t l = 0; l < loops.size(); ++l) {
    Ring ring;
    for (std::size_t k = 0; k < loops[l].size(); ++k) ring.push_back({loops[l][k], at[l][k]});
    (areaOf(ring) < 0 ? holes : outer).push_back(std::move(ring));
  }
  // A hole goes to the smallest ring that holds it; without one it is filled as it is.
  std::vector<std::vector<std::size_t>> of(outer.size());
  std::vector<std::array<std::uint32_t, 3>> out;
  for (std::size_t h = 0; h < holes.size(); ++h) {
    std::size_t best = outer.size();
    double least = std::numeric_limits<double>::max();
    for (std::size_t o = 0; o < outer.size(); ++o)
      if (const double area = areaOf(outer[o]); area < least && holds(outer[o], holes[h].front().at)) {
        least = area;
        best = o;
      }
    if (best < outer.size())
      of[best].push_back(h);
    else
      fill(holes[h], out);
  }
  for (std::size_t o = 0; o < outer.size(); ++o) {
    // The rightmost hole first: its bridge can meet no other.
    const auto right = [&](std::size_t h) {
      double x = std::numeric_limits<double>::lowest();
      for (const Corner& c : holes[h]) x = std::max(x, c.at.x);
      return x;
    };
    std::sort(of[o].begin(), of[o].end(), [&](std::size_t a, std::size_t b) { return right(a) > right(b); });
    for (const std::size_t h : of[o]) join(outer[o], holes[h], holes, of[o]);
    fill(std::move(outer[o]), out);
  }
  return out;
}

}  // namespace arvesk
