#include "core/spatial/breaking.h"

#include "core/base/groups.h"
#include "core/base/hash.h"
#include "core/spatial/cap.h"
#include "core/spatial/cell_frame.h"

#include <fmt/format.h>
#include <nanoflann.hpp>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>
#include <unordered_map>

namespace arvesk {
namespace {

using Triple = std::array<std::int32_t, 3>;
constexpr std::int32_t kNoSeed = std::numeric_limits<std::int32_t>::max();

/// What meets in a new place: an edge of the skin (its ends, the lower one first) and two cells, a triangle and three,
/// or four cells.
struct Meeting {
  std::uint64_t of = 0;
  std::array<std::int32_t, 4> seeds{kNoSeed, kNoSeed, kNoSeed, kNoSeed};  // rising
  bool operator==(const Meeting&) const = default;
};
constexpr std::uint64_t kTriangle = std::uint64_t{1} << 63U;
constexpr std::uint64_t kInside = ~std::uint64_t{0};

struct MeetingHash {
  std::size_t operator()(const Meeting& m) const {
    return static_cast<std::size_t>(
        hashOf(m.of, static_cast<std::uint64_t>(m.seeds[0]), static_cast<std::uint64_t>(m.seeds[1]),
               static_cast<std::uint64_t>(m.seeds[2]), static_cast<std::uint64_t>(m.seeds[3])));
  }
};

double squared(const DVec3& a, const DVec3& b) {
  const DVec3 d = a - b;
  return d.x * d.x + d.y * d.y + d.z * d.z;
}

struct SeedCloud {
  const std::vector<DVec3>& points;
  std::size_t kdtree_get_point_count() const { return points.size(); }
  double kdtree_get_pt(std::size_t i, std::size_t axis) const { return points[i][static_cast<int>(axis)]; }
  template <typename Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};
using SeedTree =
    nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, SeedCloud>, SeedCloud, 3, std::uint32_t>;

/// A part of a triangle that is cut down to a cell. The side from a corner to the next lies on a side of the triangle
/// (−1 to −3) or between this cell and another one (its seed).
struct Corner {
  std::uint32_t place;
  std::int32_t side;
};
using Cut = std::vector<Corner>;

/// A directed side of a cut face between cell a and a later one b, as a's triangles of that face pass it.
struct CapSide {
  std::int32_t a;
  std::int32_t b;
  std::uint32_t from;
  std::uint32_t to;
};

/// The skin passes through a line in which three cells meet.
struct Crossing {
  Triple seeds;
  std::uint32_t place;
  int into;  // +1 where the line goes into the body, −1 where it leaves it
};

/// m³; and the center of mass, m.
double volumeOf(const std::vector<DVec3>& places, const BrokenTriangle* first, std::size_t count, DVec3* center) {
  const DVec3 o = places[first->places[0]];
  double six = 0;
  DVec3 sum(0);
  for (std::size_t k = 0; k < count; ++k) {
    const auto& p = first[k].places;
    const DVec3 a = places[p[0]] - o;
    const DVec3 b = places[p[1]] - o;
    const DVec3 c = places[p[2]] - o;
    const double v = glm::dot(a, glm::cross(b, c));
    six += v;
    sum += v * (a + b + c);
  }
  if (center) *center = six != 0 ? o + sum / (4 * six) : o;
  return six / 6;
}

/// One try with seeds as they are. All of it happens in a space where the cells are round and the body is about 1 long.
class Breaking {
 public:
  Breaking(const std::vector<DVec3>& places, const std::vector<UVec3>& triangles, std::vector<DVec3> seeds,
           const std::function<DVec3(const DVec3&)>& outOf, const std::vector<DVec3>& there)
      : m_triangles(triangles), m_seeds(std::move(seeds)), m_outOf(outOf), m_bodyPlaces(places.size()), m_at(places) {
    out.places = there;
  }

  enum class End { Good, Unsound, SelfCrossing };
  End run() {
    DVec3 least = m_at.front();
    DVec3 most = least;
    for (const auto* list : {&m_at, &m_seeds})
      for (const DVec3& p : *list) {
        least = glm::min(least, p);
        most = glm::max(most, p);
      }
    const DVec3 rim = 0.05 * (most - least) + DVec3(0.01);
    m_frame = cellFrameOf(m_seeds, least - rim, most + rim);
    if (!m_frame.isSound) return End::Unsound;
    cutSkin();
    if (!m_isSound) return End::Unsound;
    if (const End end = passCorners(); end != End::Good) return end;
    if (!fillCaps()) return End::Unsound;
    return part() ? End::Good : End::Unsound;
  }

