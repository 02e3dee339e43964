#include "core/geometry/faces.h"

#include "core/base/sorting.h"
#include "core/geometry/welding.h"

#include <algorithm>
#include <cstring>
#include <numeric>

namespace arvesk {
namespace {

/// Two triangles on either side of one edge.
struct Neighbors {
  TriangleEdge first;
  TriangleEdge second;
};

bool hasArea(const Surface& s, std::size_t f) {
  const UVec3 t = s.triangles[f];
  const Vec3 a = s.positions[t.y] - s.positions[t.x];
  const Vec3 b = s.positions[t.z] - s.positions[t.x];
  return glm::length(glm::cross(a, b)) > 1e-7F * std::max(glm::dot(a, a), glm::dot(b, b));
}

/// Flat neighbors of the same part and material, whose faces look the same way.
std::vector<Neighbors> flatNeighbors(const Surface& s, float angleDeg) {
  const auto welded = weldedOf(s);
  const Array<TriangleEdge> edges = edgesByPlace(s, *welded);
  std::vector<Neighbors> out;
  const float limit = radians(angleDeg) + 1e-4F;
  for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
    if ((i & 0xfffU) == 0) endIfStopped();
    const TriangleEdge& a = edges[i];
    const TriangleEdge& b = edges[i + 1];
    const bool isTwo = a.places == b.places && a.triangle != b.triangle &&
                       (i == 0 || edges[i - 1].places != a.places) &&
                       (i + 2 == edges.size() || edges[i + 2].places != a.places);
    if (!isTwo || !hasArea(s, a.triangle) || !hasArea(s, b.triangle)) continue;
    const auto placeAt = [&](const TriangleEdge& e) {
      return welded->place[s.triangles[e.triangle][static_cast<int>(e.corner)]];
    };
    if (placeAt(a) == placeAt(b)) continue;  // one of them is turned round
    const auto differs = [&](const SharedArray<std::uint16_t>& perFace) {
      return !perFace.empty() && perFace[a.triangle] != perFace[b.triangle];
    };
    if (differs(s.faceMaterials) || differs(s.faceParts)) continue;
    if (angleBetween(s.faceNormal(a.triangle), s.faceNormal(b.triangle)) <= limit) out.push_back({a, b});
  }
  return out;
}

Vec3 corner(const Surface& s, const TriangleEdge& e, std::uint32_t on) {
  return s.positions[s.triangles[e.triangle][static_cast<int>((e.corner + on) % 3)]];
}

/// How far the quad of two triangles is from a rectangle: the largest cosine of a corner, in thousandths; above a
/// thousand when it is not convex.
int skewOf(const Surface& s, const Neighbors& n) {
  const Vec3 normal = s.faceNormal(n.first.triangle);
  const std::array<Vec3, 4> at{corner(s, n.first, 0), corner(s, n.second, 2), corner(s, n.first, 1),
                               corner(s, n.first, 2)};
  float worst = 0;
  for (std::size_t c = 0; c < 4; ++c) {
    const Vec3 before = directionOr(at[c] - at[(c + 3) % 4], Vec3(0));
    const Vec3 after = directionOr(at[(c + 1) % 4] - at[c], Vec3(0));
    if (glm::dot(glm::cross(before, after), normal) < 1e-3F) return 2000;
    worst = std::max(worst, std::abs(glm::dot(before, after)));
  }
  return static_cast<int>(std::round(worst * 1000));
}

/// Pairs of triangles, the most rectangular first, whatever their order in the file.
void pairQuads(const Surface& s, float angleDeg, Array<std::uint32_t>& lead) {
  struct Pair {
    int skew;
    std::uint64_t low, high;  // keys
    std::uint32_t a, b;
  };
  Array<Pair> pairs;
  for (const Neighbors& n : flatNeighbors(s, angleDeg)) {
    if ((pairs.size() & 0xfffU) == 0) endIfStopped();
    const std::uint32_t a = n.first.triangle;
    const std::uint32_t b = n.second.triangle;
    const int skew = skewOf(s, n);
    if (skew <= 1000)
      pairs.push_back({skew, std::min(s.faceKey(a), s.faceKey(b)), std::max(s.faceKey(a), s.faceKey(b)), a, b});
  }
  sortLarge(pairs, [](const Pair& x, const Pair& y) {
    return std::tie(x.skew, x.low, x.high, x.a, x.b) < std::tie(y.skew, y.low, y.high, y.a, y.b);
  });
  std::vector<std::uint8_t> isTaken(s.faceCount(), 0);
  for (const Pair& p : pairs) {
    if (isTaken[p.a] || isTaken[p.b]) continue;
    isTaken[p.a] = isTaken[p.b] = 1;
    lead[std::max(p.a, p.b)] = std::min(p.a, p.b);
  }
}

void joinAreas(const Surface& s, float angleDeg, Array<std::uint32_t>& lead) {
  const auto root = [&](std::uint32_t t) {
    while (lead[t] != t) t = lead[t] = lead[lead[t]];
    return t;
  };
  for (const Neighbors& n : flatNeighbors(s, angleDeg)) {
    endIfStopped();
    const std::uint32_t a = root(n.first.triangle);
    const std::uint32_t b = root(n.second.triangle);
    lead[std::max(a, b)] = std::min(a, b);
  }
  for (std::uint32_t t = 0; t < lead.size(); ++t) lead[t] = root(t);
}

/// Ground that is one grid has its quads in order.
void pairGrid(const Surface& s, float angleDeg, Array<std::uint32_t>& lead) {
  const float limit = radians(angleDeg) + 1e-4F;
  for (std::uint32_t t = 0; t + 1 < lead.size(); t += 2) {
    if ((t & 0xfffU) == 0) endIfStopped();
    if (angleBetween(s.faceNormal(t), s.faceNormal(t + 1)) <= limit) lead[t + 1] = t;
  }
}

}  // namespace

