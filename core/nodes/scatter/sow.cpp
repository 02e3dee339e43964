#include "core/nodes/scatter/sow.h"

#include "core/spatial/clearance.h"

#include <tbb/parallel_sort.h>

#include <algorithm>

namespace arvesk {
namespace {

std::uint64_t countOn(double area, double density, std::uint32_t face, Draw draw) {
  const double expected = area * density;
  return static_cast<std::uint64_t>(expected + unitDouble(draw.bits(face)));
}

void placeOne(const Surface& s, std::uint32_t face, std::uint64_t code, std::uint64_t id, Draw draw, Vec3& position, Vec2& weights) {
  const std::uint64_t h = draw.bits(id ^ code);
  float u = static_cast<float>(h >> 40) * 0x1p-24F;
  float v = static_cast<float>((h >> 16) & 0xffffffU) * 0x1p-24F;
  if (u + v > 1) {
    u = 1 - u;
    v = 1 - v;
  }
  weights = {u, v};
  const UVec3 t = s.triangles[face];
  const Vec3 a = s.positions[t.x];
  position = a + (s.positions[t.y] - a) * u + (s.positions[t.z] - a) * v;
}

void append(Sown& to, const Sown& from, std::size_t i) {
  to.position.push_back(from.position[i]);
  to.face.push_back(from.face[i]);
  to.weights.push_back(from.weights[i]);
  to.code.push_back(from.code[i]);
  to.id.push_back(from.id[i]);
}

/// A piece of a face that may still have room: corners as barycentric weights, and the path that led here.
struct Fragment {
  std::uint32_t face;
  std::uint64_t path;
  std::array<Vec2, 3> corners;
};

/// Pieces made by many threads, in order of their pieces.
template <typename T, typename Make>
std::vector<T> collected(const Task& task, std::size_t count, std::size_t grain, Make make) {
  std::vector<std::vector<T>> parts((count + grain - 1) / grain);
  parallelPieces(task, count, grain, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) make(i, parts[begin / grain]);
  });
  std::vector<T> out;
  for (auto& part : parts) out.insert(out.end(), part.begin(), part.end());
  return out;
}

class EvenSow {
 public:
  EvenSow(const Task& task, const Surface& surface, const Array<float>& areas, float least, float most, bool isFromAbove,
          const SpacingOf& spacingOf, std::uint64_t nodeUid, Draw draw)
      : m_task(task), m_surface(surface), m_areas(areas), m_least(least), m_most(most), m_spacingOf(spacingOf), m_nodeUid(nodeUid),
        m_draw(draw), m_rule{1, 0, {}, isFromAbove}, m_kept(m_rule), m_newest(m_rule) {}

  Sown run() {
    // Four candidates per disk of the spacing; more would be slower than filling the gaps that are left.
    const double density = 4.0 / (0.25 * std::numbers::pi * static_cast<double>(m_least) * static_cast<double>(m_least));
    accept(sowFree(m_task, m_surface, m_areas, density, m_nodeUid, m_draw), false);
    std::vector<Fragment> open = collected<Fragment>(m_task, m_surface.faceCount(), 4096, [this](std::size_t f, std::vector<Fragment>& out) {
      const Fragment whole{static_cast<std::uint32_t>(f), 1, {Vec2(0, 0), Vec2(1, 0), Vec2(0, 1)}};
      if (m_areas[f] > 0) addOpenParts(whole, out);
    });
    // A fixed number of rounds: to stop when little is won would make one end of the ground depend on the other.
    for (int round = 0; round < 9 && !open.empty() && !m_task.isCancelled(); ++round) {
      accept(throwDarts(open, round), true);
      // What older points did not cover before they do not cover now: only the round's own points are asked about whole pieces.
      open = collected<Fragment>(m_task, open.size(), 256, [&](std::size_t i, std::vector<Fragment>& out) {
        if (!isCoveredBy(m_newest, open[i])) splitOrKeep(open[i], out);
      });
    }
    return inOrder();
  }

 private:
  Vec3 cornerOf(const Fragment& f, std::size_t i) const { return m_surface.positionAt(f.face, f.corners[i]); }
  float longestEdge(const Fragment& f) const {
    const Vec3 a = cornerOf(f, 0);
    const Vec3 b = cornerOf(f, 1);
    const Vec3 c = cornerOf(f, 2);
    return std::max({glm::distance(a, b), glm::distance(b, c), glm::distance(c, a)});
  }

