#include "core/geometry/welding.h"

#include "core/base/hash.h"
#include "core/base/sorting.h"

#include <bit>

namespace arvesk {
namespace {

std::uint64_t cellKey(const glm::i64vec3& c) {
  return hashOf(static_cast<std::uint64_t>(c.x), static_cast<std::uint64_t>(c.y), static_cast<std::uint64_t>(c.z));
}

}  // namespace

std::shared_ptr<const Welded> weldedOf(const Surface& surface) {
  return surface.derived.get<Welded>([&] {
    auto out = std::make_shared<Welded>();
    const float grain = std::max(glm::length(surface.bounds().extent()) * 1e-6F, 1e-12F);
    // Cells much larger than the grain: hardly a vertex lies near the border of one and has to look into others.
    const double cell = 64.0 * static_cast<double>(grain);
    // The newest place of each row of cells, which leads to older ones. All in arrays: millions of small pieces of
    // memory would take longer to give back than a cancel may.
    constexpr std::uint32_t kNone = 0xffffffffU;
    const std::uint64_t mask = std::bit_ceil(2 * surface.positions.size() + 1) - 1;
    Array<std::uint32_t> newest;
    newest.assign(mask + 1, kNone);
    Array<std::uint32_t> older;
    Array<std::uint64_t> keyOf;  // of a place's cell
    out->place.resize(surface.positions.size());
    const auto findIn = [&](const glm::i64vec3& c, const Vec3& p) {
      const std::uint64_t key = cellKey(c);
      std::uint32_t found = kNone;
      for (std::uint32_t k = newest[key & mask]; k != kNone; k = older[k])
        if (keyOf[k] == key && glm::distance(surface.positions[out->vertex[k]], p) <= grain) found = std::min(found, k);
      return found;
    };
    for (std::size_t v = 0; v < surface.positions.size(); ++v) {
      const Vec3& p = surface.positions[v];
      const glm::dvec3 scaled = glm::dvec3(p) / cell;
      const glm::i64vec3 home(glm::floor(scaled));
      std::uint32_t place = findIn(home, p);
      const glm::dvec3 within = scaled - glm::dvec3(home);
      const double border = 1.0 / 64;
      for (int axis = 0; axis < 8 && place == kNone; ++axis) {  // the neighbors whose border is near
        if (axis == 0) continue;
        glm::i64vec3 other = home;
        bool isNear = true;
        for (int k = 0; k < 3; ++k)
          if (axis >> k & 1) {
            if (within[k] <= border)
              --other[k];
            else if (within[k] >= 1 - border)
              ++other[k];
            else
              isNear = false;
          }
        if (isNear) place = findIn(other, p);
      }
      if (place == kNone) {
        place = static_cast<std::uint32_t>(out->vertex.size());
        out->vertex.push_back(static_cast<std::uint32_t>(v));
        keyOf.push_back(cellKey(home));
        older.push_back(std::exchange(newest[keyOf.back() & mask], place));
      }
      out->place[v] = place;
      endIfStoppedAt(v);
    }
    return std::shared_ptr<const Welded>(out);
  });
}

Array<TriangleEdge> edgesByPlace(const Surface& surface, const Welded& welded) {
  Array<TriangleEdge> edges;
  edges.reserve(surface.faceCount() * 3);
  for (std::size_t f = 0; f < surface.faceCount(); ++f)
    for (std::uint32_t k = 0; k < 3; ++k) {
      const std::uint64_t a = welded.place[surface.triangles[f][static_cast<int>(k)]];
      const std::uint64_t b = welded.place[surface.triangles[f][static_cast<int>((k + 1) % 3)]];
      if (a != b) edges.push_back({std::min(a, b) << 32 | std::max(a, b), static_cast<std::uint32_t>(f), k});
    }
  sortLarge(edges, [](const TriangleEdge& a, const TriangleEdge& b) {
    return std::tie(a.places, a.triangle, a.corner) < std::tie(b.places, b.triangle, b.corner);
  });
  return edges;
}

std::vector<std::pair<Vec3, Vec3>> openEdges(const Surface& s) { return edgesOver(s, 180); }

std::vector<std::pair<Vec3, Vec3>> edgesOver(const Surface& s, float degreesOver) {
  const auto welded = weldedOf(s);
  const Array<TriangleEdge> edges = edgesByPlace(s, *welded);
  // Neighbors run along their edge in opposite ways; one that runs the same way is turned round.
  const auto normalOf = [&](const TriangleEdge& edge) {
    const UVec3 t = s.triangles[edge.triangle];
    const auto corner = static_cast<int>(edge.corner);
    const bool isUpward = welded->place[t[corner]] < welded->place[t[(corner + 1) % 3]];
    return s.faceNormal(edge.triangle) * (isUpward ? 1.0F : -1.0F);
  };
  const auto isSharp = [&](std::size_t begin, std::size_t end) {
    if (degreesOver >= 180) return false;
    for (std::size_t k = begin + 1; k < end; ++k) {
      if (s.faceArea(edges[begin].triangle) <= 0 || s.faceArea(edges[k].triangle) <= 0) continue;
      if (degrees(angleBetween(normalOf(edges[begin]), -normalOf(edges[k]))) > degreesOver) return true;
    }
    return false;
  };
  std::vector<std::pair<Vec3, Vec3>> out;
  for (std::size_t i = 0; i < edges.size();) {
    std::size_t end = i + 1;
    while (end < edges.size() && edges[end].places == edges[i].places) ++end;
    const UVec3 t = s.triangles[edges[i].triangle];
    const auto corner = static_cast<int>(edges[i].corner);
    if (end == i + 1 || isSharp(i, end)) out.push_back({s.positions[t[corner]], s.positions[t[(corner + 1) % 3]]});
    i = end;
  }
  return out;
}

std::size_t openEdgeCount(const Surface& s) { return openEdges(s).size(); }

}  // namespace arvesk