  Broken out;

 private:
  const DVec3& seedAt(std::int32_t i) const { return m_seeds[static_cast<std::size_t>(i)]; }
  const Meeting* meetingOf(std::uint32_t place) const {
    return place < m_bodyPlaces ? nullptr : &m_meetings[place - m_bodyPlaces];
  }

  /// Is the place, which lies in cell i or on its rim, on its side of cell j? One place has one answer: it is asked of
  /// the lowest of the cells that meet there.
  bool isOnSide(std::uint32_t place, std::int32_t i, std::int32_t j) const {
    if (const Meeting* m = meetingOf(place)) {
      if (std::find(m->seeds.begin(), m->seeds.end(), j) != m->seeds.end()) return true;
      i = m->seeds[0];
    }
    const double own = squared(m_at[place], seedAt(i));
    const double other = squared(m_at[place], seedAt(j));
    return own < other || (own == other && i < j);
  }
  double ahead(const DVec3& p, std::int32_t a, std::int32_t b) const {
    return squared(p, seedAt(a)) - squared(p, seedAt(b));
  }

  std::uint32_t addPlace(const Meeting& m, const DVec3& at, const DVec3& there, const DVec3& weights) {
    const auto id = static_cast<std::uint32_t>(m_at.size());
    m_places.emplace(m, id);
    m_meetings.push_back(m);
    m_weights.push_back(weights);
    m_at.push_back(at);
    out.places.push_back(there);
    return id;
  }
  /// Where an edge of the skin passes from one cell to another.
  std::uint32_t onEdge(std::uint32_t p, std::uint32_t q, std::int32_t i, std::int32_t j) {
    if (p > q) std::swap(p, q);
    if (i > j) std::swap(i, j);
    const Meeting m{std::uint64_t{p} << 32U | q, {i, j, kNoSeed, kNoSeed}};
    if (const auto found = m_places.find(m); found != m_places.end()) return found->second;
    const double a = ahead(m_at[p], i, j);
    const double b = ahead(m_at[q], i, j);
    const double t = std::clamp(a == b ? 0.5 : a / (a - b), 0.0, 1.0);
    return addPlace(m, m_at[p] + t * (m_at[q] - m_at[p]), out.places[p] + t * (out.places[q] - out.places[p]),
                    {t, 0, 0});
  }
  /// Where the line in which three cells meet passes through a triangle.
  std::uint32_t onTriangle(std::uint32_t t, Triple s) {
    std::sort(s.begin(), s.end());
    const Meeting m{kTriangle | t, {s[0], s[1], s[2], kNoSeed}};
    if (const auto found = m_places.find(m); found != m_places.end()) return found->second;
    const UVec3& v = m_triangles[t];
    DVec3 first;
    DVec3 second;
    for (int k = 0; k < 3; ++k) {
      first[k] = ahead(m_at[v[k]], s[0], s[1]);
      second[k] = ahead(m_at[v[k]], s[0], s[2]);
    }
    DVec3 w = glm::cross(first, second);
    const double sum = w.x + w.y + w.z;
    w = sum == 0 ? DVec3(1.0 / 3) : glm::max(w / sum, DVec3(0));
    w /= w.x + w.y + w.z;
    const auto mix = [&](const std::vector<DVec3>& p) { return w.x * p[v.x] + w.y * p[v.y] + w.z * p[v.z]; };
    return addPlace(m, mix(m_at), mix(out.places), w);
  }
  /// Where four cells meet: as far from all of them.
  std::uint32_t inside(const std::array<std::int32_t, 4>& s) {
    const Meeting m{kInside, s};
    if (const auto found = m_places.find(m); found != m_places.end()) return found->second;
    const DVec3& o = seedAt(s[0]);
    const DVec3 a = seedAt(s[1]) - o;
    const DVec3 b = seedAt(s[2]) - o;
    const DVec3 c = seedAt(s[3]) - o;
    const DVec3 bc = glm::cross(b, c);
    const DVec3 p = o + (glm::dot(a, a) * bc + glm::dot(b, b) * glm::cross(c, a) + glm::dot(c, c) * glm::cross(a, b)) /
                            (2 * glm::dot(a, bc));
    return addPlace(m, p, m_outOf(p), {});
  }