  /// True when one kept point keeps every place of the fragment from being taken (a triangle within a ball is so by its corners).
  bool isCovered(const Fragment& f) const { return isCoveredBy(m_kept, f); }
  bool isCoveredBy(const KeptPoints& kept, const Fragment& f) const {
    const std::array<Vec3, 3> corners{cornerOf(f, 0), cornerOf(f, 1), cornerOf(f, 2)};
    return kept.any(corners[0], 0.5F * m_least, [&](const PointGrid::Entry& e) {
      return std::all_of(corners.begin(), corners.end(), [&](const Vec3& c) { return m_rule.conflicts(c, 0.5F * m_least, e.position, e.radius); });
    });
  }

  /// Splits until the pieces are about as small as the spacing, leaving out what is covered.
  void addOpenParts(const Fragment& f, std::vector<Fragment>& out) const {
    if (isCovered(f)) return;
    if (longestEdge(f) <= m_least) {
      out.push_back(f);
      return;
    }
    for (const Fragment& child : childrenOf(f)) addOpenParts(child, out);
  }

  static std::array<Fragment, 4> childrenOf(const Fragment& f) {
    const Vec2 ab = 0.5F * (f.corners[0] + f.corners[1]);
    const Vec2 bc = 0.5F * (f.corners[1] + f.corners[2]);
    const Vec2 ca = 0.5F * (f.corners[2] + f.corners[0]);
    const std::uint64_t path = f.path * 4;
    return {Fragment{f.face, path, {f.corners[0], ab, ca}}, Fragment{f.face, path + 1, {ab, f.corners[1], bc}},
            Fragment{f.face, path + 2, {ca, bc, f.corners[2]}}, Fragment{f.face, path + 3, {ab, bc, ca}}};
  }

  void splitOrKeep(const Fragment& f, std::vector<Fragment>& out) const {
    const float edge = longestEdge(f);
    if (f.path > 1 && (edge < m_least / 40 || f.path >> 56)) return;  // a gap too small to matter
    if (edge < m_least / 10) {  // small pieces wait for a dart of their own before they are split again
      out.push_back(f);
      return;
    }
    for (const Fragment& child : childrenOf(f))
      if (!isCovered(child)) out.push_back(child);
  }

  Sown throwDarts(const std::vector<Fragment>& open, int round) const {
    const auto hits = collected<std::pair<std::size_t, Vec2>>(m_task, open.size(), 256, [&](std::size_t i, std::vector<std::pair<std::size_t, Vec2>>& out) {
      const Fragment& f = open[i];
      const std::uint64_t h = m_draw.bits(hashOf(f.face, f.path, static_cast<std::uint64_t>(round)));
      float u = static_cast<float>(h >> 40) * 0x1p-24F;
      float v = static_cast<float>((h >> 16) & 0xffffffU) * 0x1p-24F;
      if (u + v > 1) {
        u = 1 - u;
        v = 1 - v;
      }
      // Where faces are far smaller than the spacing, a dart for each would be many more than can stay.
      const float edge = longestEdge(f) / m_least;
      if (edge < 0.05F && static_cast<float>(h & 0xffffU) / 65536.0F > edge * 20) return;
      out.push_back({i, f.corners[0] + (f.corners[1] - f.corners[0]) * u + (f.corners[2] - f.corners[0]) * v});
    });
    Sown darts;
    for (const auto& [i, weights] : hits) {
      // Above every ordinal of the first throw: round and path name the dart for ever.
      const std::uint64_t code = (std::uint64_t{1} << 63) | hashOf(open[i].path, static_cast<std::uint64_t>(round)) >> 1;
      darts.position.push_back(m_surface.positionAt(open[i].face, weights));
      darts.face.push_back(open[i].face);
      darts.weights.push_back(weights);
      darts.code.push_back(code);
      darts.id.push_back(hashOf(m_nodeUid, open[i].face, code));
    }
    return darts;
  }

