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

/// Least and greatest height of what faces use.
std::pair<double, double> heightsOf(const Surface& s) {
  std::pair<double, double> out{std::numeric_limits<double>::max(), std::numeric_limits<double>::lowest()};
  for (const UVec3& t : s.triangles)
    for (int c = 0; c < 3; ++c) {
      const auto y = static_cast<double>(s.positions[t[c]].y);
      out = {std::min(out.first, y), std::max(out.second, y)};
    }
  return out;
}

}  // namespace

std::optional<Levels> levelsByStep(const Surface& s, double step, double most) {
  if (s.triangles.empty()) return Levels();
  const auto [low, high] = heightsOf(s);
  const double first = std::floor(low / step);
  const double last = std::floor(high / step);
  if (last - first > std::min(most, 2e9)) return std::nullopt;
  Levels out{static_cast<std::int32_t>(first), {}};
  for (double k = first; k <= last; ++k) out.heights.push_back(k * step);
  return out;
}

std::optional<Levels> levelsByDistance(const Surface& s, double apart, double most) {
  if (s.triangles.empty()) return Levels();
  constexpr std::size_t kSlices = 4096;
  const auto [low, high] = heightsOf(s);
  const double thick = (high - low) / kSlices;
  if (!(thick > 0)) return Levels();
  // Per slice of height, at its middle: length of the level line, and area per height.
  Array<double> length(kSlices, 0.0);
  Array<double> area(kSlices, 0.0);
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    endIfStoppedAt(f);
    const UVec3 t = s.triangles[f];
    std::array<DVec3, 3> p{DVec3(s.positions[t.x]), DVec3(s.positions[t.y]), DVec3(s.positions[t.z])};
    const DVec3 across = glm::cross(p[1] - p[0], p[2] - p[0]);
    const double sine = std::hypot(across.x, across.z) / std::max(glm::length(across), 1e-300);
    std::sort(p.begin(), p.end(), [](const DVec3& a, const DVec3& b) { return a.y < b.y; });
    if (!(p[2].y > p[0].y) || !(sine > 0)) continue;
    const auto begin = static_cast<std::size_t>(std::max(0.0, std::ceil((p[0].y - low) / thick - 0.5)));
    for (std::size_t k = begin; k < kSlices; ++k) {
      const double h = low + (static_cast<double>(k) + 0.5) * thick;
      if (h >= p[2].y) break;
      const auto at = [h](const DVec3& a, const DVec3& b) { return a + (b - a) * ((h - a.y) / (b.y - a.y)); };
      const double own = glm::distance(at(p[0], p[2]), h < p[1].y ? at(p[0], p[1]) : at(p[1], p[2]));
      length[k] += own;
      area[k] += own / sine;
    }
  }
  // How far each slice's lower side lies from the lowest place, along the ground.
  std::vector<double> way(kSlices + 1, 0.0);
  for (std::size_t k = 0; k < kSlices; ++k) way[k + 1] = way[k] + (length[k] > 0 ? area[k] / length[k] * thick : 0);
  const double zeroAt = std::clamp(-low / thick, 0.0, static_cast<double>(kSlices));
  const auto zeroSlice = std::min(static_cast<std::size_t>(zeroAt), kSlices - 1);
  const double zero = way[zeroSlice] +
                      (way[zeroSlice + 1] - way[zeroSlice]) * (zeroAt - static_cast<double>(zeroSlice));
  const double first = std::ceil(-zero / apart - 1e-9);
  const double last = std::floor((way.back() - zero) / apart + 1e-9);
  if (last - first > std::min(most, 2e9)) return std::nullopt;
  Levels out{static_cast<std::int32_t>(first), {}};
  for (double k = first; k <= last; ++k) {
    const double wanted = std::clamp(zero + k * apart, 0.0, way.back());
    const auto after = std::upper_bound(way.begin() + 1, way.end() - 1, wanted);
    const auto slice = static_cast<std::size_t>(after - way.begin()) - 1;
    const double share = way[slice + 1] > way[slice] ? (wanted - way[slice]) / (way[slice + 1] - way[slice]) : 0;
    out.heights.push_back(low + (static_cast<double>(slice) + share) * thick);
  }
  return out;
}

std::vector<LevelLine> levelLinesOf(const Surface& s, const Levels& levels, double most, bool& isTooMany) {
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
  Array<Way> ways;
  for (std::uint32_t t = 0; t < s.faceCount(); ++t) {
    endIfStoppedAt(t);
    const UVec3 v = s.triangles[t];
    const std::array<double, 3> y{heightOf(v.x), heightOf(v.y), heightOf(v.z)};
    const auto [low, high] = std::minmax_element(y.begin(), y.end());
    // Levels above the lowest corner, up to the highest one.
    const auto begin = std::upper_bound(levels.heights.begin(), levels.heights.end(), *low);
    const auto end = std::upper_bound(begin, levels.heights.end(), *high);
    if (static_cast<double>(end - begin) + static_cast<double>(ways.size()) > most) {
      isTooMany = true;
      return {};
    }
    for (auto level = begin; level != end; ++level) {
      const double at = *level;
      const auto k = levels.first + static_cast<std::int32_t>(level - levels.heights.begin());
      Way way{k, kNone, kNone, t, Vec3(0), Vec3(0)};
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