  void cutSkin() {
    const SeedCloud cloud{m_seeds};
    const SeedTree tree(3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(8));
    std::vector<std::int32_t> cellOf(m_bodyPlaces);
    for (std::uint32_t v = 0; v < m_bodyPlaces; ++v) {
      endIfStoppedAt(v);
      std::uint32_t near[4] = {};
      double far[4] = {};
      const std::size_t found = tree.knnSearch(&m_at[v].x, 4, near, far);
      std::uint32_t best = near[0];
      for (std::size_t k = 1; k < found; ++k)
        if (far[k] == far[0]) best = std::min(best, near[k]);
      cellOf[v] = static_cast<std::int32_t>(best);
    }
    m_skin.resize(m_seeds.size());
    std::vector<std::int32_t> cells;
    for (std::uint32_t t = 0; t < m_triangles.size(); ++t) {
      endIfStoppedAt(t);
      const UVec3& v = m_triangles[t];
      if (v.x == v.y || v.y == v.z || v.z == v.x) continue;
      cells = {cellOf[v.x]};
      if (cellOf[v.y] == cells[0] && cellOf[v.z] == cells[0]) {  // cells are convex
        m_skin[static_cast<std::size_t>(cells[0])].push_back(
            {{v.x, v.y, v.z}, t, 0, {Vec2(0), Vec2(1, 0), Vec2(0, 1)}});
        continue;
      }
      for (const std::uint32_t other : {v.y, v.z})
        if (std::find(cells.begin(), cells.end(), cellOf[other]) == cells.end()) cells.push_back(cellOf[other]);
      for (std::size_t k = 0; k < cells.size(); ++k) cutTo(t, cells[k], cells);
    }
  }

  /// The part of a triangle in a cell; those it meets there are to be looked at too.
  void cutTo(std::uint32_t t, std::int32_t cell, std::vector<std::int32_t>& cells) {
    const UVec3& v = m_triangles[t];
    Cut cut{{v.x, -1}, {v.y, -2}, {v.z, -3}};
    Cut next;
    for (const std::int32_t other : m_frame.neighbors[static_cast<std::size_t>(cell)]) {
      next.clear();
      for (std::size_t k = 0; k < cut.size(); ++k) {
        const Corner& here = cut[k];
        const Corner& there = cut[(k + 1) % cut.size()];
        const bool isHere = isOnSide(here.place, cell, other);
        const bool isThere = isOnSide(there.place, cell, other);
        if (isHere) next.push_back(here);
        if (isHere == isThere) continue;
        const std::uint32_t at = here.side < 0 ? onEdge(v[-1 - here.side], v[-here.side % 3], cell, other)
                                               : onTriangle(t, {cell, here.side, other});
        next.push_back({at, isHere ? other : here.side});
      }
      std::swap(cut, next);
      if (cut.empty()) return;
    }
    // A place at both ends of a side makes no side.
    next.clear();
    for (std::size_t k = 0; k < cut.size(); ++k)
      if (cut[k].place != cut[(k + 1) % cut.size()].place) next.push_back(cut[k]);
    if (next.size() < 3) return;
    std::vector<BrokenTriangle>& skin = m_skin[static_cast<std::size_t>(cell)];
    for (std::size_t k = 1; k + 1 < next.size(); ++k)
      skin.push_back({{next[0].place, next[k].place, next[k + 1].place},
                      t,
                      0,
                      {weightsIn(t, next[0].place), weightsIn(t, next[k].place), weightsIn(t, next[k + 1].place)}});
    for (std::size_t k = 0; k < next.size(); ++k) {
      const Corner& here = next[k];
      const Corner& last = next[(k + next.size() - 1) % next.size()];
      if (here.side >= 0) {
        if (std::find(cells.begin(), cells.end(), here.side) == cells.end()) cells.push_back(here.side);
        if (cell < here.side) m_sides.push_back({cell, here.side, next[(k + 1) % next.size()].place, here.place});
      }
      const Meeting* m = meetingOf(here.place);
      if (!m || (m->of & kTriangle) == 0 || m->seeds[0] != cell) continue;
      // Round the line the cells lie in rising order, as seen from where it leads: who comes out of the body there
      // sees the skin counter-clockwise, first the second one's side.
      const bool isLeaving = last.side == m->seeds[1] && here.side == m->seeds[2];
      const bool isEntering = last.side == m->seeds[2] && here.side == m->seeds[1];
      if (!isLeaving && !isEntering) {
        m_isSound = false;
        return;
      }
      m_crossings.push_back({{m->seeds[0], m->seeds[1], m->seeds[2]}, here.place, isEntering ? 1 : -1});
    }
  }

