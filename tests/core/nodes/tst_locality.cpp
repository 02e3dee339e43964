// Locality of what looks at its surroundings: an edit in one place changes nothing farther away than the declared
// reach. Each row edits one thing (a patch, a point, a dab, a bump of the ground) and compares every value or point
// before and after.
#include "core/masks/place_masks.h"
#include "core/masks/point_masks.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;

namespace {

constexpr float kExtent = 40;
constexpr std::size_t kOne = 37;  // the point that is moved
const Vec3 kMove(3, 0, -2);       // m

PointsPtr shared(Points p) { return std::make_shared<const Points>(std::move(p)); }

PointsPtr sown(double density) {
  test::Bench bench;
  return bench.points("sow-on-surface", test::inputs({{"surface", test::hills(60, kExtent, 5)}}),
                      {{"density", density}, {"footprint", 0.4}});
}

/// One of the points moved aside.
PointsPtr withOneMoved(const PointsPtr& points) {
  Points p = *points;
  Array<Vec3> position = p.position.copied(p.count);
  position[kOne] += kMove;
  p.position = std::move(position);
  return shared(std::move(p));
}

/// The ground with a bump of `radius` m about `place`.
SurfacePtr withBump(const SurfacePtr& ground, const Vec3& place, float radius) {
  Surface s = *ground;
  for (Vec3& v : s.positions.edit()) {
    const float d = glm::length(Vec2(v.x - place.x, v.z - place.z)) / radius;
    if (d < 1) v.y += 1.5F * (1 - d) * (1 - d);
  }
  return std::make_shared<const Surface>(std::move(s));
}

/// Values before and after; those that changed must lie within `reach` of one of the edited places. Some must change,
/// or nothing was tested.
void compareMasks(const Mask& before, const Mask& after, const Points& at, const std::vector<Vec3>& edited,
                  float reach) {
  const Array<float> a = maskValues({}, before, at);
  const Array<float> b = maskValues({}, after, at);
  std::size_t changed = 0;
  for (std::size_t i = 0; i < at.count; ++i) {
    if (a[i] == b[i]) continue;
    ++changed;
    float nearest = 1e9F;
    for (const Vec3& e : edited)
      nearest = std::min(nearest, glm::length(Vec2(at.position[i].x - e.x, at.position[i].z - e.z)));
    QVERIFY2(nearest <= reach + 1e-3F, qPrintable(QStringLiteral("a value %1 m away changed, the reach is %2 m")
                                                      .arg(static_cast<double>(nearest))
                                                      .arg(static_cast<double>(reach))));
  }
  QVERIFY(changed > 0);
  QVERIFY(changed < at.count / 2);
}

std::map<std::uint64_t, Vec3> placesById(const Points& p) {
  std::map<std::uint64_t, Vec3> out;
  for (std::size_t i = 0; i < p.count; ++i) out[p.id[i]] = p.position[i];
  return out;
}

}  // namespace

