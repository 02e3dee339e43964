#include "core/nodes/scatter/volume_domain.h"

#include <algorithm>
#include <atomic>

namespace arvesk {
namespace {

constexpr int kLargest = -20;         // cells of 2²⁰ m
constexpr int kSmallest = 24;         // far below a millimeter
constexpr double kPointsPerCell = 4;  // that its level and the larger ones give
constexpr std::size_t kMostCandidates = 40'000'000;
constexpr std::size_t kMostMixed = 2000;  // cells that the volume is reckoned by

/// Places on a lattice are whole numbers: what lies beyond them is not sown.
int latticeNumber(double v) { return static_cast<int>(std::clamp(std::floor(v), -1e9, 1e9)); }

struct Cube {
  int level;
  IVec3 place;
};
std::array<Cube, 8> finerOf(const Cube& c) {
  std::array<Cube, 8> out;
  for (int i = 0; i < 8; ++i)
    out[static_cast<std::size_t>(i)] = {c.level + 1, 2 * c.place + IVec3(i & 1, i >> 1 & 1, i >> 2)};
  return out;
}

std::uint64_t nameOf(std::uint64_t level, const Cube& cube) {
  return hashOf(level, static_cast<std::uint64_t>(cube.place.x), static_cast<std::uint64_t>(cube.place.y),
                static_cast<std::uint64_t>(cube.place.z));
}
constexpr std::uint64_t kEvenLevel = 1000;

}  // namespace

Side Fill::sideOf(const Box3& box) const {
  const Side side = m_volume->sideOf(box);
  if (!m_isByDepth || side == Side::Outside) return side;
  const float d = m_depth->roughAt(box.center());
  const float reach = 0.50001F * glm::length(box.extent()) + 1e-6F * glm::length(box.center());
  if (d - reach >= m_depths.from && d + reach <= m_depths.to) return Side::Inside;
  return d + reach < m_depths.from || d - reach > m_depths.to ? Side::Outside : Side::Mixed;
}

/// After those that are there.
void VolumeDomain::Cells::join(const std::vector<Cells>& parts) {
  std::vector<std::size_t> start{key.size()};
  for (const Cells& part : parts) start.push_back(start.back() + part.key.size());
  measure.resize(start.back());
  key.resize(start.back());
  place.resize(start.back());
  level.resize(start.back());
  isInside.resize(start.back());
  parallelPieces({}, parts.size(), 16, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const auto copy = [&](const auto& from, auto& to) {
        std::copy(from.begin(), from.end(), to.begin() + static_cast<std::ptrdiff_t>(start[k]));
      };
      copy(parts[k].measure, measure);
      copy(parts[k].key, key);
      copy(parts[k].place, place);
      copy(parts[k].level, level);
      copy(parts[k].isInside, isInside);
    }
  });
}

/// Walks down from large cubes to small ones, past those that lie outside.
class VolumeDomain::Finder {
 public:
  /// Cubes of level 0 are `unit` m wide.
  Finder(const Task& task, const VolumeDomain& domain, double unit = 1)
      : m_task(task), m_domain(domain), m_own(domain.ownBounds()), m_unit(unit) {}
  double edgeOf(int level) const { return std::ldexp(m_unit, -level); }

  /// The level whose cubes are just larger than the bounds.
  int rootLevel() const {
    const Vec3 extent = m_own.extent();
    const auto longest = static_cast<double>(std::max({extent.x, extent.y, extent.z, 1e-6F}));
    return std::clamp(static_cast<int>(std::floor(-std::log2(longest / m_unit))), kLargest, kSmallest);
  }
  /// Cubes of a level that the bounds reach into.
  std::vector<Cube> cubesOf(int level) const {
    std::vector<Cube> out;
    if (m_own.isEmpty()) return out;
    const IVec3 from = lattice(m_own.min, edgeOf(level));
    const IVec3 to = lattice(m_own.max, edgeOf(level));
    for (int z = from.z; z <= to.z; ++z)
      for (int y = from.y; y <= to.y; ++y)
        for (int x = from.x; x <= to.x; ++x)
          if (sideOf({level, {x, y, z}}) != Side::Outside) out.push_back({level, {x, y, z}});
    return out;
  }
  static IVec3 lattice(const Vec3& p, double edge) {
    return {latticeNumber(static_cast<double>(p.x) / edge), latticeNumber(static_cast<double>(p.y) / edge),
            latticeNumber(static_cast<double>(p.z) / edge)};
  }
  Side sideOf(const Cube& c) const {
    const double edge = edgeOf(c.level);
    return m_domain.m_fill->sideOf(m_domain.fillBox(edge * DVec3(c.place), edge * (DVec3(c.place) + 1.0)));
  }