  Vec2 weightsIn(std::uint32_t t, std::uint32_t place) const {
    const UVec3& v = m_triangles[t];
    const Meeting* m = meetingOf(place);
    if (!m) return {place == v.y ? 1 : 0, place == v.z ? 1 : 0};
    const DVec3& w = m_weights[place - m_bodyPlaces];
    if ((m->of & kTriangle) != 0) return {static_cast<float>(w.y), static_cast<float>(w.z)};
    const auto p = static_cast<std::uint32_t>(m->of >> 32U);
    const auto q = static_cast<std::uint32_t>(m->of & 0xFFFFFFFFU);
    const auto of = [&](std::uint32_t corner) {
      return static_cast<float>(corner == p ? 1 - w.x : corner == q ? w.x : 0.0);
    };
    return {of(v.y), of(v.z)};
  }

  /// Carries from the box, which is outside, along all lines in which three cells meet, how often one is inside.
  End passCorners() {
    std::sort(m_crossings.begin(), m_crossings.end(),
              [](const Crossing& a, const Crossing& b) { return a.seeds < b.seeds; });
    struct LineEnd {
      std::size_t corner;
      bool isFar;
    };
    std::map<std::array<std::int32_t, 4>, std::vector<LineEnd>> ends;
    std::vector<std::array<std::int32_t, 4>> open;
    std::map<std::array<std::int32_t, 4>, int> inside;
    for (std::size_t c = 0; c < m_frame.corners.size(); ++c)
      for (const bool isFar : {false, true}) {
        const auto& end = m_frame.corners[c].ends[isFar ? 1 : 0];
        ends[end].push_back({c, isFar});
        if (end[0] < 0 && inside.emplace(end, 0).second) open.push_back(end);
      }
    std::vector<std::vector<Crossing>> of(m_frame.corners.size());
    std::size_t used = 0;
    for (std::size_t c = 0; c < m_frame.corners.size(); ++c) {
      const Triple& seeds = m_frame.corners[c].seeds;
      auto range = std::equal_range(m_crossings.begin(), m_crossings.end(), Crossing{seeds, 0, 0},
                                    [](const Crossing& a, const Crossing& b) { return a.seeds < b.seeds; });
      of[c].assign(range.first, range.second);
      used += of[c].size();
      const DVec3 along = cornerLine(m_seeds, seeds);
      std::sort(of[c].begin(), of[c].end(), [&](const Crossing& a, const Crossing& b) {
        const double x = glm::dot(m_at[a.place], along);
        const double y = glm::dot(m_at[b.place], along);
        return x != y ? x < y : a.place < b.place;
      });
    }
    if (used != m_crossings.size()) return End::Unsound;
    std::vector<int> atStart(m_frame.corners.size(), -1);
    std::size_t known = 0;
    while (!open.empty()) {
      const auto end = open.back();
      open.pop_back();
      for (const LineEnd& e : ends[end]) {
        int change = 0;
        for (const Crossing& x : of[e.corner]) change += x.into;
        const int here = inside[end];
        const int there = here + (e.isFar ? -change : change);
        const auto& other = m_frame.corners[e.corner].ends[e.isFar ? 0 : 1];
        const auto [found, isNew] = inside.emplace(other, there);
        if (found->second != there) return End::Unsound;
        if (isNew) open.push_back(other);
        if (atStart[e.corner] == -1) ++known;
        atStart[e.corner] = e.isFar ? there : here;
        if (atStart[e.corner] < 0) return End::SelfCrossing;
      }
    }
    if (known != m_frame.corners.size()) return End::Unsound;
    for (std::size_t c = 0; c < m_frame.corners.size(); ++c) {
      const CellCorner& corner = m_frame.corners[c];
      int now = atStart[c];
      const auto endPlace = [&](int k) { return this->inside(corner.ends[static_cast<std::size_t>(k)]); };
      std::uint32_t last = now > 0 ? endPlace(0) : 0;
      for (std::size_t k = 0; k <= of[c].size(); ++k) {
        const std::uint32_t here = k < of[c].size() ? of[c][k].place : now > 0 ? endPlace(1) : 0;
        if (now < 0 || now > 1) return End::SelfCrossing;
        if (now == 1) {
          const Triple& s = corner.seeds;
          m_sides.push_back({s[0], s[1], last, here});
          m_sides.push_back({s[0], s[2], here, last});
          m_sides.push_back({s[1], s[2], last, here});
        }
        if (k < of[c].size()) now += of[c][k].into;
        last = here;
      }
    }
    return End::Good;
  }

