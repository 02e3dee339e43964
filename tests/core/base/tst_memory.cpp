// Memory: values own what they point into, copies start without derived data, nothing keeps itself alive, and the limit
// is one: measured on the process, not on a counter.
#include "core/geometry/prop.h"
#include "core/spatial/surface_index.h"
#include "tests/support/plans.h"

#include <atomic>
#include <fstream>

using namespace arvesk;

namespace {

/// Resident bytes of this process.
std::size_t residentBytes() {
  std::ifstream in("/proc/self/statm");
  std::size_t pages = 0;
  in >> pages >> pages;
  return pages * 4096;
}

std::size_t bytesOfSurface(const Surface& s) { return s.bytes(); }

}  // namespace

class TestMemory : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// An index is asked through a copy of its surface, the surface goes, the copy's own index is asked: nothing points
  /// into what is gone.
  void anIndexOutlivesItsSurface() {
    auto original = std::make_unique<Surface>(*test::hills(64, 40, 3));
    const auto index = *SurfaceIndex::of(*original);
    const Surface copy = *original;
    QVERIFY(*SurfaceIndex::of(copy) != index);  // derived data is not shared with a copy
    const SurfaceHit before = index->nearest({3, 9, 4}, 100);
    const SurfaceHit ray = index->first({3, 50, 4}, {0, -1, 0}, 100);
    original.reset();
    Surface other = *test::hills(64, 40, 9);  // takes the memory that was freed
    QCOMPARE(index->nearest({3, 9, 4}, 100).face, before.face);
    QCOMPARE(index->first({3, 50, 4}, {0, -1, 0}, 100).distance, ray.distance);
    QCOMPARE((*SurfaceIndex::of(copy))->nearest({3, 9, 4}, 100).face, before.face);
    // Changing a copy changes nothing of what it was copied from.
    Surface changed = copy;
    for (Vec3& p : changed.positions.edit()) p.y += 5;
    QCOMPARE((*SurfaceIndex::of(copy))->first({3, 50, 4}, {0, -1, 0}, 100).distance, ray.distance);
    QVERIFY(test::within(static_cast<double>((*SurfaceIndex::of(changed))->first({3, 50, 4}, {0, -1, 0}, 100).distance),
                         static_cast<double>(ray.distance) - 5, 1e-4));
  }

  /// The massing of a small mesh is the mesh: it must not hold itself.
  void nothingKeepsItselfAlive() {
    std::weak_ptr<const Surface> surface;
    std::weak_ptr<const Surface> massing;
    {
      auto prop = makeProp("crate", "crate", std::make_shared<const Surface>(makeBox({1, 1, 1})));
      prop->massing = {nullptr, false, 300, false};
      surface = prop->surface;
      massing = massingOf(*prop);
      (void)SurfaceIndex::of(*massing.lock());
    }
    QVERIFY(surface.expired());
    QVERIFY(massing.expired());
  }

  /// Two props over one mesh, each with a massing of its own.
  void derivedDataGoesByAllItDependsOn() {
    const auto mesh = std::make_shared<const Surface>(makeBall(1, 24));
    auto box = makeProp("a", "a", mesh);
    auto simple = makeProp("b", "b", mesh);
    box->massing = {nullptr, true, 300, false};
    simple->massing = {nullptr, false, 100, false};
    QCOMPARE(massingOf(*box)->faceCount(), std::size_t{12});
    QVERIFY(massingOf(*simple)->faceCount() > 12);
    simple->massing.triangles = 400;
    QVERIFY(massingOf(*simple)->faceCount() > 200);
  }

  void valuesTellTheirTrueBytes() {
    const SurfacePtr ground = test::hills(200, 40, 1);
    const std::size_t bare = bytesOfSurface(*ground);
    (void)SurfaceIndex::of(*ground);
    QVERIFY(bytesOfSurface(*ground) > bare + ground->faceCount() * 60);  // the index hangs on it
    // Shared arrays count once.
    ByteCounter counter;
    const Surface copy = *ground;
    copy.countBytes(counter);
    const std::size_t one = counter.bytes();
    ground->countBytes(counter);
    QVERIFY(counter.bytes() < one + bytesOfSurface(*ground) - bare + 4096);
    test::Bench bench;
    const PointsPtr points = bench.points("sow-on-surface", test::inputs({{"surface", ground}}), {{"density", 50.0}});
    const auto mask = bench.run("distance", test::inputs({{"points", points}}));
    QVERIFY(bytesOf(mask->front()) > points->count * 20);  // a tree of all points
    ByteCounter both;
    const Points filtered = *points;
    filtered.countBytes(both);
    const std::size_t before = both.bytes();
    points->countBytes(both);
    QCOMPARE(both.bytes(), before);
  }

  /// What the counter says of Embree's trees is near what Embree takes.
  void indicesAreCountedAsEmbreeCountsThem() {
    for (const int n : {150, 700}) {  // one as triangles, one as a grid
      const SurfacePtr ground = test::hills(n, 40, 1);
      const std::size_t bare = bytesOfSurface(*ground);
      const std::size_t before = memoryInUse();
      (void)SurfaceIndex::of(*ground);
      const auto taken = static_cast<double>(memoryInUse() - before);
      const double told = static_cast<double>(bytesOfSurface(*ground) - bare);
      QVERIFY2(test::within(told, taken, 0, 0.35), qPrintable(QString::number(n)));
    }
  }

  void theCacheDropsWhatWasUsedLongestAgo() {
    struct Block final : Cached {
      std::size_t size;
      explicit Block(std::size_t s) : size(s) {}
      void countBytes(ByteCounter& counter) const override { counter.add(this, size); }
    };
    MemoryCache cache;
    cache.setLimit(1000);
    for (std::uint64_t i = 0; i < 5; ++i) cache.store({i, 0}, std::make_shared<Block>(300));
    QVERIFY(cache.bytes() <= 1000);
    QVERIFY(cache.find({4, 0}) && cache.find({3, 0}) && !cache.find({0, 0}));
    (void)cache.find({2, 0});
    cache.store({9, 0}, std::make_shared<Block>(300));
    QVERIFY(cache.find({2, 0}) && !cache.find({4, 0}));
    cache.store({10, 0}, std::make_shared<Block>(5000));  // the newest stays, whatever its size
    QVERIFY(cache.find({10, 0}));
    QCOMPARE(cache.size(), std::size_t{1});
  }

  /// Forty masks over 100,000 points each, one nudge after the other, under a limit of 50 MB: the process does not grow
  /// by more than the limit and what one evaluation needs at once.
  void theProcessKeepsTheLimit() {
    Plan plan = test::planOf(
        {test::node("ground", "shape", {{"extent", std::vector<double>{100, 1, 100}}}),
         test::node("sow", "sow-on-surface", {{"density", 10.0}}, {{"surface", "ground"}}),
         test::node("near", "distance", {}, {{"points", "sow"}}),
         test::node("few", "sow-on-surface", {{"density", 0.1}}, {{"surface", "ground"}, {"where", "near"}}),
         test::node("out", "output", {}, {{"points", "few"}})});
    plan.props.clear();
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString()));
    EvalRequest request;
    request.limits.cacheBytes = 50'000'000;
    const auto nudge = [&](int i) {
      plan.find("near")->params["band"] = std::vector<double>{0, 0, 2, 2.0 + 0.01 * i};
      (void)evaluator.evaluate(plan, request);
      QVERIFY(evaluator.cacheBytes() <= request.limits.cacheBytes);
    };
    for (int i = 0; i < 10; ++i) nudge(i);
    const std::size_t before = residentBytes();
    for (int i = 10; i < 90; ++i) nudge(i);
    const std::size_t after = residentBytes();
    QVERIFY2(after < before + 40'000'000, qPrintable(QStringLiteral("%1 → %2").arg(before).arg(after)));
  }
};

QTEST_GUILESS_MAIN(TestMemory)
#include "tst_memory.moc"