  /// All cubes from `cube` down to level `last` that do not lie outside, larger ones first along each branch.
  template <typename Visit>
  void walk(const Cube& cube, Side side, int last, const Visit& visit) const {
    visit(cube, side);
    if (cube.level >= last || m_task.isCancelled() || m_isStopped) return;
    for (const Cube& child : finerOf(cube)) {
      const Side of = side == Side::Inside ? side : sideOf(child);
      if (of != Side::Outside) walk(child, of, last, visit);
    }
  }

  /// Cubes are never so small that their places could not be told apart there.
  int smallestLevel() const {
    const Vec3 far = glm::max(glm::abs(m_own.min), glm::abs(m_own.max));
    const double least = 4e-7 * static_cast<double>(std::max({far.x, far.y, far.z, 1e-6F}));
    return std::clamp(static_cast<int>(std::floor(-std::log2(least / m_unit))), kLargest, kSmallest);
  }

  double volume() const {
    std::vector<Cube> mixed = cubesOf(rootLevel());
    double inside = 0;
    int level = rootLevel();
    for (; level < smallestLevel() && !mixed.empty() && mixed.size() < kMostMixed && !m_task.isCancelled(); ++level) {
      std::vector<Cube> finer;
      const double each = std::pow(edgeOf(level + 1), 3);
      std::vector<std::array<Side, 8>> sides(mixed.size());
      parallelPieces(m_task, mixed.size(), 32, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          const auto children = finerOf(mixed[i]);
          for (std::size_t k = 0; k < children.size(); ++k) sides[i][k] = sideOf(children[k]);
        }
      });
      for (std::size_t i = 0; i < mixed.size(); ++i)
        for (std::size_t k = 0; k < 8; ++k) {
          if (sides[i][k] == Side::Inside) inside += each;
          if (sides[i][k] == Side::Mixed) finer.push_back(finerOf(mixed[i])[k]);
        }
      mixed = std::move(finer);
    }
    // Of the mixed ones by some places in each; even where none was found there may be something.
    constexpr std::size_t kPlaces = 4;
    std::atomic<std::size_t> found{0};
    parallelPieces(m_task, mixed.size(), 256, [&](std::size_t begin, std::size_t end) {
      std::size_t held = 0;
      for (std::size_t i = begin; i < end; ++i)
        for (std::uint64_t k = 0; k < kPlaces; ++k)
          held += m_domain.m_fill->holds(
              m_domain.m_frame.toWorld(edgeOf(level) * (DVec3(mixed[i].place) + DVec3(drawn(hashOf(i, k))))));
      found += held;
    });
    const double held = std::max(static_cast<double>(found), mixed.empty() ? 0 : 0.25);
    return inside + held / kPlaces * std::pow(edgeOf(level), 3);
  }

  const Task& task() const { return m_task; }
  /// Ends walks where they are; from any thread.
  void stop() const { m_isStopped = true; }
  bool isStopped() const { return m_isStopped; }

 private:
  const Task& m_task;
  const VolumeDomain& m_domain;
  Box3 m_own;
  double m_unit;
  mutable std::atomic<bool> m_isStopped{false};
};

VolumeDomain::VolumeDomain(const Task& task, const Fill& fill, const BodyFrame& frame, const BodyFrame& pose)
    : m_fill(&fill),
      m_frame(frame),
      m_pose(pose),
      m_isInWorld(pose.isNone()),
      m_cells(std::make_shared<const Cells>()) {
  m_total = Finder(task, *this).volume();
}

VolumeDomain VolumeDomain::forDensity(const Task& task, double density) const {
  const Finder finder(task, *this);
  auto cells = std::make_shared<Cells>();
  const int smallest = finder.smallestLevel();
  for (int level = kLargest; level <= kSmallest; ++level) {
    const double filled = kPointsPerCell / std::pow(finder.edgeOf(level), 3);
    cells->levels.push_back({finder.edgeOf(level), level == kLargest ? 0 : filled / 8,
                             level == smallest ? std::numeric_limits<double>::infinity() : filled});
  }
  int last = kLargest;
  while (last < smallest && cells->levels[static_cast<std::size_t>(last - kLargest)].most < density) ++last;

  std::atomic<std::size_t> candidates{0};
  const auto add = [&](Cells& to, const Cube& cube, Side side) {
    // A hundred cells are counted at once.
    if (to.key.size() % 128 == 127 && (candidates += 128 * 3) > kMostCandidates) finder.stop();
    const auto number = static_cast<std::size_t>(cube.level - kLargest);
    const Level& level = cells->levels[number];
    to.measure.push_back(
        static_cast<float>((std::min(density, level.most) - level.least) * level.edge * level.edge * level.edge));
    to.key.push_back(nameOf(number, cube));
    to.place.push_back(cube.place);
    to.level.push_back(static_cast<std::uint8_t>(number));
    to.isInside.push_back(side == Side::Inside);
  };
  for (int level = kLargest; level <= std::min(last, finder.rootLevel() - 1); ++level)
    for (const Cube& cube : finder.cubesOf(level)) add(*cells, cube, finder.sideOf(cube));
  gather(finder, last, *cells, add);
  return withCells(task, std::move(cells), finder.isStopped());
}

