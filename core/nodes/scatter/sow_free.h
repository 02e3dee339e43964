// Free sowing on any domain: independent points by density, in one pass over pieces of about the same work.
#pragma once

#include "core/base/task.h"
#include "core/nodes/scatter/candidate_counts.h"
#include "core/nodes/scatter/domain.h"

#include <algorithm>
#include <atomic>
#include <functional>
#include <utility>

namespace arvesk {
namespace sowing {

/// Candidates that one thread makes at a time, however large or small the cells are.
inline constexpr std::size_t kPiece = 8192;
/// Candidates of a cell from which on the cell is asked about before they are made.
inline constexpr std::uint32_t kWorthAsking = 6;
inline constexpr std::size_t kCellsPerGroup = 512 * kCellsPerRun;

}  // namespace sowing

/// Where no candidate would stay, so that none is made.
struct Barren {
  std::function<bool(const Box3&)> isIn;                                   // none would stay in the whole box
  std::function<void(std::uint32_t cell, std::uint32_t count)> onSkipped;  // if any: told of those that are not made
};

namespace sowing {

/// How many candidates each cell has, and how many come before each group of cells; one more at the end.
class Starts {
 public:
  template <SowingDomain D>
  Starts(const Task& task, const D& domain, double density, Draw draw, const Barren& barren = {})
      : m_count(domain.measures().size()) {
    const Array<float>& measures = domain.measures();
    std::atomic<std::size_t> skipped{0};
    const auto runs = barren.isIn ? domain.runBoxes() : nullptr;
    const std::size_t groups = (measures.size() + kCellsPerGroup - 1) / kCellsPerGroup;
    m_start.assign(groups + 1, 0);
    parallelPieces(task, measures.size(), kCellsPerGroup, [&](std::size_t begin, std::size_t end) {
      const std::uint64_t* keys = domain.keys() ? domain.keys() + begin : nullptr;
      m_start[begin / kCellsPerGroup + 1] = countCandidates(measures.data() + begin, keys,
                                                            static_cast<std::uint32_t>(begin), end - begin, density,
                                                            draw, m_count.data() + begin);
      if (!barren.isIn) return;
      std::size_t gone = 0;
      forRuns(runs.get(), begin, end, barren.isIn, [&](std::size_t from, std::size_t to, bool isOut) {
        for (auto c = static_cast<std::uint32_t>(from); c < to; ++c) {
          if (m_count[c] == 0 || !(isOut || (m_count[c] >= kWorthAsking && barren.isIn(domain.boxOf(c))))) continue;
          if (barren.onSkipped) barren.onSkipped(c, m_count[c]);
          gone += std::exchange(m_count[c], 0);
        }
      });
      m_start[begin / kCellsPerGroup + 1] -= gone;
      skipped += gone;
    });
    m_skipped = skipped;
    if (task.isCancelled()) m_start.assign(groups + 1, 0);
    for (std::size_t g = 0; g < groups; ++g) m_start[g + 1] += m_start[g];
  }

  std::size_t total() const { return m_start.back(); }
  /// Candidates of barren cells, which are not among the total.
  std::size_t skipped() const { return m_skipped; }

  /// Calls visit(i, cell, ordinal) for the candidates begin…end of all, at most kPiece of them.
  template <typename Visit>
  void walk(std::size_t begin, std::size_t end, Visit visit) const {
    struct Candidate {
      std::uint32_t cell, ordinal;
    };
    std::array<Candidate, kPiece + 1> found;
    std::size_t n = 0;
    const auto group =
        static_cast<std::size_t>(std::upper_bound(m_start.begin(), m_start.end(), begin) - m_start.begin()) - 1;
    std::size_t first = m_start[group];  // candidate of the cell
    for (auto cell = static_cast<std::uint32_t>(group * kCellsPerGroup); first < end; ++cell) {
      const std::size_t from = std::max(first, begin);
      const std::size_t next = first + m_count[cell];
      const std::size_t to = std::min(next, end);
      const auto ordinal = static_cast<std::uint32_t>(from - first);
      // Written even when there is none: a branch that nobody can foretell would cost more.
      found[n] = {cell, ordinal};
      if (to > from + 1)
        for (std::uint32_t k = 1; k < to - from; ++k) found[n + k] = {cell, ordinal + k};
      n += to > from ? to - from : 0;
      first = next;
    }
    for (std::size_t k = 0; k < n; ++k) visit(begin + k, found[k].cell, std::uint64_t{found[k].ordinal});
  }

