// Shapes against closed forms, attributes and points as shared columns, pictures.
#include "core/geometry/image.h"
#include "core/spatial/surface_index.h"
#include "tests/support/support.h"

using namespace arvesk;
using test::within;

class TestGeometry : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void shapesHaveTheAreaOfTheirFormula_data() {
    QTest::addColumn<int>("shape");
    QTest::addColumn<double>("area");
    QTest::addColumn<double>("tolerance");  // relative: how far a polyhedron with these divisions stays below
    QTest::newRow("plane 4 x 6") << 0 << 24.0 << 1e-6;
    QTest::newRow("box 2 x 3 x 4") << 1 << 52.0 << 1e-6;
    QTest::newRow("ball of radius 2") << 2 << 4 * M_PI * 4 << 2e-3;
    QTest::newRow("cylinder of radius 1, height 3") << 3 << 2 * M_PI * 1 * 3 + 2 * M_PI << 2e-3;
    QTest::newRow("torus 3, 1") << 4 << 4 * M_PI * M_PI * 3 * 1 << 2e-3;
  }
  void shapesHaveTheAreaOfTheirFormula() {
    QFETCH(int, shape);
    QFETCH(double, area);
    QFETCH(double, tolerance);
    const std::array<Surface, 5> shapes{makePlane(4, 6, 7), makeBox({2, 3, 4}), makeBall(2, 64), makeCylinder(1, 3, 96),
                                        makeTorus(3, 1, 64)};
    const Surface& s = shapes[static_cast<std::size_t>(shape)];
    QVERIFY(checkSurface(s));
    QVERIFY(within(areaTableOf(s)->total, area, 0, tolerance));
    for (std::size_t f = 0; f < s.faceCount(); ++f) {
      QVERIFY(s.faceArea(f) > 0);
      // Faces look the way their vertices' normals do, so insides and outsides are not mixed up.
      QVERIFY(glm::dot(s.faceNormal(f), s.normalAt(f, {0.33F, 0.33F})) > 0.5F);
    }
    QVERIFY(areaTableOf(s)->totalAbove <= areaTableOf(s)->total + 1e-6);
  }

  void closedShapesEncloseTheVolumeOfTheirFormula() {
    const auto volume = [](const Surface& s) {  // divergence theorem
      double sum = 0;
      for (const UVec3& t : s.triangles)
        sum += static_cast<double>(glm::dot(s.positions[t.x], glm::cross(s.positions[t.y], s.positions[t.z]))) / 6;
      return sum;
    };
    QVERIFY(within(volume(makeBox({2, 3, 4})), 24, 1e-5));
    QVERIFY(within(volume(makeBall(2, 96)), 4.0 / 3 * M_PI * 8, 0, 2e-3));
    QVERIFY(within(volume(makeTorus(3, 1, 96)), 2 * M_PI * M_PI * 3, 0, 2e-3));
  }

  void splittingKeepsOrderAndSharesWhatDoesNotChange() {
    Points p = test::randomPoints(1000, Vec3(10), 0.1F, 0.2F, 3);
    p.attributes["wet"] = Column<float>(p.footprint);
    Array<std::uint8_t> keeps(p.count);
    for (std::size_t i = 0; i < p.count; ++i) keeps[i] = i % 3 == 0;
    const auto [kept, left] = split(p, keeps);
    QCOMPARE(kept->count + left->count, p.count);
    for (std::size_t i = 0; i < kept->count; ++i) {
      QCOMPARE(kept->id[i], p.id[i * 3]);
      QCOMPARE(std::get<Column<float>>(kept->attributes.at("wet"))[i], p.footprint[i * 3]);
    }
    QVERIFY(kept->orientation.isConstant());
    const Points copy = p;
    QCOMPARE(copy.position.identity(), p.position.identity());
    QVERIFY(!findFault(*kept));
  }

  void concatenatedAttributesAreUnited() {
    Attributes a{{"age", Column<float>(Array<float>{1, 2})}};
    Attributes b{
        {"kind", TextColumn{std::make_shared<const std::vector<std::string>>(std::vector<std::string>{"x", "y"}),
                            Column<std::uint32_t>(Array<std::uint32_t>{1})}}};
    const Attributes all = concatenated({{&a, 2}, {&b, 1}});
    QCOMPARE(std::get<Column<float>>(all.at("age"))[2], 0.0F);
    QCOMPARE(std::get<TextColumn>(all.at("kind")).at(0), std::string());
    QCOMPARE(std::get<TextColumn>(all.at("kind")).at(2), std::string("y"));
  }

  void imagesAreSampledBetweenPixelCenters() {
    Image image{2, 1, 1, 16, {0, 1}, {}};
    QCOMPARE(image.sampled(0.25F, 0.5F, 0), 0.0F);
    QCOMPARE(image.sampled(0.75F, 0.5F, 0), 1.0F);
    QCOMPARE(image.sampled(0.5F, 0.5F, 0), 0.5F);
    QCOMPARE(image.sampled(-3, 0.5F, 0), 0.0F);
  }

  void blurKeepsTheSumInside() {
    Image image{41, 41, 1, 16, Array<float>(41 * 41, 0.0F), {}};
    image.values[20 * 41 + 20] = 1;
    const Image soft = blurred(image, 3);
    double sum = 0;
    for (const float v : soft.values) sum += static_cast<double>(v);
    QVERIFY(within(sum, 1, 1e-5));
    QVERIFY(soft.at(20, 20, 0) > soft.at(23, 20, 0) && soft.at(23, 20, 0) > soft.at(28, 20, 0));
  }

  // IEC 61966-2-1 gives 0.0031308 as the border of the linear part and 0.21404 for half gray.
  void srgbMatchesTheStandard() {
    QVERIFY(within(static_cast<double>(linearFromSrgb(0.5F)), 0.214041, 1e-5));
    for (float v = 0; v <= 1; v += 0.01F)
      QVERIFY(within(static_cast<double>(srgbFromLinear(linearFromSrgb(v))), static_cast<double>(v), 2e-6));
  }

  void brokenSurfacesAreRefused() {
    Surface s = makePlane(1, 1, 1);
    s.triangles.edit()[0].x = 99;
    QCOMPARE(checkSurface(s).error().code, ProblemCode::FileUnreadable);
    s = makePlane(1, 1, 1);
    s.positions.edit()[2].z = std::numeric_limits<float>::infinity();
    QVERIFY(!checkSurface(s));
    QVERIFY(!SurfaceIndex::of(s));
  }
};

QTEST_GUILESS_MAIN(TestGeometry)
#include "tst_geometry.moc"