  /// Closes the loops of each face between two cells and fills them, once for both.
  bool fillCaps() {
    std::sort(m_sides.begin(), m_sides.end(), [](const CapSide& a, const CapSide& b) {
      return std::tie(a.a, a.b, a.from) < std::tie(b.a, b.b, b.from);
    });
    for (std::size_t begin = 0; begin < m_sides.size();) {
      endIfStopped();
      std::size_t end = begin;
      while (end < m_sides.size() && m_sides[end].a == m_sides[begin].a && m_sides[end].b == m_sides[begin].b) ++end;
      const std::int32_t a = m_sides[begin].a;
      const std::int32_t b = m_sides[begin].b;
      const DVec3 n = glm::normalize(seedAt(b) - seedAt(a));
      const DVec3 u = glm::normalize(glm::cross(std::abs(n.y) < 0.9 ? DVec3(0, 1, 0) : DVec3(1, 0, 0), n));
      const DVec3 v = glm::cross(n, u);
      std::vector<Loop> loops;
      std::vector<std::vector<glm::dvec2>> at;
      std::vector<bool> isUsed(end - begin, false);
      for (std::size_t s = begin; s + 1 < end; ++s)
        if (m_sides[s].from == m_sides[s + 1].from) return false;
      for (std::size_t s = begin; s < end; ++s) {
        if (isUsed[s - begin]) continue;
        Loop loop;
        std::vector<glm::dvec2> flat;
        std::size_t now = s;
        while (!isUsed[now - begin]) {
          isUsed[now - begin] = true;
          const DVec3& p = m_at[m_sides[now].from];
          loop.push_back(m_sides[now].from);
          flat.push_back({glm::dot(p, u), glm::dot(p, v)});
          const auto next = std::lower_bound(m_sides.begin() + static_cast<std::ptrdiff_t>(begin),
                                             m_sides.begin() + static_cast<std::ptrdiff_t>(end), m_sides[now].to,
                                             [](const CapSide& side, std::uint32_t from) { return side.from < from; });
          const auto index = static_cast<std::size_t>(next - m_sides.begin());
          if (index == end || next->from != m_sides[now].to) return false;
          now = index;
        }
        if (now != s) return false;
        if (loop.size() < 3) continue;  // there and back: no area
        loops.push_back(std::move(loop));
        at.push_back(std::move(flat));
      }
      for (const auto& t : fillLoops(loops, at)) m_caps.push_back({a, b, t});
      begin = end;
    }
    return true;
  }

  struct Cap {
    std::int32_t a;
    std::int32_t b;
    std::array<std::uint32_t, 3> places;
  };

  /// How often a place is inside some triangles (van Oosterom and Strackee, "The solid angle of a plane triangle",
  /// 1983).
  double windingAt(const DVec3& p, const std::vector<BrokenTriangle>& triangles) const {
    double sum = 0;
    for (const BrokenTriangle& t : triangles) {
      const DVec3 a = out.places[t.places[0]] - p;
      const DVec3 b = out.places[t.places[1]] - p;
      const DVec3 c = out.places[t.places[2]] - p;
      const double la = glm::length(a);
      const double lb = glm::length(b);
      const double lc = glm::length(c);
      sum += std::atan2(glm::dot(a, glm::cross(b, c)),
                        la * lb * lc + glm::dot(a, b) * lc + glm::dot(b, c) * la + glm::dot(c, a) * lb);
    }
    return sum / (2 * 3.14159265358979323846);
  }