VolumeDomain VolumeDomain::forSpacing(const Task& task, float spacing) const {
  const Finder finder(task, *this, static_cast<double>(spacing));
  auto cells = std::make_shared<Cells>();
  const double edge = finder.edgeOf(0);
  cells->levels.push_back({edge, 0, std::numeric_limits<double>::infinity()});
  std::atomic<std::size_t> count{0};
  const auto add = [&](Cells& to, const Cube& cube, Side side) {
    if (cube.level != 0) return;
    if (to.key.size() % 128 == 127 && (count += 128) > kMostCandidates / 8) finder.stop();
    to.measure.push_back(static_cast<float>(edge * edge * edge));
    to.key.push_back(nameOf(kEvenLevel, cube));
    to.place.push_back(cube.place);
    to.level.push_back(0);
    to.isInside.push_back(side == Side::Inside);
  };
  if (finder.rootLevel() <= 0)
    gather(finder, 0, *cells, add);
  else  // a body that is smaller than the spacing
    for (const Cube& cube : finder.cubesOf(0)) add(*cells, cube, finder.sideOf(cube));
  return withCells(task, std::move(cells), finder.isStopped());
}

/// What is found from the root down to level `last`, branch by branch over the threads.
template <typename Add>
void VolumeDomain::gather(const Finder& finder, int last, Cells& cells, const Add& add) {
  const int root = finder.rootLevel();
  if (last < root) return;
  std::vector<std::pair<Cube, Side>> branches;
  const int branchLevel = std::min(last, root + 4);
  for (const Cube& cube : finder.cubesOf(root))
    finder.walk(cube, finder.sideOf(cube), branchLevel, [&](const Cube& c, Side side) {
      if (c.level == branchLevel)
        branches.emplace_back(c, side);
      else
        add(cells, c, side);
    });
  std::vector<Cells> parts(branches.size());
  parallelPieces(finder.task(), branches.size(), 1, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i)
      finder.walk(branches[i].first, branches[i].second, last,
                  [&](const Cube& c, Side side) { add(parts[i], c, side); });
  });
  cells.join(parts);
}

VolumeDomain VolumeDomain::withCells(const Task& task, std::shared_ptr<Cells> cells, bool isTooMany) const {
  VolumeDomain out = *this;
  out.m_isTooMany = isTooMany;
  if (task.isCancelled() || isTooMany) cells = std::make_shared<Cells>();
  out.m_cells = std::move(cells);
  return out;
}

bool VolumeDomain::isOut(const Piece& piece) const {
  if (m_cells->isInside[piece.cell]) return false;
  const double edge = m_cells->levels[m_cells->level[piece.cell]].edge;
  const DVec3 place(m_cells->place[piece.cell]);
  return m_fill->sideOf(fillBox(edge * (place + DVec3(piece.from)), edge * (place + DVec3(piece.to)))) == Side::Outside;
}

Box3 VolumeDomain::boxOf(std::uint32_t cell) const {
  const double edge = m_cells->levels[m_cells->level[cell]].edge;
  const DVec3 place(m_cells->place[cell]);
  return withRounding(m_pose.of(m_frame).toWorld(edge * place, edge * (place + 1.0)));
}

std::array<VolumeDomain::Piece, 8> VolumeDomain::childrenOf(const Piece& p) {
  std::array<Piece, 8> out;
  const Vec3 half = 0.5F * (p.to - p.from);
  for (std::size_t i = 0; i < 8; ++i) {
    const Vec3 from = p.from + half * Vec3(i & 1U ? 1 : 0, i & 2U ? 1 : 0, i & 4U ? 1 : 0);
    out[i] = {p.cell, p.path * 8 + i, from, from + half};
  }
  return out;
}

/// The volume's bounds, on the lattice.
Box3 VolumeDomain::ownBounds() const {
  const Box3 fill = m_fill->volume().bounds();
  return fill.isEmpty() ? fill : withRounding(m_frame.reversed().toWorld(DVec3(fill.min), DVec3(fill.max)));
}

}  // namespace arvesk
