// Massing: what stands for a heavy prop keeps its box, its color and about its volume, and never more triangles than it
// may have or the prop has.
#include "core/geometry/prop.h"
#include "core/geometry/shapes.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;

namespace {

/// The volume within a closed surface: the sum of its tetrahedra to the origin.
double volumeOf(const Surface& s) {
  double sum = 0;
  for (const UVec3& t : s.triangles)
    sum += static_cast<double>(glm::dot(s.positions[t.x], glm::cross(s.positions[t.y], s.positions[t.z]))) / 6;
  return sum;
}

/// Vertices apart at every face, as files with flat shading or seams have them.
Surface torn(const Surface& from) {
  Surface s;
  for (const UVec3& t : from.triangles) {
    const auto first = static_cast<std::uint32_t>(s.positions.size());
    for (int k = 0; k < 3; ++k) {
      s.positions.edit().push_back(from.positions[t[k]]);
      s.normals.edit().push_back(from.normals.empty() ? kUp : from.normals[t[k]]);
    }
    s.triangles.edit().push_back({first, first + 1, first + 2});
  }
  s.parts = from.parts;
  return s;
}

SurfacePtr massing(const Surface& surface, bool isBox, int triangles) {
  const auto prop = makeProp("p", "p", std::make_shared<const Surface>(surface));
  prop->massing = {nullptr, isBox, triangles, false};
  return massingOf(*prop);
}

std::vector<std::pair<const char*, Surface>> shapes() {
  return {{"ball", makeBall(1, 48)},
          {"torus", makeTorus(2, 0.7F, 48)},
          {"cylinder", makeCylinder(0.5F, 3, 64)},
          {"a torn ball", torn(makeBall(1, 48))},
          {"one far from the pivot", transformed(makeBall(1, 40), {30, 5, -12}, Quat(1, 0, 0, 0), 2)},
          {"a tiny one", transformed(makeBall(1, 40), Vec3(0), Quat(1, 0, 0, 0), 0.002F)}};
}

}  // namespace

class TestMassing : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void aBoxIsTheBox() {
    for (const auto& [name, shape] : shapes()) {
      const SurfacePtr box = massing(shape, true, 300);
      QCOMPARE(box->faceCount(), std::size_t{12});
      const Box3 own = shape.bounds();
      const Box3 its = box->bounds();
      const float grain = 2e-3F + 1e-4F * glm::length(own.extent());
      QVERIFY2(glm::distance(own.min, its.min) < grain && glm::distance(own.max, its.max) < grain, name);
      QVERIFY2(volumeOf(*box) > 0, name);  // faces look outwards
    }
  }

  /// Two colors, one with three times the area: the box has their mean by area.
  void aBoxHasTheMeanColor() {
    Surface s = makePlane(2, 2, 2);
    s.materials.resize(2);
    s.materials[0].baseColor = Vec4(1, 0, 0, 1);
    s.materials[1].baseColor = Vec4(0, 0, 1, 1);
    for (std::size_t f = 0; f < s.faceCount(); ++f) s.faceMaterials.edit().push_back(f < s.faceCount() / 4 ? 1 : 0);
    const Vec4 mean = massing(s, true, 300)->materialOf(0).baseColor;
    QVERIFY(test::within(static_cast<double>(mean.r), 0.75, 1e-4) &&
            test::within(static_cast<double>(mean.b), 0.25, 1e-4));
  }

  void simplifiedKeepsTheShape_data() {
    QTest::addColumn<int>("triangles");
    for (const int n : {60, 300, 1000}) QTest::addRow("%d triangles", n) << n;
  }
  void simplifiedKeepsTheShape() {
    QFETCH(int, triangles);
    for (const auto& [name, shape] : shapes()) {
      const SurfacePtr made = massing(shape, false, triangles);
      QVERIFY2(made->faceCount() <= static_cast<std::size_t>(triangles) * 3 / 2 && made->faceCount() >= 4, name);
      for (const UVec3& t : made->triangles)
        QVERIFY(std::max({t.x, t.y, t.z}) < made->positions.size() && t.x != t.y && t.y != t.z && t.x != t.z);
      // No vertex is made up, so nothing reaches out of the prop.
      const Box3 own = shape.bounds();
      for (const Vec3& p : made->positions)
        QVERIFY2(glm::all(glm::greaterThanEqual(p, own.min)) && glm::all(glm::lessThanEqual(p, own.max)), name);
      if (triangles >= 300) {
        const double volume = volumeOf(shape);
        QVERIFY2(test::within(volumeOf(*made), volume, 0, 0.12), name);
        QVERIFY2(glm::length(made->bounds().extent() - own.extent()) < 0.15F * glm::length(own.extent()), name);
      }
    }
  }

  /// What is light enough already stays as it is, material by material.
  void theLightStayAsTheyAre() {
    const Surface light = makeBox({1, 2, 3});
    const SurfacePtr same = massing(light, false, 300);
    QCOMPARE(same->faceCount(), light.faceCount());
    QCOMPARE(same->positions.size(), light.positions.size());
    Surface two = makeBall(1, 48);
    two.materials.resize(2);
    for (std::size_t f = 0; f < two.faceCount(); ++f) two.faceMaterials.edit().push_back(f % 7 == 0 ? 1 : 0);
    const SurfacePtr made = massing(two, false, 400);
    std::set<std::uint16_t> used(made->faceMaterials.begin(), made->faceMaterials.end());
    QCOMPARE(used.size(), std::size_t{2});
    QCOMPARE(made->faceMaterials.size(), made->faceCount());
  }

  /// Made once for each rule, and again for another.
  void eachRuleIsMadeOnce() {
    const auto prop = makeProp("p", "p", std::make_shared<const Surface>(makeBall(1, 48)));
    prop->massing = {nullptr, false, 200, false};
    const SurfacePtr first = massingOf(*prop);
    QCOMPARE(massingOf(*prop).get(), first.get());
    prop->massing.triangles = 500;
    QVERIFY(massingOf(*prop)->faceCount() > first->faceCount());
    prop->massing.triangles = 200;
    QCOMPARE(massingOf(*prop).get(), first.get());
  }
};

QTEST_GUILESS_MAIN(TestMassing)
#include "tst_massing.moc"