  /// What hangs together of each cell is a piece, with the hollows in it; and which pieces meet.
  bool part() {
    std::vector<std::vector<std::size_t>> capsOf(m_seeds.size());
    for (std::size_t c = 0; c < m_caps.size(); ++c) {
      capsOf[static_cast<std::size_t>(m_caps[c].a)].push_back(c);
      capsOf[static_cast<std::size_t>(m_caps[c].b)].push_back(c);
    }
    std::vector<std::array<std::uint32_t, 2>> pieceAt(m_caps.size());  // of the two sides of each triangle of a cut
    for (std::uint32_t cell = 0; cell < m_seeds.size(); ++cell) {
      endIfStopped();
      std::vector<BrokenTriangle> all = std::move(m_skin[cell]);
      const std::size_t skin = all.size();
      for (const std::size_t c : capsOf[cell]) {
        auto places = m_caps[c].places;
        if (m_caps[c].b == static_cast<std::int32_t>(cell)) std::swap(places[1], places[2]);
        all.push_back({places, BrokenTriangle::kCut, static_cast<std::uint32_t>(c)});  // the piece follows below
      }
      if (all.empty()) continue;
      if (!isClosed(all)) return false;
      std::vector<std::uint32_t> group = groupsOf(all);
      const std::uint32_t groups = *std::max_element(group.begin(), group.end()) + 1;
      std::vector<std::vector<BrokenTriangle>> parts(groups);
      for (std::size_t t = 0; t < all.size(); ++t) parts[group[t]].push_back(all[t]);
      std::vector<std::uint32_t> into(groups);
      std::iota(into.begin(), into.end(), 0U);
      for (std::uint32_t h = 0; h < groups; ++h) {
        if (volumeOf(out.places, parts[h].data(), parts[h].size(), nullptr) > 0) continue;
        double least = std::numeric_limits<double>::max();
        for (std::uint32_t o = 0; o < groups; ++o) {
          const double volume = volumeOf(out.places, parts[o].data(), parts[o].size(), nullptr);
          if (o == h || volume <= 0 || volume >= least) continue;
          if (std::abs(windingAt(out.places[parts[h].front().places[0]], parts[o])) < 0.5) continue;
          least = volume;
          into[h] = o;
        }
      }
      std::vector<std::uint32_t> pieceOf(groups, 0);
      std::uint32_t part = 0;
      for (std::uint32_t g = 0; g < groups; ++g) {
        if (into[g] != g) continue;
        BrokenPiece piece;
        piece.seed = cell;
        piece.part = part++;
        piece.first = static_cast<std::uint32_t>(out.triangles.size());
        for (const bool isSkin : {true, false})
          for (std::size_t t = 0; t < all.size(); ++t)
            if (into[group[t]] == g && (t < skin) == isSkin) out.triangles.push_back(all[t]);
        piece.count = static_cast<std::uint32_t>(out.triangles.size()) - piece.first;
        for (std::uint32_t h = 0; h < groups; ++h)
          if (into[h] == g) pieceOf[h] = static_cast<std::uint32_t>(out.pieces.size());
        out.pieces.push_back(piece);
      }
      for (std::size_t k = 0; k < capsOf[cell].size(); ++k) {
        const std::size_t c = capsOf[cell][k];
        pieceAt[c][m_caps[c].b == static_cast<std::int32_t>(cell) ? 1 : 0] = pieceOf[group[skin + k]];
      }
    }
    for (std::uint32_t p = 0; p < out.pieces.size(); ++p)
      for (std::uint32_t t = out.pieces[p].first; t < out.pieces[p].first + out.pieces[p].count; ++t) {
        BrokenTriangle& tri = out.triangles[t];
        if (tri.from != BrokenTriangle::kCut) continue;
        const auto& sides = pieceAt[tri.beyond];
        tri.beyond = sides[0] == p ? sides[1] : sides[0];
      }
    return true;
  }

  static bool isClosed(const std::vector<BrokenTriangle>& triangles) {
    std::vector<std::pair<std::uint64_t, int>> sides;
    for (const BrokenTriangle& t : triangles)
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint64_t a = t.places[k];
        const std::uint64_t b = t.places[(k + 1) % 3];
        sides.push_back({std::min(a, b) << 32U | std::max(a, b), a < b ? 1 : -1});
      }
    std::sort(sides.begin(), sides.end());
    for (std::size_t i = 0; i < sides.size();) {
      int sum = 0;
      const std::uint64_t edge = sides[i].first;
      for (; i < sides.size() && sides[i].first == edge; ++i) sum += sides[i].second;
      if (sum != 0) return false;
    }
    return true;
  }