  void accept(const Sown& candidates, bool isGapRound) {
    Array<float> spacing(candidates.size());
    m_spacingOf(candidates, 0, spacing);
    Array<PointGrid::Entry> entries(candidates.size());
    struct Ranked { std::uint64_t rank; std::uint32_t index; };
    Array<Ranked> ranked(candidates.size());
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      const auto index = static_cast<std::uint32_t>(i);
      entries[i] = {candidates.position[i], 0.5F * std::clamp(spacing[i], m_least, m_most), index};
      ranked[i] = {mix64(candidates.id[i] ^ 0x5bd1e995ULL), index};
    }
    tbb::parallel_sort(ranked.begin(), ranked.end(), [](const Ranked& a, const Ranked& b) { return a.rank != b.rank ? a.rank < b.rank : a.index < b.index; });
    Array<std::uint32_t> order(candidates.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = ranked[i].index;
    const Array<std::uint8_t> keeps = keepByPriority(m_task, entries, order, isGapRound ? m_kept : KeptPoints(m_rule), m_rule);
    Array<PointGrid::Entry> kept;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      if (!keeps[i]) continue;
      append(m_result, candidates, i);
      kept.push_back(entries[i]);
    }
    m_kept.add(kept);
    m_newest = KeptPoints(m_rule);
    m_newest.add(kept);
  }

  Sown inOrder() const {
    std::vector<std::size_t> order(m_result.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return m_result.face[a] != m_result.face[b] ? m_result.face[a] < m_result.face[b] : m_result.code[a] < m_result.code[b];
    });
    Sown out;
    for (const std::size_t i : order) append(out, m_result, i);
    return out;
  }

  const Task& m_task;
  const Surface& m_surface;
  const Array<float>& m_areas;
  float m_least;
  float m_most;
  const SpacingOf& m_spacingOf;
  std::uint64_t m_nodeUid;
  Draw m_draw;
  ConflictRule m_rule;
  KeptPoints m_kept;
  KeptPoints m_newest;  // what the last round added
  Sown m_result;
};

}  // namespace

namespace {

constexpr std::size_t kPiece = 8192;  // candidates that one thread makes at a time, however large or small the faces are

/// Where each face's candidates begin among all; one more at the end.
/// Totals fit 32 bits: the guard before allows far fewer points.
using Starts = Array<std::uint32_t>;
Starts startsOf(const Task& task, const Surface& surface, const Array<float>& areas, double density, Draw draw) {
  const std::size_t faces = surface.faceCount();
  Starts start(faces + 1);
  start[0] = 0;
  parallelPieces(task, faces, 65536, [&](std::size_t begin, std::size_t end) {
    for (std::size_t f = begin; f < end; ++f) start[f + 1] = static_cast<std::uint32_t>(countOn(static_cast<double>(areas[f]), density, static_cast<std::uint32_t>(f), draw));
  });
  if (task.isCancelled()) std::fill(start.begin(), start.end(), 0U);
  for (std::size_t f = 0; f < faces; ++f) start[f + 1] += start[f];
  return start;
}

void resize(Sown& s, std::size_t count) {
  s.position.resize(count);
  s.face.resize(count);
  s.weights.resize(count);
  s.code.resize(count);
  s.id.resize(count);
}

/// Calls visit(i, face, ordinal) for the candidates begin…end of all.
template <typename Visit>
void walk(const Starts& start, std::size_t begin, std::size_t end, Visit visit) {
  std::size_t face = static_cast<std::size_t>(std::upper_bound(start.begin(), start.end(), static_cast<std::uint32_t>(begin)) - start.begin()) - 1;
  for (std::size_t i = begin; i < end; ++i) {
    while (i >= start[face + 1]) ++face;
    visit(i, static_cast<std::uint32_t>(face), static_cast<std::uint64_t>(i - start[face]));
  }
}

/// Candidates begin…end of all, into `out` from place `at`.
void fill(const Surface& surface, const Starts& start, std::uint64_t nodeUid, Draw draw, std::size_t begin, std::size_t end, Sown& out, std::size_t at) {
  walk(start, begin, end, [&](std::size_t i, std::uint32_t face, std::uint64_t code) {
    const std::size_t k = at + i - begin;
    out.face[k] = face;
    out.code[k] = code;
    out.id[k] = hashOf(nodeUid, face, code);
    placeOne(surface, face, code, out.id[k], draw, out.position[k], out.weights[k]);
  });
}

Vec2 uvAt(const Surface& surface, std::uint32_t face, Vec2 w) {
  if (surface.uvs.empty()) return w;
  const UVec3 t = surface.triangles[face];
  return surface.uvs[t.x] * (1 - w.x - w.y) + surface.uvs[t.y] * w.x + surface.uvs[t.z] * w.y;
}

}  // namespace

