// Even sowing on any domain: no two points closer than their spacing, and no room left for more (to within small gaps).
#pragma once

#include "core/base/sorting.h"
#include "core/nodes/scatter/sow_free.h"
#include "core/spatial/clearance.h"

#include <numeric>

namespace arvesk {

/// Gives the spacing of places, m.
template <typename Weights>
using SpacingOf = std::function<void(const Sown<Weights>& at, Array<float>& out)>;

/// Which places may have points at all; without, all may.
template <typename Weights>
struct EvenArea {
  std::function<void(const Sown<Weights>& at, Array<std::uint8_t>& out)> holds;
  std::function<bool(const Box3&)> isNoneIn;  // true only where no place of the box may
};

/// Of a part of the world: where all is looked at, and where what comes out has to be right.
struct EvenPart {
  Part known;
  Part wanted;
};

namespace sowing {

/// What one thread makes of a piece of the work.
template <typename T>
struct Made {
  Array<T> items;
  PointGrid::Entry lastCover{Vec3(std::numeric_limits<float>::max()), 0,
                             0};  // neighbors are mostly covered by the same point
};

/// Pieces made by many threads, in order of their pieces.
template <typename T, typename Make>
Array<T> collected(const Task& task, std::size_t count, std::size_t grain, Make make) {
  std::vector<Array<T>> parts((count + grain - 1) / grain);
  parallelPieces(task, count, grain, [&](std::size_t begin, std::size_t end) {
    Made<T> made;
    for (std::size_t i = begin; i < end; ++i) make(i, made);
    parts[begin / grain] = std::move(made.items);
  });
  std::size_t total = 0;
  for (const auto& part : parts) total += part.size();
  Array<T> out;
  out.reserve(total);
  for (auto& part : parts) {
    endIfStopped();
    out.insert(out.end(), part.begin(), part.end());
    part = {};
  }
  return out;
}

/// Those that lie in the domain.
template <SowingDomain D>
Sown<typename D::Weights> heldBy(const D& domain, Sown<typename D::Weights> sown) {
  if constexpr (PartlyOutside<D>) {
    Array<std::uint8_t> isHeld(sown.size());
    parallelPieces({}, sown.size(), 1024, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) isHeld[i] = domain.holds(sown.cell[i], sown.weights[i]);
    });
    return keptOf(sown, isHeld);
  }
  return sown;
}

template <SowingDomain D>
class EvenSow {
  using Places = Sown<typename D::Weights>;
  using Piece = typename D::Piece;
  using Corners = std::array<Vec3, D::kCorners>;

 public:
  EvenSow(const Task& task, const D& domain, float least, float most, const SpacingOf<typename D::Weights>& spacingOf,
          const EvenArea<typename D::Weights>& area, std::uint64_t nodeUid, Draw draw, const EvenPart& part)
      : m_task(task),
        m_domain(domain),
        m_least(least),
        m_most(most),
        m_spacingOf(spacingOf),
        m_area(area),
        m_nodeUid(nodeUid),
        m_draw(draw),
        m_part(part),
        m_isPart(!part.known.isAll()),
        m_rule{1, 0, {}, domain.isFromAbove()},
        m_kept(m_rule),
        m_newest(m_rule),
        m_open(m_rule) {}

  Places run() {
    // Four candidates per disk (or ball) of the spacing; more would be slower than filling the gaps that are left.
    const double density = 4.0 / D::ballMeasure(static_cast<double>(m_least));
    accept(allowed(firstThrow(density)), false);
    Array<Piece> open = sureOf(withRoom(openPieces()));
    // A fixed number of rounds, more where gaps have a dimension more: to stop when little is won would make one end of
    // the ground depend on the other.
    for (int round = 0; round < kRounds && !open.empty() && !m_isWantedOpen && !m_task.isCancelled(); ++round) {
      accept(allowed(heldBy(m_domain, throwDarts(open, round))), true);
      // What older points did not cover before they do not cover now: only the round's own points are asked about whole
      // pieces.
      open = sureOf(withRoom(collected<Piece>(m_task, open.size(), 256, [&](std::size_t i, Made<Piece>& out) {
        if (!isCoveredBy(m_newest, open[i], out.lastCover)) splitOrKeep(open[i], round, out);
      })));
    }
    return inOrder();
  }