  /// Numbers of the parts that share places, from 0, by their first triangle.
  static std::vector<std::uint32_t> groupsOf(const std::vector<BrokenTriangle>& triangles) {
    std::unordered_map<std::uint32_t, std::uint32_t> first;  // place → a triangle there
    Groups groups(triangles.size());
    for (std::uint32_t t = 0; t < triangles.size(); ++t)
      for (const std::uint32_t p : triangles[t].places)
        if (const auto [found, isNew] = first.emplace(p, t); !isNew) groups.join(t, found->second);
    std::vector<std::uint32_t> out(triangles.size());
    std::unordered_map<std::uint32_t, std::uint32_t> number;
    for (std::uint32_t t = 0; t < triangles.size(); ++t)
      out[t] = number.emplace(groups.rootOf(t), static_cast<std::uint32_t>(number.size())).first->second;
    return out;
  }

  const std::vector<UVec3>& m_triangles;
  std::vector<DVec3> m_seeds;
  const std::function<DVec3(const DVec3&)>& m_outOf;
  std::size_t m_bodyPlaces;
  std::vector<DVec3> m_at;  // every place, where cells are round
  std::unordered_map<Meeting, std::uint32_t, MeetingHash> m_places;
  std::vector<Meeting> m_meetings;  // of the places after the body's
  std::vector<DVec3> m_weights;     // of the same: on an edge the share of its second end in x
  CellFrame m_frame;
  std::vector<std::vector<BrokenTriangle>> m_skin;  // by cell
  std::vector<CapSide> m_sides;
  std::vector<Crossing> m_crossings;
  std::vector<Cap> m_caps;
  bool m_isSound = true;
};

}  // namespace

void measure(Broken& broken) {
  broken.volume = 0;
  std::map<std::pair<std::uint32_t, std::uint32_t>, double> area;
  for (std::uint32_t p = 0; p < broken.pieces.size(); ++p) {
    BrokenPiece& piece = broken.pieces[p];
    piece.volume = volumeOf(broken.places, &broken.triangles[piece.first], piece.count, &piece.center);
    broken.volume += piece.volume;
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t) {
      const BrokenTriangle& tri = broken.triangles[t];
      if (tri.from != BrokenTriangle::kCut || tri.beyond < p) continue;
      const auto at = [&](std::size_t k) { return broken.places[tri.places[k]]; };
      area[{p, tri.beyond}] += glm::length(glm::cross(at(1) - at(0), at(2) - at(0))) / 2;
    }
  }
  broken.contacts.clear();
  for (const auto& [pair, sum] : area) broken.contacts.push_back({pair.first, pair.second, sum});
}

void joinCells(Broken& broken, const CellGroups& groups) {
  const auto count = static_cast<std::uint32_t>(broken.pieces.size());
  const auto groupOf = [&](std::uint32_t piece) {
    return groups.of.empty() ? 0U : groups.of[broken.pieces[piece].seed];
  };
  const auto areTogether = [&](const BrokenContact& c) {
    return groups.isParted ? !groups.isParted(broken.pieces[c.a].seed, broken.pieces[c.b].seed)
                           : groupOf(c.a) == groupOf(c.b);
  };
  Groups joined(count);
  for (const BrokenContact& c : broken.contacts)
    if (areTogether(c)) joined.join(c.a, c.b);
  std::vector<std::vector<std::uint32_t>> members(count);
  std::vector<std::uint32_t> roots;
  for (std::uint32_t p = 0; p < count; ++p) {
    if (joined.rootOf(p) == p) roots.push_back(p);
    members[joined.rootOf(p)].push_back(p);
  }
  std::stable_sort(roots.begin(), roots.end(), [&](auto a, auto b) { return groupOf(a) < groupOf(b); });
  std::vector<std::uint32_t> placeOf(count);  // by old piece
  for (std::uint32_t r = 0; r < roots.size(); ++r)
    for (const std::uint32_t p : members[roots[r]]) placeOf[p] = r;
  Broken out;
  out.places = std::move(broken.places);
  out.triangles.reserve(broken.triangles.size());
  for (std::uint32_t r = 0; r < roots.size(); ++r) {
    BrokenPiece piece;
    piece.seed = groupOf(roots[r]);
    piece.part = r > 0 && out.pieces.back().seed == piece.seed ? out.pieces.back().part + 1 : 0;
    piece.first = static_cast<std::uint32_t>(out.triangles.size());
    for (const bool isCut : {false, true})
      for (const std::uint32_t p : members[roots[r]])
        for (std::uint32_t t = broken.pieces[p].first; t < broken.pieces[p].first + broken.pieces[p].count; ++t) {
          BrokenTriangle tri = broken.triangles[t];
          if ((tri.from == BrokenTriangle::kCut) != isCut) continue;
          if (isCut && placeOf[tri.beyond] == r) continue;
          if (isCut) tri.beyond = placeOf[tri.beyond];
          out.triangles.push_back(tri);
        }
    piece.count = static_cast<std::uint32_t>(out.triangles.size()) - piece.first;
    out.pieces.push_back(piece);
  }
  measure(out);
  broken = std::move(out);
}