std::shared_ptr<const Faces> facesBy(const Surface& surface, const FaceRule& rule) {
  const Surface& s = surface.rest.empty() ? surface : *restOf(surface);  // what is one face stays one while it bends
  const float angle = std::max(rule.angleDeg, 0.0F);
  std::uint32_t angleBits = 0;
  std::memcpy(&angleBits, &angle, sizeof angle);
  const auto key = static_cast<std::uint64_t>(rule.are) << 32 | (rule.are == FacesAre::Triangles ? 0 : angleBits);
  return s.derived.get<Faces>(key, [&] {
    const std::size_t count = s.faceCount();
    Array<std::uint32_t> lead(count);  // triangle → the first of its face
    std::iota(lead.begin(), lead.end(), 0U);
    if (rule.are == FacesAre::Quads && gridShapeOf(s).columns > 0)
      pairGrid(s, angle, lead);
    else if (rule.are == FacesAre::Quads)
      pairQuads(s, angle, lead);
    else if (rule.are == FacesAre::FlatAreas)
      joinAreas(s, angle, lead);
    auto out = std::make_shared<Faces>();
    out->ofTriangle.assign(count, kNoTriangleFace);
    Array<std::uint32_t> size;
    for (std::uint32_t t = 0; t < count; ++t) {
      if (!hasArea(s, t)) continue;
      std::uint32_t& face = out->ofTriangle[t];
      face = lead[t] == t ? static_cast<std::uint32_t>(size.size()) : out->ofTriangle[lead[t]];
      if (lead[t] == t) size.push_back(0);
      ++size[face];
    }
    out->start.assign(size.size() + 1, 0);
    std::partial_sum(size.begin(), size.end(), out->start.begin() + 1);
    out->triangles.resize(out->start.back());
    Array<std::uint32_t> next(out->start.begin(), out->start.end() - 1);
    for (std::uint32_t t = 0; t < count; ++t)
      if (const std::uint32_t face = out->ofTriangle[t]; face != kNoTriangleFace) out->triangles[next[face]++] = t;
    return std::shared_ptr<const Faces>(out);
  });
}

std::uint64_t keyOfFace(const Surface& s, const Faces& faces, std::size_t face) {
  std::uint64_t key = ~std::uint64_t{0};
  for (const std::uint32_t t : faces.of(face)) key = std::min(key, s.faceKey(t));
  return key;
}

