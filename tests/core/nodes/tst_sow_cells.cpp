// Sowing is written over a domain: what holds on faces holds on boxes in space as well, which share no code with faces.
#include "core/nodes/scatter/sowing.h"
#include "core/spatial/point_grid.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;
using test::within;

namespace {

/// Boxes of one size on a lattice; some may be missing. A box's key is its place on the lattice.
class BoxDomain {
 public:
  using Weights = Vec3;
  struct Piece {
    std::uint32_t cell = 0;
    std::uint64_t path = 1;
    Vec3 from{0};
    Vec3 to{1};
  };
  static constexpr std::size_t kCorners = 8;
  static constexpr std::size_t kChildren = 8;

  BoxDomain(int side, float edge, const std::function<bool(int, int, int)>& isThere, bool hasRuns = true)
      : m_edge(edge) {
    for (int z = 0; z < side; ++z)
      for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
          if (!isThere(x, y, z)) continue;
          m_from.push_back(edge * Vec3(x, y, z));
          m_keys.push_back(
              hashOf(static_cast<std::uint64_t>(x), static_cast<std::uint64_t>(y), static_cast<std::uint64_t>(z)));
          m_measures.push_back(edge * edge * edge);
        }
    if (!hasRuns) return;
    auto boxes = std::make_shared<Array<Box3>>((m_from.size() + kCellsPerRun - 1) / kCellsPerRun);
    for (std::uint32_t c = 0; c < m_from.size(); ++c) (*boxes)[c / kCellsPerRun].add(boxOf(c));
    m_runs = boxes;
  }
  const BoxDomain& forDensity(const Task&, double) const { return *this; }
  const BoxDomain& forSpacing(const Task&, float) const { return *this; }
  static double perMeasure(double density) { return density; }
  double appearsAt(std::uint32_t cell, std::uint64_t code, double u) const {
    return (static_cast<double>(code) + 1 - u) / static_cast<double>(m_measures[cell]);
  }
  const Array<float>& measures() const { return m_measures; }
  double total() const { return static_cast<double>(m_edge) * m_edge * m_edge * static_cast<double>(m_keys.size()); }
  const std::uint64_t* keys() const { return m_keys.data(); }
  std::uint64_t keyOf(std::uint32_t cell) const { return m_keys[cell]; }
  bool isFromAbove() const { return false; }
  static double ballMeasure(double d) { return std::numbers::pi / 6 * d * d * d; }
  static Vec3 drawn(std::uint64_t bits) {
    const auto part = [&](int shift) { return static_cast<float>((bits >> shift) & 0x1fffffU) * 0x1p-21F; };
    return {part(0), part(21), part(42)};
  }
  Vec3 positionAt(std::uint32_t cell, const Vec3& w) const { return m_from[cell] + m_edge * w; }
  static Vec3 toWorld(const Vec3& place) { return place; }
  static bool isInWorld() { return true; }
  Box3 boxOf(std::uint32_t cell) const { return {m_from[cell], m_from[cell] + Vec3(m_edge)}; }
  std::shared_ptr<const Array<Box3>> runBoxes() const { return m_runs; }
  Piece wholeOf(std::uint32_t cell) const { return {cell}; }
  std::array<Vec3, 8> cornersOf(const Piece& p) const {
    std::array<Vec3, 8> out;
    for (std::size_t i = 0; i < 8; ++i)
      out[i] = positionAt(p.cell, {i & 1U ? p.to.x : p.from.x, i & 2U ? p.to.y : p.from.y, i & 4U ? p.to.z : p.from.z});
    return out;
  }
  static float widthOf(const std::array<Vec3, 8>& c) { return glm::distance(c[0], c[1]); }
  static std::array<Piece, 8> childrenOf(const Piece& p) {
    std::array<Piece, 8> out;
    const Vec3 half = 0.5F * (p.to - p.from);
    for (std::size_t i = 0; i < 8; ++i) {
      const Vec3 from = p.from + half * Vec3(i & 1U ? 1 : 0, i & 2U ? 1 : 0, i & 4U ? 1 : 0);
      out[i] = {p.cell, p.path * 8 + i, from, from + half};
    }
    return out;
  }
  static Vec3 within(const Piece& p, const Vec3& w) { return p.from + (p.to - p.from) * w; }
  struct Ground {  // in space there is none
    explicit Ground(std::size_t) {}
    void write(const BoxDomain&, std::size_t, std::uint32_t, const Vec3&) {}
    void moveInto(Points&, Array<std::uint32_t>&&) {}
  };

 private:
  float m_edge;
  std::vector<Vec3> m_from;
  std::vector<std::uint64_t> m_keys;
  Array<float> m_measures;
  std::shared_ptr<const Array<Box3>> m_runs;
};
static_assert(SowingDomain<BoxDomain> && SowingDomain<FaceDomain>);

BoxDomain allOf(int side, float edge) {
  return {side, edge, [](int, int, int) { return true; }};
}

std::map<std::uint64_t, Vec3> placesOf(const Points& p) {
  std::map<std::uint64_t, Vec3> out;
  for (std::size_t i = 0; i < p.count; ++i) out[p.id[i]] = p.position[i];
  return out;
}

Points sownIn(const BoxDomain& domain, const nodes::SowSettings& settings, const MaskPtr& where = nullptr) {
  test::Bench bench;
  auto points = nodes::sown(bench.ctx, domain, where, nullptr, settings);
  if (!points) qFatal("%s", toLine(points.error()).c_str());
  return std::move(*points);
}

bool isAmong(const std::map<std::uint64_t, Vec3>& few, const std::map<std::uint64_t, Vec3>& many) {
  return std::all_of(few.begin(), few.end(), [&](const auto& p) {
    const auto it = many.find(p.first);
    return it != many.end() && it->second == p.second;
  });
}

}  // namespace