  /// Of a part: does something that is wanted hang on what was not looked at? Then it is to be asked for more.
  bool isWantedOpen() const { return m_isWantedOpen; }

 private:
  static constexpr int kRounds = D::kChildren > 4 ? 16 : 9;
  static constexpr int kRimRounds = 8;
  using Hit = std::pair<std::size_t, typename D::Weights>;  // which piece, and where in its cell

  Places firstThrow(double density) const {
    if constexpr (!PartlyOutside<D>)
      if (m_isPart) {
        const Barren elsewhere{[this](const Box3& box) { return !m_part.known.meets(box); }, {}};
        std::size_t count = 0;
        const auto all = [](const Places& candidates) {
          Array<std::uint8_t> out;
          out.assign(candidates.size(), 1);
          return out;
        };
        return sowFreeWhere<D>(m_task, m_domain, density, m_nodeUid, m_draw, all, elsewhere, count);
      }
    return sowFreeWithin(m_task, m_domain, density, m_nodeUid, m_draw);
  }

  /// Of a part: may others that were not looked at be near enough to matter?
  bool isUnsure(const Vec3& place) const { return m_part.known.isNearRim(place, m_most * 1.001F + 0.01F); }
  /// Of a piece that no kept point covers: is it sure to be there? Not near to what was not looked at, nor where a
  /// point covers it that may have been kept.
  bool isSure(const Piece& piece) const {
    const Corners corners = m_domain.cornersOf(piece);
    if (std::any_of(corners.begin(), corners.end(), [&](const Vec3& c) { return isUnsure(c); })) return false;
    return !m_open.any(corners[0], 0.5F * m_least, [&](const PointGrid::Entry& e) {
      return std::all_of(corners.begin(), corners.end(),
                         [&](const Vec3& c) { return m_rule.conflicts(c, 0.5F * m_least, e.position, e.radius); });
    });
  }
  /// Those that are sure to be there. Of the others nobody knows whether darts are thrown at them and stay: each counts
  /// from now on as a point that may stand anywhere in it.
  Array<Piece> sureOf(Array<Piece> pieces) {
    if (!m_isPart) return pieces;
    Array<std::uint8_t> sure(pieces.size());
    parallelPieces(m_task, pieces.size(), 256, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) sure[i] = isSure(pieces[i]);
    });
    Array<PointGrid::Entry> anywhere;
    std::size_t next = 0;
    for (std::size_t i = 0; i < pieces.size(); ++i) {
      endIfStoppedAt(i);
      if (sure[i])
        pieces[next++] = pieces[i];
      else
        addAnywhere(pieces[i], anywhere);
    }
    pieces.resize(next);
    if (!anywhere.empty()) m_open.add(anywhere);
    return pieces;
  }
  void addAnywhere(const Piece& f, Array<PointGrid::Entry>& out) {
    PointGrid::Entry last{Vec3(std::numeric_limits<float>::max()), 0, 0};
    if (isCovered(f, last) || isOut(f)) return;
    const Corners corners = m_domain.cornersOf(f);
    if (D::widthOf(corners) > 0.25F * m_most) {
      for (const Piece& child : D::childrenOf(f)) addAnywhere(child, out);
      return;
    }
    Box3 box;
    for (const Vec3& c : corners) box.add(c);
    m_isWantedOpen = m_isWantedOpen || m_part.wanted.meets(box);
    out.push_back({box.center(), 0.5F * m_most + 0.5F * glm::length(box.extent()), 0});
  }

  /// Of the candidates those in the area.
  Places allowed(Places candidates) const {
    if (!m_area.holds) return candidates;
    Array<std::uint8_t> isIn(candidates.size());
    m_area.holds(candidates, isIn);
    return keptOf(candidates, isIn);
  }

  /// Pieces outside of the area are never covered: those that are small are let go of where none of some places in
  /// them is inside, so a strand of the area that is narrower than a quarter of the spacing may keep a gap.
  Array<Piece> withRoom(Array<Piece> open) const {
    if (!m_area.holds) return open;
    constexpr std::uint64_t kSamples = 4;
    Places samples;
    Array<std::uint32_t> asked;
    for (std::size_t i = 0; i < open.size(); ++i) {
      endIfStoppedAt(i);
      const Piece& f = open[i];
      const Corners corners = m_domain.cornersOf(f);
      const bool isSmall = D::widthOf(corners) <= 0.25F * m_least;
      bool isNone = false;
      if (m_area.isNoneIn && !isSmall) {
        Box3 box;
        for (const Vec3& c : corners) box.add(c);
        isNone = m_area.isNoneIn(box);
      }
      if (!isSmall && !isNone) continue;
      asked.push_back(static_cast<std::uint32_t>(i));
      for (std::uint64_t k = 0; k < (isNone ? 0 : kSamples); ++k) {
        const auto weights = D::within(f, D::drawn(hashOf(m_domain.keyOf(f.cell), f.path, k)));
        samples.position.push_back(m_domain.positionAt(f.cell, weights));
        samples.cell.push_back(f.cell);
        samples.weights.push_back(weights);
        samples.code.push_back(i);
        samples.id.push_back(i);
      }
    }
    Array<std::uint8_t> isIn(samples.size());
    if (samples.size() > 0) m_area.holds(samples, isIn);
    Array<std::uint8_t> stays;
    stays.assign(open.size(), 1);
    for (const std::uint32_t i : asked) stays[i] = 0;
    for (std::size_t k = 0; k < samples.size(); ++k)
      if (isIn[k]) stays[samples.code[k]] = 1;
    std::size_t next = 0;
    for (std::size_t i = 0; i < open.size(); ++i)
      if (stays[i]) open[next++] = open[i];
    open.resize(next);
    return open;
  }

  bool isAtRimOf(const Piece& piece) const {
    if constexpr (PartlyOutside<D>) return !m_domain.isWhole(piece.cell);
    return false;
  }
  bool isOut(const Piece& piece) const {
    if constexpr (PartlyOutside<D>) return m_domain.isOut(piece);
    return false;
  }

  /// True when one kept point keeps every place of the piece from being taken (a convex piece within a ball is so by
  /// its corners).
  bool isCovered(const Piece& f, PointGrid::Entry& last) const { return isCoveredBy(m_kept, f, last); }
  bool isCoveredBy(const KeptPoints& kept, const Piece& f, PointGrid::Entry& last) const {
    const Corners corners = m_domain.cornersOf(f);
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

  /// The same for a box, with a hair of slack for rounding: all that lies in it is covered then.
  bool isBoxCovered(const Box3& box, PointGrid::Entry& last) const {
    if (!m_rule.isFromAbove && glm::length(box.extent()) > m_least + m_most) return false;
    const auto covers = [&](const PointGrid::Entry& e) {
      const Vec3 far = glm::max(glm::abs(box.min - e.position), glm::abs(box.max - e.position));
      return m_rule.conflicts(far, 0.49999F * m_least, Vec3(0), e.radius);
    };
    return covers(last) || m_kept.any(box.min, 0.5F * m_least, [&](const PointGrid::Entry& e) {
      if (!covers(e)) return false;
      last = e;
      return true;
    });
  }

  Array<Piece> openPieces() const {
    const Array<float>& measures = m_domain.measures();
    // Worth it where one point covers many cells.
    const auto boxes = measures.size() > 8 * m_result.size() ? m_domain.runBoxes() : nullptr;
    constexpr std::size_t kEach = 4 * kCellsPerRun;
    return collected<Piece>(
        m_task, (measures.size() + kEach - 1) / kEach, 128, [&](std::size_t part, Made<Piece>& out) {
          forRuns(
              boxes.get(), part * kEach, std::min(measures.size(), (part + 1) * kEach),
              [&](const Box3& box) { return !m_part.known.meets(box) || isBoxCovered(box, out.lastCover); },
              [&](std::size_t from, std::size_t to, bool isOut) {
                for (auto c = static_cast<std::uint32_t>(from); c < to && !isOut; ++c)
                  if (measures[c] > 0) addOpenParts(m_domain.wholeOf(c), out);
              });
        });
  }

  bool isElsewhere(const Piece& f) const {
    if (!m_isPart) return false;
    Box3 box;
    for (const Vec3& c : m_domain.cornersOf(f)) box.add(c);
    return !m_part.known.meets(box);
  }

  /// Splits until the pieces are about as small as the spacing, leaving out what is covered.
  void addOpenParts(const Piece& f, Made<Piece>& out) const {
    endIfStopped();  // one long sliver splits into millions
    if (isElsewhere(f) || isCovered(f, out.lastCover) || isOut(f)) return;
    if (D::widthOf(m_domain.cornersOf(f)) <= m_least) {
      out.items.push_back(f);
      return;
    }
    for (const Piece& child : D::childrenOf(f)) addOpenParts(child, out);
  }

  void splitOrKeep(const Piece& f, int round, Made<Piece>& out) const {
    const float edge = D::widthOf(m_domain.cornersOf(f));
    if (f.path > 1 && (edge < m_least / 40 || f.path >> 56)) return;  // a gap too small to matter
    // Pieces at the rim of a domain are never covered where they reach beyond it: they are not made as small, and let
    // go of after some darts of their own.
    const bool isAtRim = isAtRimOf(f);
    if (isAtRim && round >= kRimRounds) return;
    if (edge < (isAtRim ? m_least / 5
                        : m_least / 10)) {  // small pieces wait for a dart of their own before they are split again
      out.items.push_back(f);
      return;
    }
    for (const Piece& child : D::childrenOf(f))
      if (!isCovered(child, out.lastCover) && !isOut(child)) out.items.push_back(child);
  }

  Places throwDarts(const Array<Piece>& open, int round) const {
    const auto hits = collected<Hit>(m_task, open.size(), 256, [&](std::size_t i, Made<Hit>& out) {
      const Piece& f = open[i];
      const std::uint64_t h = m_draw.bits(hashOf(m_domain.keyOf(f.cell), f.path, static_cast<std::uint64_t>(round)));

      // Where cells are far smaller than the spacing, a dart for each would be many more than can stay.
      const float edge = D::widthOf(m_domain.cornersOf(f)) / m_least;
      if (edge < 0.05F && static_cast<float>(h & 0xffffU) / 65536.0F > edge * 20) return;
      out.items.push_back({i, D::within(f, D::drawn(h))});
    });
    Places darts;
    for (const auto& [i, weights] : hits) {
      endIfStoppedAt(darts.id.size());
      // Above every ordinal of the first throw: round and path name the dart for ever.
      const std::uint32_t cell = open[i].cell;
      const std::uint64_t code = (std::uint64_t{1} << 63) |
                                 hashOf(open[i].path, static_cast<std::uint64_t>(round)) >> 1;
      darts.position.push_back(m_domain.positionAt(cell, weights));
      darts.cell.push_back(cell);
      darts.weights.push_back(weights);
      darts.code.push_back(code);
      darts.id.push_back(hashOf(m_nodeUid, m_domain.keyOf(cell), code));
    }
    return darts;
  }

  void accept(const Places& candidates, bool isGapRound) {
    Array<float> spacing(candidates.size());
    m_spacingOf(candidates, spacing);
    Array<PointGrid::Entry> entries(candidates.size());
    struct Ranked {
      std::uint64_t rank;
      std::uint32_t index;
    };
    Array<Ranked> ranked(candidates.size());
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      endIfStoppedAt(i);
      const auto index = static_cast<std::uint32_t>(i);
      entries[i] = {candidates.position[i], 0.5F * std::clamp(spacing[i], m_least, m_most), index};
      ranked[i] = {mix64(candidates.id[i] ^ 0x5bd1e995ULL), index};
    }
    sortLarge(ranked,
              [](const Ranked& a, const Ranked& b) { return a.rank != b.rank ? a.rank < b.rank : a.index < b.index; });
    Array<std::uint32_t> order(candidates.size());
    endIfStopped();
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = ranked[i].index;
    Array<std::uint8_t> unsure;
    for (std::size_t i = 0; m_isPart && i < candidates.size(); ++i) {
      endIfStoppedAt(i);
      const bool isHit = isGapRound && m_open.hits(entries[i]);  // older ones go first, whatever their rank
      unsure.push_back(isHit || isUnsure(candidates.position[i]));
    }
    const Array<std::uint8_t> keeps = keepByPriority(m_task, entries, order, isGapRound ? m_kept : KeptPoints(m_rule),
                                                     m_rule, unsure);
    Array<PointGrid::Entry> kept;
    Array<PointGrid::Entry> open;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      endIfStoppedAt(i);
      if (keeps[i] == kOpen) {
        open.push_back(entries[i]);
        m_isWantedOpen = m_isWantedOpen || m_part.wanted.holds(candidates.position[i]);
      }
      if (keeps[i] != kStays) continue;
      m_result.append(candidates, i);
      kept.push_back(entries[i]);
    }
    if (!open.empty()) m_open.add(open);
    m_kept.add(kept);
    m_newest = KeptPoints(m_rule);
    m_newest.add(kept);
  }

  Places inOrder() const {
    Array<std::uint32_t> order(m_result.size());
    std::iota(order.begin(), order.end(), 0U);
    sortLarge(order, [&](std::uint32_t a, std::uint32_t b) {
      return m_result.cell[a] != m_result.cell[b] ? m_result.cell[a] < m_result.cell[b]
                                                  : m_result.code[a] < m_result.code[b];
    });
    return m_result.some(order);
  }

  const Task& m_task;
  const D& m_domain;
  float m_least;
  float m_most;
  const SpacingOf<typename D::Weights>& m_spacingOf;
  const EvenArea<typename D::Weights>& m_area;
  std::uint64_t m_nodeUid;
  Draw m_draw;
  EvenPart m_part;
  bool m_isPart;
  bool m_isWantedOpen = false;
  ConflictRule m_rule;
  KeptPoints m_kept;
  KeptPoints m_newest;  // what the last round added
  KeptPoints m_open;    // who may have been kept, as far as is known
  Places m_result;
};

}  // namespace sowing

/// No two points closer than half the sum of their spacings, and no room left for more (to within small gaps): dart
/// throwing on dense candidates, then darts only where nothing reaches yet, on cells split into smaller and smaller
/// pieces (after Ebeida et al., "A simple algorithm for maximal Poisson-disk sampling in high dimensions", Eurographics
/// 2012; with each round's darts decided by priority). All results of `spacingOf` lie in [least, most]. Only places of
/// `area` get points, and they alone are filled. With a `part` only what lies near it is looked at; `isOpen` becomes
/// true where that was too little for what is wanted.
template <SowingDomain D>
Sown<typename D::Weights> sowEven(const Task& task, const D& domain, float least, float most,
                                  const SpacingOf<typename D::Weights>& spacingOf, std::uint64_t nodeUid, Draw draw,
                                  const EvenArea<typename D::Weights>& area = {}, const EvenPart& part = {},
                                  bool* isOpen = nullptr) {
  sowing::EvenSow<D> sow(task, domain, least, most, spacingOf, area, nodeUid, draw, part);
  auto out = sow.run();
  if (isOpen) *isOpen = sow.isWantedOpen();
  return out;
}

}  // namespace arvesk
