#include "core/spatial/cut_faces.h"

#include "core/base/noise.h"
#include "core/spatial/place_tree.h"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <functional>
#include <unordered_map>
#include <unordered_set>

namespace arvesk {
namespace {

std::uint64_t sideOf(std::uint32_t a, std::uint32_t b) { return std::uint64_t{std::min(a, b)} << 32U | std::max(a, b); }

double lengthOf(const Broken& broken, std::uint64_t side) {
  const DVec3 d = broken.places[side >> 32U] - broken.places[side & 0xFFFFFFFFU];
  return std::sqrt(d.x * d.x + d.y * d.y + d.z * d.z);
}

/// Of equal ones, that of the lower places.
bool isLonger(const Broken& broken, std::uint64_t side, std::uint64_t other) {
  const double length = lengthOf(broken, side);
  const double its = lengthOf(broken, other);
  return length > its || (length == its && side < other);
}

/// Where a side is split: the new place, and how far it lies from the side's lower place toward the higher one.
struct SideCut {
  std::uint32_t place;
  float share = 0.5F;
};
using SideCuts = std::unordered_map<std::uint64_t, SideCut>;

/// A triangle's side that is split next: the longest of those that are; 3 when none is.
std::size_t nextSide(const Broken& broken, const BrokenTriangle& t, const SideCuts& middles) {
  std::size_t found = 3;
  for (std::size_t k = 0; k < 3; ++k) {
    const std::uint64_t side = sideOf(t.places[k], t.places[(k + 1) % 3]);
    if (!middles.contains(side)) continue;
    if (found == 3 || isLonger(broken, side, sideOf(t.places[found], t.places[(found + 1) % 3]))) found = k;
  }
  return found;
}

/// All triangles with a side in `middles` in two, as often as it takes. A piece keeps skin before cuts.
void split(Broken& broken, const SideCuts& middles) {
  std::vector<BrokenTriangle> all;
  all.reserve(broken.triangles.size() * 2);
  std::vector<BrokenTriangle> open;
  for (BrokenPiece& piece : broken.pieces) {
    endIfStopped();
    const auto first = static_cast<std::uint32_t>(all.size());
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t) {
      open = {broken.triangles[t]};
      while (!open.empty()) {
        const BrokenTriangle now = open.back();
        open.pop_back();
        const std::size_t k = nextSide(broken, now, middles);
        if (k == 3) {
          all.push_back(now);
          continue;
        }
        const std::size_t next = (k + 1) % 3;
        const SideCut cut = middles.at(sideOf(now.places[k], now.places[next]));
        const std::uint32_t middle = cut.place;
        const float share = now.places[k] < now.places[next] ? cut.share : 1 - cut.share;
        const Vec2 weights = now.weights[k] + share * (now.weights[next] - now.weights[k]);
        BrokenTriangle half = now;
        half.places[k] = middle;
        half.weights[k] = weights;
        open.push_back(half);
        half = now;
        half.places[next] = middle;
        half.weights[next] = weights;
        open.push_back(half);
      }
    }
    piece.first = first;
    piece.count = static_cast<std::uint32_t>(all.size()) - first;
  }
  broken.triangles = std::move(all);
}

void roughen(Broken& broken, const CutRule& rule) {
  enum : std::uint8_t { kNowhere, kInside, kOnSkin };
  std::vector<std::uint8_t> where(broken.places.size(), kNowhere);
  std::vector<std::uint8_t> isOnCut(broken.places.size(), 0);
  for (const BrokenTriangle& t : broken.triangles)
    for (const std::uint32_t p : t.places) {
      if (t.from != BrokenTriangle::kCut)
        where[p] = kOnSkin;
      else {
        isOnCut[p] = 1;
        if (where[p] == kNowhere) where[p] = kInside;
      }
    }
  PlaceTree rim;
  std::vector<std::uint32_t> moving;
  for (std::uint32_t p = 0; p < where.size(); ++p) {
    if (where[p] == kOnSkin && isOnCut[p]) rim.add(broken.places[p]);
    if (where[p] == kInside) moving.push_back(p);
  }
  if (moving.empty()) return;
  rim.build();
  const std::size_t count = moving.size();
  std::vector<float> at[3];
  for (int axis = 0; axis < 3; ++axis)
    for (const std::uint32_t p : moving) at[axis].push_back(static_cast<float>(broken.places[p][axis]));
  NoiseSettings noise;
  noise.size = static_cast<float>(rule.size);
  noise.octaves = 4;
  std::vector<float> values[3];
  for (std::uint32_t axis = 0; axis < 3; ++axis) {
    values[axis].resize(count);
    noise.seed = rule.seed + axis;
    noiseValues(noise, at[0].data(), at[1].data(), at[2].data(), count, values[axis].data());
  }
  const double fade = 3 * rule.roughness;  // m from the skin, within which places move less
  for (std::size_t i = 0; i < count; ++i) {
    endIfStoppedAt(i);
    DVec3& p = broken.places[moving[i]];
    const double share = std::min(1.0, rim.distance(p) / fade);
    for (int axis = 0; axis < 3; ++axis)
      p[axis] += share * rule.roughness * (2 * static_cast<double>(values[axis][i]) - 1);
  }
}

Failure tooMany(std::size_t mostTriangles) {
  return fail(ProblemCode::TooMany, fmt::format("the pieces have more than {} triangles", mostTriangles),
              "Let the longest side be longer, wear the edges by more or not at all, or lower the count");
}

/// In two halves whatever side is too long; asked with a triangle that has it.
Result<void> splitWhile(Broken& broken, std::size_t mostTriangles,
                        const std::function<bool(const BrokenTriangle&, std::uint64_t side)>& isTooLong) {
  for (;;) {
    endIfStopped();
    SideCuts middles;
    for (const BrokenTriangle& t : broken.triangles)
      for (std::size_t k = 0; k < 3; ++k)
        if (const std::uint64_t side = sideOf(t.places[k], t.places[(k + 1) % 3]);
            isTooLong(t, side) &&
            middles.emplace(side, SideCut{static_cast<std::uint32_t>(broken.places.size())}).second)
          broken.places.push_back(0.5 * (broken.places[side >> 32U] + broken.places[side & 0xFFFFFFFFU]));
    if (middles.empty()) return {};
    split(broken, middles);
    if (broken.triangles.size() > mostTriangles) return tooMany(mostTriangles);
  }
}

/// Cuts until no side is longer than wanted. Where a number of triangles is aimed at, the longest sides go first, all
/// over the cuts alike, so that no place stays without vertices.
Result<void> refineCuts(Broken& broken, const CutRule& rule, std::size_t mostTriangles) {
  const auto refine = [&](Broken& what, double longest) {
    return splitWhile(what, mostTriangles, [&what, longest](const BrokenTriangle& t, std::uint64_t side) {
      return t.from == BrokenTriangle::kCut && lengthOf(what, side) > longest;
    });
  };
  if (rule.triangles == 0) return refine(broken, rule.longest);
  double longest = 0;
  for (const BrokenTriangle& t : broken.triangles)
    for (std::size_t k = 0; k < 3 && t.from == BrokenTriangle::kCut; ++k)
      longest = std::max(longest, lengthOf(broken, sideOf(t.places[k], t.places[(k + 1) % 3])));
  const auto off = [&](const Broken& what) {
    return std::abs(static_cast<double>(what.triangles.size()) - static_cast<double>(rule.triangles));
  };
  while (broken.triangles.size() < rule.triangles && longest > rule.longest) {
    longest = std::max(rule.longest, 0.9 * longest);
    Broken finer = broken;
    if (const auto done = refine(finer, longest); !done) return done;
    if (off(finer) > off(broken)) break;  // as near as it comes
    broken = std::move(finer);
  }
  return {};
}

/// How far places lie from the edges of pieces.
class EdgeDistance {
 public:
  EdgeDistance(const Broken& broken, const std::vector<std::uint64_t>& sides) : m_broken(broken) {
    std::unordered_map<std::uint32_t, std::uint32_t> known;
    for (const std::uint64_t side : sides) {
      const auto low = static_cast<std::uint32_t>(side >> 32U);
      const auto high = static_cast<std::uint32_t>(side);
      for (const std::uint32_t end : {low, high}) {
        const auto [found, isNew] = known.emplace(end, static_cast<std::uint32_t>(m_ends.size()));
        if (isNew) {
          m_ends.push_back({end, {}});
          m_tree.add(broken.places[end]);
        }
        m_ends[found->second].others.push_back(end == low ? high : low);
      }
    }
    m_tree.build();
  }
  /// m, where edges are no longer than what their ends tell.
  double at(const DVec3& p) const {
    constexpr std::size_t kNear = 8;
    double least = std::numeric_limits<double>::max();
    for (const std::uint32_t e : m_tree.nearest(p, kNear)) {
      const DVec3& from = m_broken.places[m_ends[e].place];
      for (const std::uint32_t other : m_ends[e].others) {
        const DVec3 along = m_broken.places[other] - from;
        const double share = std::clamp(glm::dot(p - from, along) / glm::dot(along, along), 0.0, 1.0);
        const DVec3 d = p - from - share * along;
        least = std::min(least, glm::dot(d, d));
      }
    }
    return std::sqrt(least);
  }