class TestSowCells : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void freeFillsSpaceUniformly() {
    const Points p = sownIn(allOf(8, 1.25F), {.density = 60});
    QVERIFY(within(static_cast<double>(p.count), 60'000, 5 * std::sqrt(60'000)));
    std::array<int, 64> blocks{};
    for (std::size_t i = 0; i < p.count; ++i) {
      const Vec3 at = glm::floor(p.position[i] / 2.5F);
      QVERIFY(at.x >= 0 && at.y >= 0 && at.z >= 0 && at.x < 4 && at.y < 4 && at.z < 4);
      ++blocks[static_cast<std::size_t>(at.x + 4 * at.y + 16 * at.z)];
    }
    double chiSquare = 0;
    const double expected = static_cast<double>(p.count) / 64;
    for (const int n : blocks) chiSquare += (n - expected) * (n - expected) / expected;
    QVERIFY2(chiSquare < 117, "63 degrees of freedom, 0.005 % point about 117 (Wilson and Hilferty 1931)");
  }

  /// More of everything only adds; a cell taken away takes its own points and no others.
  void moreOnlyAddsAndCellsStandAlone() {
    const BoxDomain all = allOf(6, 1);
    const BoxDomain some(6, 1, [](int x, int y, int z) { return (x + 2 * y + 3 * z) % 5 != 0; });
    const auto whole = placesOf(sownIn(all, {.density = 9}));
    QVERIFY(isAmong(placesOf(sownIn(all, {.density = 4.5F})), whole));
    const auto left = placesOf(sownIn(some, {.density = 9}));
    QVERIFY(isAmong(left, whole));
    QVERIFY(within(static_cast<double>(left.size()), 0.8 * static_cast<double>(whole.size()), 120));
    std::map<std::uint64_t, Vec3> before;
    for (const int total : {0, 1, 90, 91, 900}) {
      const auto now = placesOf(sownIn(all, {.isTotal = true, .total = total}));
      QCOMPARE(now.size(), static_cast<std::size_t>(total));
      QVERIFY(isAmong(before, now));
      before = now;
    }
  }

  /// "Where" thins by each candidate's own rank, and a total is exact after it.
  void whereThinsInSpace() {
    const BoxDomain all = allOf(8, 1);
    const auto whole = placesOf(sownIn(all, {.density = 20}));
    const auto thinned = placesOf(sownIn(all, {.density = 20}, test::rampMask(4)));
    QVERIFY(isAmong(thinned, whole));
    for (const auto& [id, at] : whole) {
      if (at.x < 3) QVERIFY(thinned.contains(id));
      if (at.x > 5) QVERIFY(!thinned.contains(id));
    }
    QCOMPARE(sownIn(all, {.isTotal = true, .total = 500}, test::rampMask(4)).count, std::size_t{500});
  }

  /// To ask runs of cells before each of them saves work and changes nothing.
  void runsOfCellsChangeNothing() {
    const auto some = [](int x, int y, int z) { return (x * y + z) % 7 != 3; };
    const MaskPtr low = makeHeightMask(nullptr, {-1, -1, 2, 2.5F}, {});
    for (const float draft : {1.0F, 0.3F})
      for (const nodes::SowSettings& settings :
           {nodes::SowSettings{.density = 30}, {.isEven = true, .spacing = 0.4F}, {.isEven = true, .spacing = 9}}) {
        std::vector<Points> both;
        std::vector<std::size_t> candidates;
        for (const bool hasRuns : {true, false}) {
          test::Bench bench;
          bench.ctx.draftShare = draft;
          auto points = nodes::sown(bench.ctx, BoxDomain(9, 1, some, hasRuns), low, nullptr, settings);
          QVERIFY2(points, points ? "" : points.error().message.c_str());
          both.push_back(std::move(*points));
          candidates.push_back(*bench.ctx.candidates);
        }
        QVERIFY(both[0].count > 0);
        QVERIFY(!findDifference(both[0], both[1]));
        QCOMPARE(candidates[0], candidates[1]);
      }
  }

  /// Even keeps the spacing and leaves no gap: random balls cannot fill more than 0.3841 of space (Torquato, Uche and
  /// Stillinger, "Random sequential addition of hard spheres in high Euclidean dimensions", Physical Review E, 2006).
  void evenPacksSpace() {
    constexpr float kSpacing = 0.9F;
    const Points p = sownIn(allOf(8, 1.25F), {.isEven = true, .spacing = kSpacing});
    Array<PointGrid::Entry> entries;
    for (std::size_t i = 0; i < p.count; ++i) entries.push_back({p.position[i], 0, static_cast<std::uint32_t>(i)});
    const PointGrid grid(entries, kSpacing);
    std::size_t inner = 0;
    float nearest = kSpacing;
    for (const PointGrid::Entry& e : entries) {
      grid.near(e.position, kSpacing, [&](const PointGrid::Entry& o) {
        if (o.index != e.index) nearest = std::min(nearest, glm::distance(o.position, e.position));
        return false;
      });
      const Vec3 d = glm::abs(e.position - Vec3(5));
      inner += d.x < 4 && d.y < 4 && d.z < 4;
    }
    QVERIFY(nearest >= kSpacing * 0.99999F);
    const double share = static_cast<double>(inner) * BoxDomain::ballMeasure(static_cast<double>(kSpacing)) / 512;
    QVERIFY2(share > 0.35 && share < 0.3841 * 1.03, qPrintable(QString::number(share)));
    const auto ids = placesOf(p);
    QCOMPARE(ids.size(), p.count);
  }
};

QTEST_GUILESS_MAIN(TestSowCells)
#include "tst_sow_cells.moc"