FaceMiddle middleOf(const Surface& s, const Faces& faces, std::size_t face) {
  FaceMiddle out;
  if (const auto triangles = faces.of(face); triangles.size() == 1) {
    const std::uint32_t t = triangles.front();
    constexpr Vec2 kMiddle(1.0F / 3, 1.0F / 3);
    return {s.positionAt(t, kMiddle), s.faceNormal(t), s.faceArea(t), t, kMiddle};
  }
  Vec3 normal(0);
  Vec3 sum(0);
  for (const std::uint32_t t : faces.of(face)) {
    const float area = s.faceArea(t);
    sum += area * s.positionAt(t, Vec2(1.0F / 3, 1.0F / 3));
    normal += area * s.faceNormal(t);
    out.area += area;
  }
  out.normal = directionOr(normal, kUp);
  const Vec3 middle = out.area > 0 ? sum / out.area : s.positions[s.triangles[faces.of(face).front()].x];
  float best = std::numeric_limits<float>::max();
  for (const std::uint32_t t : faces.of(face)) {
    const UVec3 v = s.triangles[t];
    const Vec2 w = closestWeights(middle, s.positions[v.x], s.positions[v.y], s.positions[v.z]);
    const float distance = glm::distance(s.positionAt(t, w), middle);
    if (distance >= best) continue;
    best = distance;
    out.triangle = t;
    out.weights = w;
  }
  out.place = s.positionAt(out.triangle, out.weights);
  return out;
}

namespace {

/// A piece of the outline: one side of one triangle.
struct Piece {
  std::uint32_t triangle;
  std::uint32_t corner;
  std::uint32_t from, to;  // places
};

/// The outline's pieces, each loop in order.
std::vector<std::vector<Piece>> loopsOf(const Surface& s, const Welded& welded,
                                        std::span<const std::uint32_t> triangles) {
  std::vector<Piece> open;
  std::map<std::pair<std::uint32_t, std::uint32_t>, int> count;
  const auto placeAt = [&](std::uint32_t t, std::uint32_t k) {
    return welded.place[s.triangles[t][static_cast<int>(k % 3)]];
  };
  // From the lowest-keyed triangle on, so that the outline begins where it does in any order of triangles.
  std::vector<std::uint32_t> order(triangles.begin(), triangles.end());
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) { return s.faceKey(a) < s.faceKey(b); });
  for (const std::uint32_t t : order)
    for (std::uint32_t k = 0; k < 3; ++k) ++count[{placeAt(t, k), placeAt(t, k + 1)}];
  for (const std::uint32_t t : order)
    for (std::uint32_t k = 0; k < 3; ++k) {
      const Piece p{t, k, placeAt(t, k), placeAt(t, k + 1)};
      if (p.from != p.to && !count.contains({p.to, p.from})) open.push_back(p);
    }
  std::multimap<std::uint32_t, std::size_t> startingAt;
  for (std::size_t i = 0; i < open.size(); ++i) startingAt.emplace(open[i].from, i);
  std::vector<std::uint8_t> isUsed(open.size(), 0);
  std::vector<std::vector<Piece>> loops;
  for (std::size_t first = 0; first < open.size(); ++first) {
    if (isUsed[first]) continue;
    std::vector<Piece>& loop = loops.emplace_back();
    for (std::size_t at = first; !isUsed[at];) {
      isUsed[at] = 1;
      loop.push_back(open[at]);
      const auto [begin, end] = startingAt.equal_range(open[at].to);
      for (auto it = begin; it != end; ++it)
        if (!isUsed[it->second]) {
          at = it->second;
          break;
        }
    }
  }
  return loops;
}

Vec3 startOf(const Surface& s, const Piece& p) {
  return s.positions[s.triangles[p.triangle][static_cast<int>(p.corner)]];
}
Vec3 endOf(const Surface& s, const Piece& p) {
  return s.positions[s.triangles[p.triangle][static_cast<int>((p.corner + 1) % 3)]];
}

/// The side made of the pieces begin…end of a loop; its middle lies on one of them.
FaceSide sideOf(const Surface& s, const std::vector<Piece>& loop, std::size_t begin, std::size_t end) {
  const auto piece = [&](std::size_t i) -> const Piece& { return loop[i % loop.size()]; };
  FaceSide side;
  const Piece& first = piece(begin);
  const Piece& last = piece(end - 1);
  side.fromVertex = s.triangles[first.triangle][static_cast<int>(first.corner)];
  side.toVertex = s.triangles[last.triangle][static_cast<int>((last.corner + 1) % 3)];
  side.from = startOf(s, first);
  side.to = endOf(s, last);
  float length = 0;
  for (std::size_t i = begin; i < end; ++i) length += glm::distance(startOf(s, piece(i)), endOf(s, piece(i)));
  float rest = 0.5F * length;
  for (std::size_t i = begin; i < end; ++i) {
    const Piece& p = piece(i);
    const float own = glm::distance(startOf(s, p), endOf(s, p));
    if (rest > own && i + 1 < end) {
      rest -= own;
      continue;
    }
    const float along = own > 0 ? std::min(rest / own, 1.0F) : 0.0F;
    std::array<float, 3> weight{0, 0, 0};
    weight[p.corner] = 1 - along;
    weight[(p.corner + 1) % 3] = along;
    side.triangle = p.triangle;
    side.weights = {weight[1], weight[2]};
    break;
  }
  return side;
}

}  // namespace