 private:
  Array<std::uint32_t> m_count;
  std::vector<std::size_t> m_start;
  std::size_t m_skipped = 0;
};

/// Those of `sown` that stay.
template <typename Weights>
Sown<Weights> keptOf(const Sown<Weights>& sown, const Array<std::uint8_t>& stays) {
  Array<std::uint32_t> which(sown.size());
  std::size_t count = 0;
  for (std::uint32_t i = 0; i < sown.size(); ++i) {  // written even when it does not: no branch to foretell
    which[count] = i;
    count += stays[i] ? 1 : 0;
  }
  which.resize(count);
  return sown.some(which);
}

/// Candidates begin…end of all, into `out` from place `at`.
template <SowingDomain D>
void fill(const D& domain, const Starts& start, std::uint64_t nodeUid, Draw draw, std::size_t begin, std::size_t end,
          Sown<typename D::Weights>& out, std::size_t at) {
  start.walk(begin, end, [&](std::size_t i, std::uint32_t cell, std::uint64_t code) {
    const std::size_t k = at + i - begin;
    out.cell[k] = cell;
    out.code[k] = code;
    out.id[k] = hashOf(nodeUid, domain.keyOf(cell), code);
    out.weights[k] = D::drawn(draw.bits(out.id[k] ^ code));
    out.position[k] = domain.positionAt(cell, out.weights[k]);
  });
}

}  // namespace sowing

/// Independent points, `density` per unit of the cells' measure. Cell c gets floor(density × measure + u) points with a
/// fixed u in [0, 1) of its own, so a higher density only adds.
template <SowingDomain D>
Sown<typename D::Weights> sowFree(const Task& task, const D& domain, double density, std::uint64_t nodeUid, Draw draw) {
  const sowing::Starts start(task, domain, density, draw);
  Sown<typename D::Weights> out;
  out.resize(start.total());
  parallelPieces(task, start.total(), sowing::kPiece, [&](std::size_t begin, std::size_t end) {
    sowing::fill(domain, start, nodeUid, draw, begin, end, out, begin);
  });
  if (task.isCancelled()) return {};  // pieces that were not made hold anything, cells that do not exist among it
  return out;
}

/// The same points with their ground records, made in one pass: what a density without "where" needs.
template <SowingDomain D>
Points sowFreePoints(const Task& task, const D& domain, double density, std::uint64_t nodeUid, Draw draw,
                     float footprint) {
  const sowing::Starts start(task, domain, density, draw);
  Points p;
  p.count = start.total();
  Array<Vec3> position(p.count);
  Array<std::uint32_t> cells(p.count);
  Array<std::uint64_t> id(p.count);
  typename D::Ground ground(p.count);
  parallelPieces(task, p.count, sowing::kPiece, [&](std::size_t begin, std::size_t end) {
    start.walk(begin, end, [&](std::size_t i, std::uint32_t cell, std::uint64_t code) {
      cells[i] = cell;
      id[i] = hashOf(nodeUid, domain.keyOf(cell), code);
      const auto weights = D::drawn(draw.bits(id[i] ^ code));
      position[i] = domain.toWorld(domain.positionAt(cell, weights));
      ground.write(domain, i, cell, weights);
    });
  });
  p.position = std::move(position);
  p.id = std::move(id);
  ground.moveInto(p, std::move(cells));
  p.footprint = Column<float>(footprint);
  return p;
}

/// The same, with "where" applied piece by piece, so that millions of candidates that do not stay take no memory.
/// `keeps` gets the candidates of some cells and says which stay; `candidates` becomes the number of all.
template <typename Weights>
using KeepsCandidates = std::function<Array<std::uint8_t>(const Sown<Weights>& candidates)>;
template <SowingDomain D>
Sown<typename D::Weights> sowFreeWhere(const Task& task, const D& domain, double density, std::uint64_t nodeUid,
                                       Draw draw, const KeepsCandidates<typename D::Weights>& keeps,
                                       const Barren& barren, std::size_t& candidates) {
  using Places = Sown<typename D::Weights>;
  const sowing::Starts start(task, domain, density, draw, barren);
  candidates = start.total() + start.skipped();
  std::vector<Places> pieces((start.total() + sowing::kPiece - 1) / sowing::kPiece);
  parallelPieces(task, start.total(), sowing::kPiece, [&](std::size_t begin, std::size_t end) {
    Places all;
    all.resize(end - begin);
    sowing::fill(domain, start, nodeUid, draw, begin, end, all, 0);
    pieces[begin / sowing::kPiece] = sowing::keptOf(all, keeps(all));
  });
  return Places::joined(pieces);
}

/// As sowFree, without those that lie outside of the domain.
template <SowingDomain D>
Sown<typename D::Weights> sowFreeWithin(const Task& task, const D& domain, double density, std::uint64_t nodeUid,
                                        Draw draw) {
  if constexpr (PartlyOutside<D>) {
    std::size_t candidates = 0;
    const auto holds = [&](const Sown<typename D::Weights>& all) {
      Array<std::uint8_t> isHeld(all.size());
      for (std::size_t i = 0; i < all.size(); ++i) isHeld[i] = domain.holds(all.cell[i], all.weights[i]);
      return isHeld;
    };
    return sowFreeWhere<D>(task, domain, density, nodeUid, draw, holds, {}, candidates);
  }
  return sowFree(task, domain, density, nodeUid, draw);
}

template <SowingDomain D>
Array<Vec3> worldPositions(const D& domain, Array<Vec3> own) {
  if (!domain.isInWorld())
    for (Vec3& p : own) p = domain.toWorld(p);
  return own;
}

/// Points with ground records.
template <SowingDomain D>
Points pointsFrom(const Task& task, const D& domain, Sown<typename D::Weights> sown, float footprint) {
  Points p;
  p.count = sown.size();
  typename D::Ground ground(p.count);
  parallelPieces(task, p.count, 8192, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) ground.write(domain, i, sown.cell[i], sown.weights[i]);
  });
  p.position = worldPositions(domain, std::move(sown.position));
  p.id = std::move(sown.id);
  ground.moveInto(p, std::move(sown.cell));
  p.footprint = Column<float>(footprint);
  return p;
}

}  // namespace arvesk
