#include "core/nodes/scatter/sow.h"

#include "core/nodes/scatter/candidate_counts.h"
#include "core/spatial/clearance.h"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <atomic>
#include <utility>

namespace arvesk {
namespace {

/// Weights of the second and third corner, uniform over a triangle.
Vec2 foldedWeights(std::uint64_t h) {
  const float u = static_cast<float>(h >> 40) * 0x1p-24F;
  const float v = static_cast<float>((h >> 16) & 0xffffffU) * 0x1p-24F;
  return u + v > 1 ? Vec2(1 - u, 1 - v) : Vec2(u, v);
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

/// What one thread makes of a piece of the work.
template <typename T>
struct Made {
  std::vector<T> items;
  PointGrid::Entry lastCover{Vec3(std::numeric_limits<float>::max()), 0,
                             0};  // neighbors are mostly covered by the same point
};

/// Pieces made by many threads, in order of their pieces.
template <typename T, typename Make>
std::vector<T> collected(const Task& task, std::size_t count, std::size_t grain, Make make) {
  std::vector<std::vector<T>> parts((count + grain - 1) / grain);
  parallelPieces(task, count, grain, [&](std::size_t begin, std::size_t end) {
    Made<T> made;
    for (std::size_t i = begin; i < end; ++i) make(i, made);
    parts[begin / grain] = std::move(made.items);
  });
  std::size_t total = 0;
  for (const auto& part : parts) total += part.size();
  std::vector<T> out;
  out.reserve(total);
  for (auto& part : parts) out.insert(out.end(), part.begin(), part.end());
  return out;
}

class EvenSow {
 public:
  EvenSow(const Task& task, const Surface& surface, const Array<float>& areas, float least, float most,
          bool isFromAbove, const SpacingOf& spacingOf, std::uint64_t nodeUid, Draw draw)
      : m_task(task),
        m_surface(surface),
        m_areas(areas),
        m_least(least),
        m_most(most),
        m_spacingOf(spacingOf),
        m_nodeUid(nodeUid),
        m_draw(draw),
        m_rule{1, 0, {}, isFromAbove},
        m_kept(m_rule),
        m_newest(m_rule) {}

  Sown run() {
    // Four candidates per disk of the spacing; more would be slower than filling the gaps that are left.
    const double density = 4.0 /
                           (0.25 * std::numbers::pi * static_cast<double>(m_least) * static_cast<double>(m_least));
    accept(sowFree(m_task, m_surface, m_areas, density, m_nodeUid, m_draw), false);
    std::vector<Fragment> open = collected<Fragment>(
        m_task, m_surface.faceCount(), 4096, [this](std::size_t f, Made<Fragment>& out) {
          const Fragment whole{static_cast<std::uint32_t>(f), 1, {Vec2(0, 0), Vec2(1, 0), Vec2(0, 1)}};
          if (m_areas[f] > 0) addOpenParts(whole, out);
        });
    // A fixed number of rounds: to stop when little is won would make one end of the ground depend on the other.
    for (int round = 0; round < 9 && !open.empty() && !m_task.isCancelled(); ++round) {
      accept(throwDarts(open, round), true);
      // What older points did not cover before they do not cover now: only the round's own points are asked about whole
      // pieces.
      open = collected<Fragment>(m_task, open.size(), 256, [&](std::size_t i, Made<Fragment>& out) {
        if (!isCoveredBy(m_newest, open[i], out.lastCover)) splitOrKeep(open[i], out);
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

  /// True when one kept point keeps every place of the fragment from being taken (a triangle within a ball is so by its
  /// corners).
  bool isCovered(const Fragment& f, PointGrid::Entry& last) const { return isCoveredBy(m_kept, f, last); }
  bool isCoveredBy(const KeptPoints& kept, const Fragment& f, PointGrid::Entry& last) const {
    const std::array<Vec3, 3> corners{cornerOf(f, 0), cornerOf(f, 1), cornerOf(f, 2)};
    const auto covers = [&](const PointGrid::Entry& e) {
      return std::all_of(corners.begin(), corners.end(),
                         [&](const Vec3& c) { return m_rule.conflicts(c, 0.5F * m_least, e.position, e.radius); });
    };
    return covers(last) || kept.any(corners[0], 0.5F * m_least, [&](const PointGrid::Entry& e) {
      if (!covers(e)) return false;
      last = e;
      return true;
    });
  }

  /// Splits until the pieces are about as small as the spacing, leaving out what is covered.
  void addOpenParts(const Fragment& f, Made<Fragment>& out) const {
    if (isCovered(f, out.lastCover)) return;
    if (longestEdge(f) <= m_least) {
      out.items.push_back(f);
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

  void splitOrKeep(const Fragment& f, Made<Fragment>& out) const {
    const float edge = longestEdge(f);
    if (f.path > 1 && (edge < m_least / 40 || f.path >> 56)) return;  // a gap too small to matter
    if (edge < m_least / 10) {  // small pieces wait for a dart of their own before they are split again
      out.items.push_back(f);
      return;
    }
    for (const Fragment& child : childrenOf(f))
      if (!isCovered(child, out.lastCover)) out.items.push_back(child);
  }

  Sown throwDarts(const std::vector<Fragment>& open, int round) const {
    const auto hits = collected<std::pair<std::size_t, Vec2>>(
        m_task, open.size(), 256, [&](std::size_t i, Made<std::pair<std::size_t, Vec2>>& out) {
          const Fragment& f = open[i];
          const std::uint64_t h = m_draw.bits(
              hashOf(m_surface.faceKey(f.face), f.path, static_cast<std::uint64_t>(round)));
          const Vec2 w = foldedWeights(h);
          // Where faces are far smaller than the spacing, a dart for each would be many more than can stay.
          const float edge = longestEdge(f) / m_least;
          if (edge < 0.05F && static_cast<float>(h & 0xffffU) / 65536.0F > edge * 20) return;
          out.items.push_back(
              {i, f.corners[0] + (f.corners[1] - f.corners[0]) * w.x + (f.corners[2] - f.corners[0]) * w.y});
        });
    Sown darts;
    for (const auto& [i, weights] : hits) {
      // Above every ordinal of the first throw: round and path name the dart for ever.
      const std::uint64_t code = (std::uint64_t{1} << 63) |
                                 hashOf(open[i].path, static_cast<std::uint64_t>(round)) >> 1;
      darts.position.push_back(m_surface.positionAt(open[i].face, weights));
      darts.face.push_back(open[i].face);
      darts.weights.push_back(weights);
      darts.code.push_back(code);
      darts.id.push_back(hashOf(m_nodeUid, m_surface.faceKey(open[i].face), code));
    }
    return darts;
  }

  void accept(const Sown& candidates, bool isGapRound) {
    Array<float> spacing(candidates.size());
    m_spacingOf(candidates, spacing);
    Array<PointGrid::Entry> entries(candidates.size());
    struct Ranked {
      std::uint64_t rank;
      std::uint32_t index;
    };
    Array<Ranked> ranked(candidates.size());
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      const auto index = static_cast<std::uint32_t>(i);
      entries[i] = {candidates.position[i], 0.5F * std::clamp(spacing[i], m_least, m_most), index};
      ranked[i] = {mix64(candidates.id[i] ^ 0x5bd1e995ULL), index};
    }
    tbb::parallel_sort(ranked.begin(), ranked.end(), [](const Ranked& a, const Ranked& b) {
      return a.rank != b.rank ? a.rank < b.rank : a.index < b.index;
    });
    Array<std::uint32_t> order(candidates.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = ranked[i].index;
    const Array<std::uint8_t> keeps = keepByPriority(m_task, entries, order, isGapRound ? m_kept : KeptPoints(m_rule),
                                                     m_rule);
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
      return m_result.face[a] != m_result.face[b] ? m_result.face[a] < m_result.face[b]
                                                  : m_result.code[a] < m_result.code[b];
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

constexpr std::size_t kPiece =
    8192;  // candidates that one thread makes at a time, however large or small the faces are
constexpr std::size_t kFacesPerGroup = 4096;

/// How many candidates each face has, and how many come before each group of faces; one more at the end.
class Starts {
 public:
  Starts(const Task& task, const Surface& surface, const Array<float>& areas, double density, Draw draw,
         const IsBarren& isBarren = {})
      : m_count(areas.size()) {
    std::atomic<std::size_t> barren{0};
    const std::size_t groups = (areas.size() + kFacesPerGroup - 1) / kFacesPerGroup;
    m_start.assign(groups + 1, 0);
    parallelPieces(task, areas.size(), kFacesPerGroup, [&](std::size_t begin, std::size_t end) {
      const std::uint64_t* keys = surface.faceKeys.empty() ? nullptr : surface.faceKeys.data() + begin;
      m_start[begin / kFacesPerGroup + 1] = countCandidates(areas.data() + begin, keys,
                                                            static_cast<std::uint32_t>(begin), end - begin, density,
                                                            draw, m_count.data() + begin);
      if (!isBarren) return;
      std::size_t gone = 0;
      for (std::size_t f = begin; f < end; ++f)
        if (m_count[f] > 0 && isBarren(static_cast<std::uint32_t>(f), m_count[f])) gone += std::exchange(m_count[f], 0);
      m_start[begin / kFacesPerGroup + 1] -= gone;
      barren += gone;
    });
    m_barren = barren;
    if (task.isCancelled()) m_start.assign(groups + 1, 0);
    for (std::size_t g = 0; g < groups; ++g) m_start[g + 1] += m_start[g];
  }

  std::size_t total() const { return m_start.back(); }
  /// Candidates of barren faces, which are not among the total.
  std::size_t barren() const { return m_barren; }

  /// Calls visit(i, face, ordinal) for the candidates begin…end of all, at most kPiece of them.
  template <typename Visit>
  void walk(std::size_t begin, std::size_t end, Visit visit) const {
    struct Candidate {
      std::uint32_t face, ordinal;
    };
    std::array<Candidate, kPiece + 1> found;
    std::size_t n = 0;
    const auto group =
        static_cast<std::size_t>(std::upper_bound(m_start.begin(), m_start.end(), begin) - m_start.begin()) - 1;
    std::size_t first = m_start[group];  // candidate of the face
    for (auto face = static_cast<std::uint32_t>(group * kFacesPerGroup); first < end; ++face) {
      const std::size_t from = std::max(first, begin);
      const std::size_t next = first + m_count[face];
      const std::size_t to = std::min(next, end);
      const auto ordinal = static_cast<std::uint32_t>(from - first);
      // Written even when there is none: a branch that nobody can foretell would cost more.
      found[n] = {face, ordinal};
      if (to > from + 1)
        for (std::uint32_t k = 1; k < to - from; ++k) found[n + k] = {face, ordinal + k};
      n += to > from ? to - from : 0;
      first = next;
    }
    for (std::size_t k = 0; k < n; ++k) visit(begin + k, found[k].face, std::uint64_t{found[k].ordinal});
  }

 private:
  Array<std::uint32_t> m_count;
  std::vector<std::size_t> m_start;
  std::size_t m_barren = 0;
};

void resize(Sown& s, std::size_t count) {
  s.position.resize(count);
  s.face.resize(count);
  s.weights.resize(count);
  s.code.resize(count);
  s.id.resize(count);
}

/// Candidates begin…end of all, into `out` from place `at`.
void fill(const Surface& surface, const Starts& start, std::uint64_t nodeUid, Draw draw, std::size_t begin,
          std::size_t end, Sown& out, std::size_t at) {
  start.walk(begin, end, [&](std::size_t i, std::uint32_t face, std::uint64_t code) {
    const std::size_t k = at + i - begin;
    out.face[k] = face;
    out.code[k] = code;
    out.id[k] = hashOf(nodeUid, surface.faceKey(face), code);
    out.weights[k] = foldedWeights(draw.bits(out.id[k] ^ code));
    out.position[k] = surface.positionAt(face, out.weights[k]);
  });
}

}  // namespace

Sown sowFree(const Task& task, const Surface& surface, const Array<float>& areas, double density, std::uint64_t nodeUid,
             Draw draw) {
  const Starts start(task, surface, areas, density, draw);
  Sown out;
  resize(out, start.total());
  parallelPieces(task, start.total(), kPiece, [&](std::size_t begin, std::size_t end) {
    fill(surface, start, nodeUid, draw, begin, end, out, begin);
  });
  if (task.isCancelled()) return {};  // pieces that were not made hold anything, faces that do not exist among it
  return out;
}

Points sowFreePoints(const Task& task, const Surface& surface, const Array<float>& areas, double density,
                     std::uint64_t nodeUid, Draw draw, float footprint) {
  const Starts start(task, surface, areas, density, draw);
  Points p;
  p.count = start.total();
  Array<Vec3> position(p.count);
  Array<Vec3> normal(p.count);
  Array<Vec2> uv(p.count);
  Array<std::uint32_t> faces(p.count);
  Array<std::uint64_t> id(p.count);
  parallelPieces(task, p.count, kPiece, [&](std::size_t begin, std::size_t end) {
    start.walk(begin, end, [&](std::size_t i, std::uint32_t face, std::uint64_t code) {
      faces[i] = face;
      id[i] = hashOf(nodeUid, surface.faceKey(face), code);
      const Vec2 weights = foldedWeights(draw.bits(id[i] ^ code));
      position[i] = surface.positionAt(face, weights);
      normal[i] = surface.normalAt(face, weights);
      uv[i] = surface.uvAt(face, weights);
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

Sown sowFreeWhere(const Task& task, const Surface& surface, const Array<float>& areas, double density,
                  std::uint64_t nodeUid, Draw draw, const KeepsCandidates& keeps, const IsBarren& isBarren,
                  std::size_t& candidates) {
  const Starts start(task, surface, areas, density, draw, isBarren);
  candidates = start.total() + start.barren();
  std::vector<Sown> pieces((start.total() + kPiece - 1) / kPiece);
  parallelPieces(task, start.total(), kPiece, [&](std::size_t begin, std::size_t end) {
    Sown all;
    resize(all, end - begin);
    fill(surface, start, nodeUid, draw, begin, end, all, 0);
    const Array<std::uint8_t> stays = keeps(all);
    for (std::size_t i = 0; i < all.size(); ++i)
      if (stays[i]) append(pieces[begin / kPiece], all, i);
  });
  Sown out;
  const auto join = [&](auto member) {
    for (const Sown& piece : pieces)
      (out.*member).insert((out.*member).end(), (piece.*member).begin(), (piece.*member).end());
  };
  join(&Sown::position);
  join(&Sown::face);
  join(&Sown::weights);
  join(&Sown::code);
  join(&Sown::id);
  return out;
}

double appearsAt(const Surface& surface, std::uint32_t face, std::uint64_t code, const Array<float>& areas, Draw draw) {
  return (static_cast<double>(code) + 1 - unitDouble(draw.bits(surface.faceKey(face)))) /
         static_cast<double>(areas[face]);
}

Sown sowEven(const Task& task, const Surface& surface, const Array<float>& areas, float least, float most,
             bool isFromAbove, const SpacingOf& spacingOf, std::uint64_t nodeUid, Draw draw) {
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
      uvs[i] = surface.uvAt(sown.face[i], w);
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
