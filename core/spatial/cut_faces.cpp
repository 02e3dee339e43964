#include "core/spatial/cut_faces.h"

#include "core/base/noise.h"

#include <fmt/format.h>
#include <nanoflann.hpp>

#include <algorithm>
#include <cmath>
#include <unordered_map>

namespace arvesk {
namespace {

std::uint64_t sideOf(std::uint32_t a, std::uint32_t b) { return std::uint64_t{std::min(a, b)} << 32U | std::max(a, b); }

double lengthOf(const Broken& broken, std::uint64_t side) {
  const DVec3 d = broken.places[side >> 32U] - broken.places[side & 0xFFFFFFFFU];
  return std::sqrt(d.x * d.x + d.y * d.y + d.z * d.z);
}

/// A triangle's side that is split next: its longest one that is too long; 3 when none is.
std::size_t nextSide(const Broken& broken, const BrokenTriangle& t,
                     const std::unordered_map<std::uint64_t, std::uint32_t>& middles) {
  std::size_t found = 3;
  double longest = 0;
  std::uint64_t of = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    const std::uint64_t side = sideOf(t.places[k], t.places[(k + 1) % 3]);
    if (!middles.contains(side)) continue;
    const double length = lengthOf(broken, side);
    if (found < 3 && (length < longest || (length == longest && side > of))) continue;
    found = k;
    longest = length;
    of = side;
  }
  return found;
}

/// All triangles with a side in `middles` in two halves, as often as it takes. A piece keeps skin before cuts.
void split(Broken& broken, const std::unordered_map<std::uint64_t, std::uint32_t>& middles) {
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
        const std::uint32_t middle = middles.at(sideOf(now.places[k], now.places[next]));
        const Vec2 weights = 0.5F * (now.weights[k] + now.weights[next]);
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

struct Rim {
  std::vector<DVec3> points;
  std::size_t kdtree_get_point_count() const { return points.size(); }
  double kdtree_get_pt(std::size_t i, std::size_t axis) const { return points[i][static_cast<int>(axis)]; }
  template <typename Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};
using RimTree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Rim>, Rim, 3, std::uint32_t>;

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
  Rim rim;
  std::vector<std::uint32_t> moving;
  for (std::uint32_t p = 0; p < where.size(); ++p) {
    if (where[p] == kOnSkin && isOnCut[p]) rim.points.push_back(broken.places[p]);
    if (where[p] == kInside) moving.push_back(p);
  }
  if (moving.empty()) return;
  const RimTree tree(3, rim, nanoflann::KDTreeSingleIndexAdaptorParams(8));
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
    double share = 1;
    if (!rim.points.empty()) {
      std::uint32_t nearest = 0;
      double squared = 0;
      if (tree.knnSearch(&p.x, 1, &nearest, &squared) > 0) share = std::min(1.0, std::sqrt(squared) / fade);
    }
    for (int axis = 0; axis < 3; ++axis)
      p[axis] += share * rule.roughness * (2 * static_cast<double>(values[axis][i]) - 1);
  }
}

}  // namespace

Result<void> shapeCuts(Broken& broken, const CutRule& rule, std::size_t mostTriangles) {
  while (rule.longest > 0) {
    std::unordered_map<std::uint64_t, std::uint32_t> middles;
    for (const BrokenTriangle& t : broken.triangles) {
      if (t.from != BrokenTriangle::kCut) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint64_t side = sideOf(t.places[k], t.places[(k + 1) % 3]);
        if (lengthOf(broken, side) <= rule.longest) continue;
        const auto [found, isNew] = middles.emplace(side, static_cast<std::uint32_t>(broken.places.size()));
        if (isNew) broken.places.push_back(0.5 * (broken.places[side >> 32U] + broken.places[side & 0xFFFFFFFFU]));
      }
    }
    if (middles.empty()) break;
    split(broken, middles);
    if (broken.triangles.size() > mostTriangles)
      return fail(ProblemCode::TooMany,
                  fmt::format("the cuts have more than {} triangles at sides of {:g} m", mostTriangles, rule.longest),
                  "Let the longest side be longer, or lower the count");
  }
  if (rule.roughness > 0) roughen(broken, rule);
  measure(broken);
  return {};
}

}  // namespace arvesk
