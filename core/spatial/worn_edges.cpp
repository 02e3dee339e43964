#include "core/spatial/worn_edges.h"

#include "core/base/noise.h"
#include "core/base/task.h"
#include "core/spatial/place_tree.h"

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

std::uint64_t sideOf(std::uint32_t a, std::uint32_t b) { return std::uint64_t{std::min(a, b)} << 32U | std::max(a, b); }

std::uint64_t sheetOf(const BrokenTriangle& t, std::uint32_t piece) {
  return t.from != BrokenTriangle::kCut ? ~std::uint64_t{0} : sideOf(piece, t.beyond);
}

double noiseAt(const DVec3& p, double size, std::uint32_t seed) {
  NoiseSettings noise;
  noise.size = static_cast<float>(size);
  noise.octaves = 3;
  noise.seed = seed;
  const Vec3 at(p);
  float out = 0;
  noiseValues(noise, &at.x, &at.y, &at.z, 1, &out);
  return static_cast<double>(out);
}

/// Where two sheets of a piece meet, and are not hollow.
struct Edge {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  DVec3 normalA{0};  // of the sheets, unit
  DVec3 normalB{0};
  bool isSharp = true;
};

DVec3 areaOf(const Broken& broken, const BrokenTriangle& t) {
  const auto at = [&](std::size_t k) { return broken.places[t.places[k]]; };
  return glm::cross(at(1) - at(0), at(2) - at(0));
}

std::vector<Edge> edgesOf(const Broken& broken, std::uint32_t piece) {
  constexpr double kSharp = 0.866;  // cosine of 30°
  const BrokenPiece& its = broken.pieces[piece];
  struct Half {
    std::uint32_t triangle;
    std::uint64_t sheet;
    DVec3 opposite;
  };
  std::unordered_map<std::uint64_t, Half> open;
  std::vector<Edge> out;
  for (std::uint32_t t = its.first; t < its.first + its.count; ++t) {
    const BrokenTriangle& tri = broken.triangles[t];
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint64_t side = sideOf(tri.places[k], tri.places[(k + 1) % 3]);
      const DVec3 opposite = broken.places[tri.places[(k + 2) % 3]];
      const auto [found, isNew] = open.emplace(side, Half{t, sheetOf(tri, piece), opposite});
      if (isNew) continue;
      const bool isWithin = found->second.sheet == sheetOf(tri, piece);
      const DVec3 areaA = areaOf(broken, broken.triangles[found->second.triangle]);
      const DVec3 areaB = areaOf(broken, tri);
      if (!(glm::length(areaA) > 0) || !(glm::length(areaB) > 0)) continue;
      const DVec3 a = glm::normalize(areaA);
      const DVec3 b = glm::normalize(areaB);
      if (glm::dot(a, opposite - broken.places[side >> 32U]) >= 0) continue;  // hollow
      const bool isSharp = glm::dot(a, b) <= kSharp;
      // Creases of the skin are not worn, but nothing may be pushed out there.
      if (isWithin && (!isSharp || tri.from == BrokenTriangle::kCut)) continue;
      out.push_back(
          {static_cast<std::uint32_t>(side >> 32U), static_cast<std::uint32_t>(side), a, b, isSharp && !isWithin});
    }
  }
  return out;
}

}  // namespace