std::vector<FaceSide> sidesOf(const Surface& s, const Faces& faces, std::size_t face, FacesAre are) {
  const auto welded = weldedOf(s);
  std::vector<std::vector<Piece>> loops = loopsOf(s, *welded, faces.of(face));
  const auto lengthOf = [&](const std::vector<Piece>& loop) {
    float sum = 0;
    for (const Piece& p : loop) sum += glm::distance(startOf(s, p), endOf(s, p));
    return sum;
  };
  std::stable_sort(loops.begin(), loops.end(), [&](const auto& a, const auto& b) { return lengthOf(a) > lengthOf(b); });
  std::vector<FaceSide> out;
  for (const std::vector<Piece>& loop : loops) {
    const std::size_t n = loop.size();
    const auto isStraight = [&](std::size_t i) {  // from the piece before on into this one
      if (are != FacesAre::FlatAreas || n < 4) return false;
      const Vec3 before = directionOr(endOf(s, loop[(i + n - 1) % n]) - startOf(s, loop[(i + n - 1) % n]), Vec3(0));
      const Vec3 after = directionOr(endOf(s, loop[i % n]) - startOf(s, loop[i % n]), Vec3(0));
      return glm::dot(before, after) > 0.9998F;  // about a degree
    };
    std::size_t first = 0;
    while (first < n && isStraight(first)) ++first;
    if (first == n) first = 0;
    for (std::size_t i = first; i < first + n;) {
      std::size_t end = i + 1;
      while (end < first + n && isStraight(end)) ++end;
      out.push_back(sideOf(s, loop, i, end));
      i = end;
    }
  }
  return out;
}

Vec3 alongSide(const std::vector<FaceSide>& sides, WhichSide which) {
  if (sides.empty()) return Vec3(0);
  const auto side = [&](std::size_t i) { return sides[i % sides.size()].to - sides[i % sides.size()].from; };
  if (which >= WhichSide::First)
    return side(static_cast<std::size_t>(which) - static_cast<std::size_t>(WhichSide::First));
  std::size_t best = 0;
  for (std::size_t i = 1; i < sides.size(); ++i) {
    const float a = glm::length(side(i));
    const float b = glm::length(side(best));
    if (which == WhichSide::Longest ? a > 1.001F * b : a < 0.999F * b) best = i;
  }
  return side(best);
}

Vec3 edgeSense(const Vec3& direction, const Vec3& normal) {
  const Vec3 down = directionOr(-kUp + normal * glm::dot(normal, kUp), Vec3(0));
  // Less than a degree of slope has no low side that anybody would see.
  const bool isLevel = std::abs(normal.y) > 0.99985F || down == Vec3(0);
  // A little off downhill, so that what runs along the slope and what runs across it both have a side.
  const Vec3 toward = isLevel ? Vec3(1, 0, 0.7F) : glm::angleAxis(-radians(20.0F), normal) * down;
  return glm::dot(direction, toward) < 0 ? -direction : direction;
}

Vec2 closestWeights(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 ab = b - a;
  const Vec3 ac = c - a;
  const Vec3 ap = p - a;
  const float d1 = glm::dot(ab, ap);
  const float d2 = glm::dot(ac, ap);
  if (d1 <= 0 && d2 <= 0) return {0, 0};
  const Vec3 bp = p - b;
  const float d3 = glm::dot(ab, bp);
  const float d4 = glm::dot(ac, bp);
  if (d3 >= 0 && d4 <= d3) return {1, 0};
  const float vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return {d1 / (d1 - d3), 0};
  const Vec3 cp = p - c;
  const float d5 = glm::dot(ab, cp);
  const float d6 = glm::dot(ac, cp);
  if (d6 >= 0 && d5 <= d6) return {0, 1};
  const float vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return {0, d2 / (d2 - d6)};
  const float va = d3 * d6 - d5 * d4;
  if (va <= 0 && (d4 - d3) >= 0 && (d5 - d6) >= 0) {
    const float w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
    return {1 - w, w};
  }
  const float denominator = 1.0F / (va + vb + vc);
  return {vb * denominator, vc * denominator};
}

}  // namespace arvesk