 private:
  struct End {
    std::uint32_t place;
    std::vector<std::uint32_t> others;
  };
  const Broken& m_broken;
  std::vector<End> m_ends;
  PlaceTree m_tree;
};

/// Splits edges of pieces until none is longer than `longest`, and at `corner` m from where several meet: what is worn
/// there ends soon.
void splitEdges(Broken& broken, double longest, double corner, std::size_t mostTriangles) {
  for (bool isFirst = true; broken.triangles.size() <= mostTriangles; isFirst = false) {
    endIfStopped();
    const std::vector<std::uint64_t> edges = edgeSides(broken);  // each pass makes new ones
    std::unordered_map<std::uint32_t, int> meeting;
    for (const std::uint64_t side : edges)
      for (const std::uint64_t end : {side >> 32U, side & 0xFFFFFFFFU}) ++meeting[static_cast<std::uint32_t>(end)];
    SideCuts cuts;
    for (const std::uint64_t side : edges) {
      const double length = lengthOf(broken, side);
      const auto low = static_cast<std::uint32_t>(side >> 32U);
      const auto high = static_cast<std::uint32_t>(side);
      float share = 0;
      if (length > longest) share = 0.5F;
      if (isFirst && length > 3 * corner && meeting[low] != 2 && meeting[high] == 2)
        share = static_cast<float>(corner / length);
      if (isFirst && length > 3 * corner && meeting[high] != 2 && meeting[low] == 2)
        share = static_cast<float>(1 - corner / length);
      if (share == 0) continue;
      cuts[side] = {static_cast<std::uint32_t>(broken.places.size()), share};
      const double s = static_cast<double>(share);
      broken.places.push_back((1 - s) * broken.places[low] + s * broken.places[high]);
    }
    if (cuts.empty() && !isFirst) return;
    split(broken, cuts);
  }
}

/// Triangles along edges in bands, so that these can be rounded: rows of places at shares of the width from the
/// edge, as far as an arc may reach. Along an edge they are as long as it takes to follow how it is worn.
Result<void> bandEdges(Broken& broken, const WearRule& wear, std::size_t mostTriangles) {
  const double longest = std::max(1.2 * wear.width, std::min(8 * wear.width, wear.size / 3));
  splitEdges(broken, longest, 2 * wear.width, mostTriangles);
  if (broken.triangles.size() > mostTriangles) return tooMany(mostTriangles);
  const EdgeDistance distance(broken, edgeSides(broken));
  std::vector<double> known(broken.places.size(), -1);
  const auto away = [&](std::uint32_t place) {
    if (known.size() <= place) known.resize(broken.places.size(), -1);
    if (known[place] < 0) known[place] = distance.at(broken.places[place]);
    return known[place];
  };
  // From far to near: nearer rows lie within the bands that the others left.
  std::vector<double> levels{2 * wear.width, wear.width, 0.5 * wear.width};
  if (wear.chips > 0) levels.insert(levels.begin(), 4 * wear.width);
  for (const double level : levels) {
    constexpr int kPasses = 6;  // a side that goes near edges several times is split once in each
    std::unordered_set<std::uint64_t> asked;
    for (int pass = 0; pass < kPasses; ++pass) {
      endIfStopped();
      SideCuts cuts;
      for (const BrokenTriangle& t : broken.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
          const std::uint64_t side = sideOf(t.places[k], t.places[(k + 1) % 3]);
          if (!asked.insert(side).second) continue;
          endIfStoppedAt(asked.size());
          const auto low = static_cast<std::uint32_t>(side >> 32U);
          const auto high = static_cast<std::uint32_t>(side);
          const double length = lengthOf(broken, side);
          const double a = away(low);
          const double b = away(high);
          // Nothing of it can be at the level; or a row is there already.
          const double nearly = 0.25 * level;
          if (std::min(a, b) - 0.5 * (length - std::abs(a - b)) > level || length < nearly) continue;
          const DVec3& from = broken.places[low];
          const DVec3 way = broken.places[high] - from;
          const auto off = [&](double share) { return distance.at(from + share * way) - level; };
          double share = -1;
          if (std::min(a, b) < level - nearly && std::max(a, b) > level + nearly) {
            double in = a < b ? 0 : 1;
            double out = 1 - in;
            for (int step = 0; step < 8; ++step) {
              const double middle = 0.5 * (in + out);
              (off(middle) < 0 ? in : out) = middle;
            }
            share = 0.5 * (in + out);
          } else if (length > 4 * level) {
            // Both ends on one side of the level: over it and back, in between?
            const bool isNear = std::max(a, b) <= level + nearly;
            for (const double there : {0.5, 0.25, 0.75})
              if (share < 0 && (isNear ? off(there) > nearly : off(there) < -nearly)) share = there;
          }
          if (share * length < 0.1 * level || (1 - share) * length < 0.1 * level) continue;
          cuts[side] = {static_cast<std::uint32_t>(broken.places.size()), static_cast<float>(share)};
          const auto s = static_cast<double>(static_cast<float>(share));
          broken.places.push_back((1 - s) * broken.places[low] + s * broken.places[high]);
        }
      if (cuts.empty()) break;
      split(broken, cuts);
      if (broken.triangles.size() > mostTriangles) return tooMany(mostTriangles);
    }
  }
  return {};
}

}  // namespace

Result<void> shapeCuts(Broken& broken, const CutRule& rule, std::size_t mostTriangles) {
  if (rule.longest > 0)
    if (const auto done = refineCuts(broken, rule, mostTriangles); !done) return done;
  if (rule.roughness > 0) roughen(broken, rule);
  if (rule.wear.width > 0)
    if (const auto done = bandEdges(broken, rule.wear, mostTriangles); !done) return done;
  measure(broken);
  return {};
}

}  // namespace arvesk