std::vector<std::uint64_t> edgeSides(const Broken& broken) {
  std::unordered_map<std::uint64_t, std::uint64_t> sheet;
  std::vector<std::uint64_t> out;
  for (std::uint32_t p = 0; p < broken.pieces.size(); ++p) {
    endIfStopped();
    for (std::uint32_t t = broken.pieces[p].first; t < broken.pieces[p].first + broken.pieces[p].count; ++t) {
      const BrokenTriangle& tri = broken.triangles[t];
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint64_t side = sideOf(tri.places[k], tri.places[(k + 1) % 3]);
        const auto [found, isNew] = sheet.emplace(side, sheetOf(tri, p));
        if (!isNew && found->second != sheetOf(tri, p)) out.push_back(side);
      }
    }
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

std::unordered_map<std::uint32_t, Worn> wornPlaces(const Broken& broken, std::uint32_t piece, const WearRule& rule) {
  std::unordered_map<std::uint32_t, Worn> out;
  const std::vector<Edge> edges = edgesOf(broken, piece);
  if (edges.empty() || rule.width <= 0) return out;
  const BrokenPiece& its = broken.pieces[piece];
  // Small pieces are not worn away.
  const double most = 0.12 * std::cbrt(its.volume);
  PlaceTree ends;
  std::vector<std::uint32_t> edgeAt;
  for (std::uint32_t e = 0; e < edges.size(); ++e)
    for (const std::uint32_t end : {edges[e].a, edges[e].b}) {
      ends.add(broken.places[end]);
      edgeAt.push_back(e);
    }
  ends.build();
  std::vector<std::uint32_t> places;
  for (std::uint32_t t = its.first; t < its.first + its.count; ++t)
    for (const std::uint32_t p : broken.triangles[t].places) places.push_back(p);
  std::sort(places.begin(), places.end());
  places.erase(std::unique(places.begin(), places.end()), places.end());
  for (const std::uint32_t place : places) {
    const DVec3 p = broken.places[place];
    // The nearest edge among those that end near by.
    double nearest = std::numeric_limits<double>::max();
    const Edge* edge = nullptr;
    DVec3 foot(0);
    std::vector<std::pair<const Edge*, DVec3>> near;
    for (const std::uint32_t k : ends.nearest(p, 48)) {
      const Edge& e = edges[edgeAt[k]];
      const DVec3 from = broken.places[e.a];
      const DVec3 along = broken.places[e.b] - from;
      const double share = std::clamp(glm::dot(p - from, along) / glm::dot(along, along), 0.0, 1.0);
      const DVec3 at = from + share * along;
      const double d = glm::length(p - at);
      if (d < 2 * rule.width) near.emplace_back(&e, at);
      if (e.isSharp && d < nearest) {
        nearest = d;
        edge = &e;
        foot = at;
      }
    }
    if (!edge) continue;
    double radius = rule.width * (0.4 + 0.6 * noiseAt(foot, rule.size, rule.seed));
    if (rule.chips > 0) {
      const double chip = noiseAt(foot, rule.size, rule.seed + 1);
      if (chip > 1 - rule.chips) radius = 2 * rule.width;
    }
    radius = std::min(radius, most);
    const double cosine = glm::dot(edge->normalA, edge->normalB);
    if (cosine < -0.94) continue;                                          // a blade: there is no arc that touches both
    const double reach = radius * std::sqrt((1 - cosine) / (1 + cosine));  // where the arc begins, m from the edge
    if (!(nearest < reach)) continue;
    const DVec3 middle = foot - radius / (1 + cosine) * (edge->normalA + edge->normalB);
    const DVec3 along = glm::normalize(broken.places[edge->b] - broken.places[edge->a]);
    DVec3 arm = p - middle;
    arm -= glm::dot(arm, along) * along;
    const double length = glm::length(arm);
    if (length <= radius) continue;
    DVec3 worn = p + (radius / length - 1) * arm;
    // Where several edges meet none may be pushed out through another sheet.
    double outside = 1;
    for (int pass = 0; pass < 20 && outside > 1e-9; ++pass) {
      outside = 0;
      for (const auto& [other, at] : near)
        for (const DVec3& normal : {other->normalA, other->normalB}) {
          const double by = std::max(0.0, glm::dot(worn - at, normal));
          outside = std::max(outside, by);
          worn -= by * normal;
        }
    }
    if (outside > 1e-4 * radius) continue;
    out[place] = {worn - p, static_cast<float>(1 - nearest / reach)};
  }
  return out;
}

}  // namespace arvesk