Result<Broken> breakUp(const Shells& body, const std::vector<DVec3>& seeds, const CellShape& shape) {
  ARVESK_ASSERT(!seeds.empty(), "a body has a cell at least");
  std::vector<UVec3> triangles;
  std::vector<std::uint32_t> from;
  for (std::uint32_t t = 0; t < body.triangles.size(); ++t) {
    const Shell& shell = body.list[body.shellOf[t]];
    if (!shell.isClosed) continue;
    UVec3 v = body.triangles[t];
    if (shell.isTurned) std::swap(v.y, v.z);
    triangles.push_back(v);
    from.push_back(t);
  }
  if (triangles.empty())
    return fail(ProblemCode::WrongInput, "the body is not closed", "Close it: Solid makes a closed body of it");
  std::vector<DVec3> there(body.positions.begin(), body.positions.end());
  DVec3 least(std::numeric_limits<double>::max());
  DVec3 most(std::numeric_limits<double>::lowest());
  for (const UVec3& v : triangles)
    for (int k = 0; k < 3; ++k) {
      least = glm::min(least, there[v[k]]);
      most = glm::max(most, there[v[k]]);
    }
  const DVec3 middle = 0.5 * (least + most);
  const double size = glm::length(shape.size * (most - least));
  const auto into = [&](const DVec3& p) { return shape.seen((p - middle) / size); };
  const std::function<DVec3(const DVec3&)> outOf = [&](const DVec3& p) { return middle + size * shape.unseen(p); };
  std::vector<DVec3> places;
  places.reserve(there.size());
  for (const DVec3& p : there) places.push_back(into(p));
  // Of those at one place the first one has it all.
  std::vector<DVec3> round;
  std::vector<std::uint32_t> seedAt;
  std::set<std::array<double, 3>> taken;
  for (std::uint32_t i = 0; i < seeds.size(); ++i) {
    const DVec3 s = into(seeds[i]);
    if (!taken.insert({s.x, s.y, s.z}).second) continue;
    round.push_back(s);
    seedAt.push_back(i);
  }
  const double spacing = 1 / std::cbrt(static_cast<double>(seeds.size()));
  bool isSelfCrossing = false;
  // Seeds in rank and file make corners where more than four cells meet: a little aside they do not.
  for (const double aside : {0.0, 1e-7, 1e-6, 1e-5, 1e-4, 1e-3}) {
    std::vector<DVec3> moved = round;
    for (std::size_t i = 0; i < moved.size(); ++i)
      for (int k = 0; k < 3; ++k) {
        const std::uint64_t draw = hashOf(seedAt[i], static_cast<std::uint64_t>(k));
        moved[i][k] += aside * spacing * (static_cast<double>(draw >> 11U) * 0x1p-53 - 0.5);
      }
    Breaking attempt(places, triangles, std::move(moved), outOf, there);
    const Breaking::End end = attempt.run();
    isSelfCrossing = end == Breaking::End::SelfCrossing;
    if (end != Breaking::End::Good) continue;
    Broken out = std::move(attempt.out);
    for (BrokenTriangle& t : out.triangles)
      if (t.from != BrokenTriangle::kCut) t.from = from[t.from];
    for (BrokenPiece& piece : out.pieces) piece.seed = seedAt[piece.seed];
    measure(out);
    return out;
  }
  return isSelfCrossing ? fail(ProblemCode::WrongInput, "the body crosses itself", "Solid makes one skin of it")
                        : fail(ProblemCode::WrongInput, "the body could not be broken: its skin is not sound",
                               "Solid makes one skin of it");
}

}  // namespace arvesk
