#include "core/geometry/level_lines.h"

#include "core/base/sorting.h"
#include "core/geometry/welding.h"

#include <algorithm>

namespace arvesk {
namespace {

/// The way of one level over one triangle, from the edge where it comes in to that where it goes out.
struct Way {
  std::int32_t level;
  std::uint32_t from, to;  // numbers of edges
  std::uint32_t triangle;
  Vec3 start, end;
};

/// Where an edge is at a height. The two triangles that share it ask for the same place.
Vec3 crossing(const Vec3& a, const Vec3& b, double height) {
  const bool isSwapped = std::tie(a.x, a.y, a.z) > std::tie(b.x, b.y, b.z);
  const DVec3 from(isSwapped ? b : a);
  const DVec3 to(isSwapped ? a : b);
  DVec3 at = from + (to - from) * ((height - from.y) / (to.y - from.y));
  at.y = height;
  return Vec3(at);
}

}  // namespace

std::vector<LevelLine> levelLinesOf(const Surface& s, float step, double most, bool& isTooMany) {
  isTooMany = false;
  const auto welded = weldedOf(s);
  const Array<TriangleEdge> edges = edgesByPlace(s, *welded);
  constexpr std::uint32_t kNone = 0xffffffffU;
  Array<std::uint32_t> edgeOf(3 * s.faceCount());  // corner → number of the edge from it to the next
  std::fill(edgeOf.begin(), edgeOf.end(), kNone);
  std::uint32_t number = 0;
  for (std::size_t i = 0; i < edges.size(); ++i) {
    if (i > 0 && edges[i].places != edges[i - 1].places) ++number;
    edgeOf[3 * static_cast<std::size_t>(edges[i].triangle) + edges[i].corner] = number;
  }
  // Heights of welded places, so that two vertices at one place are on the same side.
  const auto heightOf = [&](std::uint32_t v) {
    return static_cast<double>(s.positions[welded->vertex[welded->place[v]]].y);
  };
  const auto height = static_cast<double>(step);
  Array<Way> ways;
  for (std::uint32_t t = 0; t < s.faceCount(); ++t) {
    endIfStoppedAt(t);
    const UVec3 v = s.triangles[t];
    const std::array<double, 3> y{heightOf(v.x), heightOf(v.y), heightOf(v.z)};
    const auto [low, high] = std::minmax_element(y.begin(), y.end());
    // Levels above the lowest corner, up to the highest one.
    const auto first = static_cast<std::int64_t>(std::floor(*low / height)) + 1;
    const auto last = static_cast<std::int64_t>(std::floor(*high / height));
    if (static_cast<double>(last - first) + static_cast<double>(ways.size()) > most) {
      isTooMany = true;
      return {};
    }
    for (std::int64_t k = first; k <= last; ++k) {
      const double at = static_cast<double>(k) * height;
      Way way{static_cast<std::int32_t>(k), kNone, kNone, t, Vec3(0), Vec3(0)};
      for (int c = 0; c < 3; ++c) {
        const bool isAbove = y[static_cast<std::size_t>(c)] >= at;
        const bool isNextAbove = y[static_cast<std::size_t>((c + 1) % 3)] >= at;
        if (isAbove == isNextAbove) continue;
        const std::uint32_t edge = edgeOf[3 * static_cast<std::size_t>(t) + static_cast<std::size_t>(c)];
        const Vec3 place = crossing(s.positions[welded->vertex[welded->place[v[c]]]],
                                    s.positions[welded->vertex[welded->place[v[(c + 1) % 3]]]], at);
        // Counterclockwise corners: where they come down from above the line goes on with what is higher at its left.
        (isAbove ? way.from : way.to) = edge;
        (isAbove ? way.start : way.end) = place;
      }
      if (way.from != kNone && way.to != kNone) ways.push_back(way);
    }
  }
  sortLarge(ways, [](const Way& a, const Way& b) {
    return std::tie(a.level, a.from, a.triangle) < std::tie(b.level, b.from, b.triangle);
  });
  std::vector<std::uint8_t> isUsed(ways.size(), 0);
  const auto next = [&](const Way& way) {
    auto it = std::lower_bound(ways.begin(), ways.end(), std::pair(way.level, way.to),
                               [](const Way& a, const auto& b) { return std::pair(a.level, a.from) < b; });
    for (; it != ways.end() && it->level == way.level && it->from == way.to; ++it)
      if (!isUsed[static_cast<std::size_t>(it - ways.begin())]) return static_cast<std::size_t>(it - ways.begin());
    return ways.size();
  };
  std::vector<std::pair<std::int32_t, std::uint32_t>> ends(ways.size());
  for (std::size_t i = 0; i < ways.size(); ++i) ends[i] = {ways[i].level, ways[i].to};
  sortLarge(ends, std::less<>());
  // Lines that begin at a rim first; what is left are closed ones. Each from its lowest-numbered triangle on.
  std::vector<std::uint32_t> order(ways.size());
  for (std::uint32_t i = 0; i < order.size(); ++i) order[i] = i;
  std::vector<std::uint8_t> isRim(ways.size());
  for (std::size_t i = 0; i < ways.size(); ++i)
    isRim[i] = !std::binary_search(ends.begin(), ends.end(), std::pair(ways[i].level, ways[i].from));
  sortLarge(order, [&](std::uint32_t a, std::uint32_t b) {
    return std::tuple(ways[a].level, !isRim[a], s.faceKey(ways[a].triangle), a) <
           std::tuple(ways[b].level, !isRim[b], s.faceKey(ways[b].triangle), b);
  });
  std::vector<LevelLine> out;
  for (const std::uint32_t first : order) {
    endIfStopped();
    if (isUsed[first]) continue;
    LevelLine line;
    line.level = ways[first].level;
    std::size_t at = first;
    std::size_t last = first;
    while (at < ways.size()) {
      isUsed[at] = 1;
      line.places.push_back({ways[at].start, ways[at].triangle});
      last = at;
      at = next(ways[at]);
    }
    line.places.push_back({ways[last].end, ways[last].triangle});
    line.isClosed = ways[last].to == ways[first].from;
    // A peak that is as high as a level itself has a line about it without length.
    if (lengthOf(line) > 0) out.push_back(std::move(line));
  }
  return out;
}

double lengthOf(const LevelLine& line) {
  double sum = 0;
  for (std::size_t i = 1; i < line.places.size(); ++i)
    sum += glm::distance(DVec3(line.places[i - 1].position), DVec3(line.places[i].position));
  return sum;
}

LevelPlace placeOn(const LevelLine& line, double distance) {
  double rest = std::max(distance, 0.0);
  for (std::size_t i = 0; i + 1 < line.places.size(); ++i) {
    const DVec3 a(line.places[i].position);
    const DVec3 b(line.places[i + 1].position);
    const double own = glm::distance(a, b);
    if (rest <= own || i + 2 == line.places.size())
      return {own > 0 ? Vec3(a + (b - a) * std::min(rest / own, 1.0)) : Vec3(a), line.places[i].triangle};
    rest -= own;
  }
  return line.places.front();
}

}  // namespace arvesk
