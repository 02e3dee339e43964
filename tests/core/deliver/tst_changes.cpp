// Where states differ, and whether the camera that is chosen sees it.
#include "core/deliver/changes.h"
#include "tests/support/support.h"

using namespace arvesk;

class TestChanges : public QObject {
  Q_OBJECT

  static PictureLayer layer(Points points, const char* source) {
    return {std::make_shared<const Points>(std::move(points)), false, source};
  }

 private Q_SLOTS:
  void whatDiffersIsFound() {
    const Points some = test::randomPoints(500, {20, 2, 20}, 0.1F, 0.4F, 3);
    const std::vector<PictureLayer> before{layer(some, "a"), layer(some, "b")};
    QVERIFY(changedPlaces(before, before).empty());
    QVERIFY(changedPlaces(before, {layer(some, "a"), layer(some, "b")}).empty());

    Points moved = some;
    Array<Vec3> places(some.count);
    for (std::size_t i = 0; i < some.count; ++i) places[i] = some.position[i] + Vec3(i == 7 ? 1 : 0, 0, 0);
    const Vec3 to = places[7];
    moved.position = std::move(places);
    const auto one = changedPlaces(before, {layer(some, "a"), layer(moved, "b")});
    QCOMPARE(one, std::vector<Vec3>{to});

    Array<std::uint32_t> most;
    for (std::uint32_t i = 3; i < 500; ++i) most.push_back(i);
    const Points fewer = gathered(some, most);
    const auto gone = changedPlaces(before, {layer(fewer, "a"), layer(some, "b")});
    const auto come = changedPlaces({layer(fewer, "a"), before[1]}, before);
    QCOMPARE(gone.size(), std::size_t{3});
    QCOMPARE(come.size(), std::size_t{3});
    QCOMPARE(changedPlaces(before, {before[0]}).size(), std::size_t{500});
    QCOMPARE(changedPlaces({before[0]}, before).size(), std::size_t{500});
  }

  /// Clouds of places anywhere, near and wide: the camera stays when it sees them, and sees most of them when it does
  /// not.
  void theCameraSeesTheChanges() {
    int kept = 0;
    int turned = 0;
    for (std::uint64_t seed = 0; seed < 200; ++seed) {
      const Draw draw(seed, 1, 2, "changes");
      Camera camera;
      camera.eye = {draw.between(1, -40, 40), draw.between(2, 1, 20), draw.between(3, -40, 40)};
      camera.target = {draw.between(4, -10, 10), 0, draw.between(5, -10, 10)};
      const Vec3 middle(draw.between(6, -60, 60), 0, draw.between(7, -60, 60));
      const float wide = draw.between(8, 0.0F, 25.0F);
      std::vector<Vec3> places;
      for (std::uint64_t i = 0; i < 300; ++i)
        places.push_back(middle + wide * Vec3(draw.between(100 + i, -1, 1), 0.1F * draw.between(500 + i, -1, 1),
                                              draw.between(900 + i, -1, 1)));
      const float aspect = draw.between(9, 0.7F, 2.2F);
      const auto seenBy = [&](const Camera& c) {
        const int width = static_cast<int>(600 * aspect);
        return std::count_if(places.begin(), places.end(), [&](const Vec3& p) {
          const Vec3 at = c.projected(p, width, 600);
          return at.z > 0 && at.x >= 0 && at.y >= 0 && at.x < static_cast<float>(width) && at.y < 600;
        });
      };
      const Camera chosen = cameraOn(places, camera, aspect);
      if (chosen == camera) {
        ++kept;
        QVERIFY(seenBy(camera) >= 110);
      } else {
        ++turned;
        QVERIFY2(seenBy(chosen) >= 240, qPrintable(QStringLiteral("seed %1: %2").arg(seed).arg(seenBy(chosen))));
      }
    }
    QVERIFY(kept > 10 && turned > 10);
    QVERIFY(cameraOn({}, Camera{}, 1) == Camera{});
  }
};

QTEST_GUILESS_MAIN(TestChanges)
#include "tst_changes.moc"