Sown sowFree(const Task& task, const Surface& surface, const Array<float>& areas, double density, std::uint64_t nodeUid, Draw draw) {
  const Starts start = startsOf(task, surface, areas, density, draw);
  Sown out;
  resize(out, start.back());
  parallelPieces(task, start.back(), kPiece, [&](std::size_t begin, std::size_t end) { fill(surface, start, nodeUid, draw, begin, end, out, begin); });
  return out;
}

Points sowFreePoints(const Task& task, const Surface& surface, const Array<float>& areas, double density, std::uint64_t nodeUid, Draw draw, float footprint) {
  const Starts start = startsOf(task, surface, areas, density, draw);
  Points p;
  p.count = start.back();
  Array<Vec3> position(p.count);
  Array<Vec3> normal(p.count);
  Array<Vec2> uv(p.count);
  Array<std::uint32_t> faces(p.count);
  Array<std::uint64_t> id(p.count);
  parallelPieces(task, p.count, kPiece, [&](std::size_t begin, std::size_t end) {
    walk(start, begin, end, [&](std::size_t i, std::uint32_t face, std::uint64_t code) {
      Vec2 weights;
      faces[i] = face;
      id[i] = hashOf(nodeUid, face, code);
      placeOne(surface, face, code, id[i], draw, position[i], weights);
      normal[i] = surface.normalAt(face, weights);
      uv[i] = uvAt(surface, face, weights);
    });
  });
  p.position = std::move(position);
  p.groundNormal = std::move(normal);
  p.groundUv = std::move(uv);
  p.groundFace = std::move(faces);
  p.id = std::move(id);
  p.footprint = Column<float>(footprint);
  return p;
}

Sown sowFreeWhere(const Task& task, const Surface& surface, const Array<float>& areas, double density, std::uint64_t nodeUid, Draw draw,
                  const KeepsCandidates& keeps, std::size_t& candidates) {
  const Starts start = startsOf(task, surface, areas, density, draw);
  candidates = start.back();
  std::vector<Sown> pieces((candidates + kPiece - 1) / kPiece);
  parallelPieces(task, candidates, kPiece, [&](std::size_t begin, std::size_t end) {
    Sown all;
    resize(all, end - begin);
    fill(surface, start, nodeUid, draw, begin, end, all, 0);
    const Array<std::uint8_t> stays = keeps(all);
    for (std::size_t i = 0; i < all.size(); ++i)
      if (stays[i]) append(pieces[begin / kPiece], all, i);
  });
  Sown out;
  const auto join = [&](auto member) {
    for (const Sown& piece : pieces) (out.*member).insert((out.*member).end(), (piece.*member).begin(), (piece.*member).end());
  };
  join(&Sown::position);
  join(&Sown::face);
  join(&Sown::weights);
  join(&Sown::code);
  join(&Sown::id);
  return out;
}

double appearsAt(std::uint32_t face, std::uint64_t code, const Array<float>& areas, Draw draw) {
  return (static_cast<double>(code) + 1 - unitDouble(draw.bits(face))) / static_cast<double>(areas[face]);
}

Sown sowEven(const Task& task, const Surface& surface, const Array<float>& areas, float least, float most, bool isFromAbove,
             const SpacingOf& spacingOf, std::uint64_t nodeUid, Draw draw) {
  return EvenSow(task, surface, areas, least, most, isFromAbove, spacingOf, nodeUid, draw).run();
}

Points pointsFrom(const Task& task, const Surface& surface, Sown sown, float footprint) {
  Points p;
  p.count = sown.size();
  Array<Vec3> normals(p.count);
  Array<Vec2> uvs(p.count);
  parallelPieces(task, p.count, 8192, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const Vec2 w = sown.weights[i];
      normals[i] = surface.normalAt(sown.face[i], w);
      uvs[i] = uvAt(surface, sown.face[i], w);
    }
  });
  p.position = std::move(sown.position);
  p.groundFace = std::move(sown.face);
  p.groundNormal = std::move(normals);
  p.groundUv = std::move(uvs);
  p.id = std::move(sown.id);
  p.footprint = Column<float>(footprint);
  return p;
}

}  // namespace arvesk