class TestLocality : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void masksOfOtherPoints_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<float>("reach");
    QTest::newRow("distance: to the band's end") << "distance" << 2.0F;
    QTest::newRow("crowding: its radius") << "crowding" << 1.5F;
    QTest::newRow("crowding, softly: its radius") << "softly" << 1.5F;
  }
  void masksOfOtherPoints() {
    QFETCH(QString, kind);
    QFETCH(float, reach);
    const PointsPtr at = sown(6);
    const PointsPtr others = sown(0.4);
    QVERIFY(others->count > kOne);
    const PointsPtr moved = withOneMoved(others);
    const auto make = [&](const PointsPtr& of) {
      return kind == QStringLiteral("distance")
                 ? makeDistanceMask({of}, nullptr, {}, 100, {0, 0, 0.5F, reach}, {})
                 : makeCrowdingMask({of}, reach, false, kind == QStringLiteral("softly"), {0, 1, 3, 6}, {});
    };
    compareMasks(*make(others), *make(moved), *at, {others->position[kOne], moved->position[kOne]}, reach);
  }

  void masksOfGround_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<float>("reach");
    QTest::newRow("openness: how far its rays go") << "openness" << 3.0F;
    QTest::newRow("hollows: twice its radius, along a leaning normal") << "hollows" << 2.0F;
  }
  void masksOfGround() {
    QFETCH(QString, kind);
    QFETCH(float, reach);
    const SurfacePtr ground = test::hills(60, kExtent, 5);
    const PointsPtr at = sown(4);
    const Vec3 place(4, 0, -6);
    constexpr float kBump = 2;
    const SurfacePtr bumped = withBump(ground, place, kBump);
    const auto make = [&](const SurfacePtr& of) {
      return kind == QStringLiteral("openness") ? makeOpennessMask(of, {}, 48, reach, false, {0, 1, 1, 1}, {})
                                                : makeHollowsMask(of, reach / 2, 24, {-0.5F, 0.5F, 9, 9}, {});
    };
    // One face more than the bump, since its vertices bend the faces around it.
    compareMasks(*make(ground), *make(bumped), *at, {place}, reach + kBump + kExtent / 60 * 1.5F);
  }

  void aDabReachesItsRadius() {
    const PointsPtr at = sown(6);
    Strokes strokes;
    for (std::size_t i = 0; i < 40; ++i) strokes.dabs.push_back({at->position[i * 7], 2, i % 3 ? 0.8F : -0.6F, 0.5F});
    Strokes more = strokes;
    more.dabs.push_back({at->position[900], 1.7F, 1, 0.4F});
    compareMasks(*makePaintedMask(strokes, {}), *makePaintedMask(more, {}), *at, {at->position[900]}, 1.7F);
  }

  void patches_data() {
    QTest::addColumn<QString>("kind");
    QTest::newRow("keep in") << "keep-in";
    QTest::newRow("keep out") << "keep-out";
  }
  void patches() {
    QFETCH(QString, kind);
    const PointsPtr points = sown(8);
    Points large = *sown(0.1);
    large.footprint = Column<float>(2.0F);
    const PointsPtr patches = shared(std::move(large));
    QVERIFY(patches->count > kOne);
    const PointsPtr moved = withOneMoved(patches);
    const ParamMap params{{"raggedness", 40.0}, {"from_above", true}};
    const auto kept = [&](const PointsPtr& of) {
      test::Bench bench;
      return placesById(*bench.points(kind.toStdString(), test::inputs({{"points", points}, {"patches", of}}), params));
    };
    const auto a = kept(patches);
    const auto b = kept(moved);
    std::size_t changed = 0;
    for (std::size_t i = 0; i < points->count; ++i) {
      if (a.contains(points->id[i]) == b.contains(points->id[i])) continue;
      ++changed;
      const auto away = [&](const Vec3& e) {
        return glm::length(Vec2(points->position[i].x - e.x, points->position[i].z - e.z));
      };
      QVERIFY(std::min(away(patches->position[kOne]), away(moved->position[kOne])) <=
              2.0F * 1.4F + 1e-3F);  // the radius and its raggedness
    }
    QVERIFY(changed > 5);
  }

  // Without a least separation, a parent that goes takes its own members and moves no other.
  void aParentTakesOnlyItsOwnMembers() {
    const PointsPtr parents = sown(0.3);
    Array<std::uint32_t> rest;
    for (std::uint32_t i = 0; i < parents->count; ++i)
      if (i != kOne) rest.push_back(i);
    const auto members = [&](const PointsPtr& of) {
      test::Bench bench;
      return bench.points("clumps", test::inputs({{"parents", of}}),
                          {{"count", 12.0}, {"radius", 1.5}, {"separation", 0.0}});
    };
    const PointsPtr all = members(parents);
    const auto without = placesById(*members(shared(gathered(*parents, rest))));
    const auto& parent = *columnOf<Column<std::uint64_t>>(all->attributes, "parent");
    std::size_t gone = 0;
    for (std::size_t i = 0; i < all->count; ++i) {
      const auto it = without.find(all->id[i]);
      QCOMPARE(it == without.end(), parent[i] == parents->id[kOne]);
      gone += it == without.end();
      if (it != without.end()) QVERIFY(it->second == all->position[i]);
    }
    QVERIFY(gone > 3);
    QCOMPARE(without.size() + gone, all->count);
  }
};

QTEST_GUILESS_MAIN(TestLocality)
#include "tst_locality.moc"
