// Values of a prop's vertices: what they measure by loops over everything, where they are written, and kept as a file.
#include "core/formats/exporter.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/prop_file.h"
#include "core/plan/prop_making.h"
#include "core/plan/prop_values.h"
#include "tests/support/plans.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;

namespace {

ValueEntry valueOf(std::string name, ValueBy by, double zeroAt, double oneAt) {
  ValueEntry v;
  v.name = std::move(name);
  v.by = by;
  v.zeroAt = zeroAt;
  v.oneAt = oneAt;
  return v;
}

float ramp(const ValueEntry& v, double measured) {
  return static_cast<float>(std::clamp((measured - v.zeroAt) / (v.oneAt - v.zeroAt), 0.0, 1.0));
}

float distanceToSegment(const Vec3& p, const Vec3& a, const Vec3& b) {
  const float t = std::clamp(glm::dot(p - a, b - a) / glm::dot(b - a, b - a), 0.0F, 1.0F);
  return glm::distance(p, a + t * (b - a));
}

const Column<float>& numbersOf(const Surface& s, const std::string& name) {
  return *columnOf<Column<float>>(s.vertexAttributes, name);
}

/// A step of two treads, each a grid: open all round, one edge where they meet at 90°, and one below at 90° too.
Surface stair() {
  Surface out = makePlane(2, 1, 8);
  const Surface riser = transformed(makePlane(2, 1, 8), Vec3(0, -0.5F, 0.5F), glm::angleAxis(kPi / 2, Vec3(1, 0, 0)),
                                    1);
  const auto base = static_cast<std::uint32_t>(out.positions.size());
  for (const Vec3& p : riser.positions) out.positions.edit().push_back(p);
  for (const Vec3& n : riser.normals) out.normals.edit().push_back(n);
  for (const Vec2& uv : riser.uvs) out.uvs.edit().push_back(uv);
  for (const UVec3& t : riser.triangles) out.triangles.edit().push_back(t + base);
  return out;
}

}  // namespace

class TestPropValues : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void theyMeasureWhatTheySay() {
    for (const Surface& shape : {makeBall(0.7F, 14), makeTorus(1, 0.3F, 10), stair(), makeBox({1, 2, 0.5F})}) {
      Surface s = shape;
      const Box3 box = s.bounds();
      ValueEntry facing = valueOf("facing", ValueBy::Facing, 120, 20);
      facing.direction = {3, 4, 0};  // of any length
      const std::vector<ValueEntry> all{valueOf("height", ValueBy::Height, -0.5, 1),
                                        valueOf("share", ValueBy::HeightShare, 0, 1), facing,
                                        valueOf("pivot", ValueBy::PivotDistance, 1.2, 0.2)};
      std::vector<Problem> warnings;
      addValues(s, all, warnings, {});
      QVERIFY(warnings.empty());
      QVERIFY(checkSurface(s));
      for (std::size_t i = 0; i < s.positions.size(); ++i) {
        const Vec3 p = s.positions[i];
        const auto is = [&](const ValueEntry& v, double measured) {
          return std::abs(numbersOf(s, v.name)[i] - ramp(v, measured)) < 2e-4F;
        };
        QVERIFY(is(all[0], static_cast<double>(p.y)));
        QVERIFY(is(all[1], static_cast<double>((p.y - box.min.y) / box.extent().y)));
        QVERIFY(is(all[2], static_cast<double>(degrees(angleBetween(s.normals[i], Vec3(0.6F, 0.8F, 0))))));
        QVERIFY(is(all[3], static_cast<double>(glm::length(p))));
      }
    }
  }

  /// The stair's edges by hand: open ones, and the one where tread and riser meet, unless a larger angle is asked for.
  /// One face turned round is the same edge.
  void edgesAreOpenOnesAndSharpOnes() {
    for (const double angle : {30.0, 120.0})
      for (const bool isTurned : {false, true}) {
        Surface s = stair();
        if (isTurned)
          for (std::size_t f = s.faceCount() / 2; f < s.faceCount(); ++f)
            std::swap(s.triangles.edit()[f].y, s.triangles.edit()[f].z);
        ValueEntry edge = valueOf("edge", ValueBy::EdgeDistance, 0.4, 0);
        edge.edgeDeg = angle;
        std::vector<Problem> warnings;
        addValues(s, {edge}, warnings, {});
        std::vector<std::pair<Vec3, Vec3>> edges;
        for (const float x : {-1.0F, 1.0F}) {
          edges.push_back({{x, 0, -0.5F}, {x, 0, 0.5F}});
          edges.push_back({{x, 0, 0.5F}, {x, -1, 0.5F}});
        }
        edges.push_back({{-1, 0, -0.5F}, {1, 0, -0.5F}});
        edges.push_back({{-1, -1, 0.5F}, {1, -1, 0.5F}});
        if (angle < 90) edges.push_back({{-1, 0, 0.5F}, {1, 0, 0.5F}});
        for (std::size_t i = 0; i < s.positions.size(); ++i) {
          float d = 1e9F;
          for (const auto& [a, b] : edges) d = std::min(d, distanceToSegment(s.positions[i], a, b));
          QVERIFY2(std::abs(numbersOf(s, "edge")[i] - ramp(edge, static_cast<double>(d))) < 1e-4F,
                   qPrintable(QStringLiteral("%1° at %2").arg(angle).arg(i)));
        }
      }
    Surface ball = makeBall(1, 40);
    std::vector<Problem> warnings;
    addValues(ball, {valueOf("edge", ValueBy::EdgeDistance, 0.1, 0)}, warnings, {});
    QCOMPARE(warnings.size(), 1U);  // there is none, which is told
    for (std::size_t i = 0; i < ball.positions.size(); ++i) QCOMPARE(numbersOf(ball, "edge")[i], 0.0F);
  }

  /// A plane is open and flat; the inside of a torus is neither, its outside is open.
  void hollowsAndOpenness() {
    ValueEntry open = valueOf("open", ValueBy::Openness, 0, 1);
    ValueEntry hollow = valueOf("hollow", ValueBy::Hollows, 0, 0.2);
    ValueEntry ridge = valueOf("ridge", ValueBy::Hollows, 0, -0.2);
    open.reach = 3;
    hollow.reach = ridge.reach = 0.3;
    std::vector<Problem> warnings;
    Surface plane = makePlane(2, 2, 10);
    addValues(plane, {open, hollow}, warnings, {});
    const ValueSpan span = *spanOf(plane, numbersOf(plane, "open"));
    QVERIFY(span.least == 1 && span.most == 1 && span.mean == 1);
    QVERIFY(spanOf(plane, numbersOf(plane, "hollow"))->most < 1e-4F);
    Surface ring = makeTorus(1, 0.4F, 16);
    addValues(ring, {open, ridge}, warnings, {});
    QVERIFY(warnings.empty());
    double inner = 0, outer = 0, innerRidge = 0, outerRidge = 0;
    for (std::size_t i = 0; i < ring.positions.size(); ++i) {
      const Vec3 p = ring.positions[i];
      const bool isInner = std::hypot(p.x, p.z) < 0.7F;
      if (!isInner && std::hypot(p.x, p.z) < 1.35F) continue;
      (isInner ? inner : outer) = std::max(isInner ? inner : outer,
                                           static_cast<double>(1 - numbersOf(ring, "open")[i]));
      (isInner ? innerRidge : outerRidge) += static_cast<double>(numbersOf(ring, "ridge")[i]);
    }
    QVERIFY2(inner > 0.1 && outer < 0.02, qPrintable(QStringLiteral("%1 %2").arg(inner).arg(outer)));
    QVERIFY(outerRidge > innerRidge);  // it bends both ways outside
  }

  void colorsByChannelAndWhatCannotBe() {
    Surface s = makeBall(1, 8);
    ValueEntry red = valueOf({}, ValueBy::HeightShare, 0, 1);
    red.into = ValueInto::Red;
    ValueEntry alpha = valueOf({}, ValueBy::HeightShare, 1, 0);
    alpha.into = ValueInto::Alpha;
    std::vector<Problem> warnings;
    addValues(s, {red, alpha}, warnings, {});
    QVERIFY(warnings.empty());
    const float share = (s.positions[5].y + 1) / 2;
    QVERIFY(glm::distance(s.colors[5], Vec4(share, 1, 1, 1 - share)) < 1e-5F);
    QCOMPARE(channelOf(s, 3)[5], s.colors[5].a);
    // Gray takes the three and leaves alpha; that it hides red is told. So are names: none, twice, the file's own.
    ValueEntry gray = valueOf({}, ValueBy::HeightShare, 0.5, 0.5);  // a step
    gray.into = ValueInto::Gray;
    s.vertexAttributes["wear"] = Column<float>(Array<float>(s.positions.size(), 0.25F));
    addValues(s,
              {red, gray, valueOf({}, ValueBy::Height, 0, 1), valueOf("wear", ValueBy::Height, 0, 1),
               valueOf("twice", ValueBy::Height, 0, 1), valueOf("twice", ValueBy::Height, 1, 0)},
              warnings, {});
    QCOMPARE(warnings.size(), 4U);
    QCOMPARE(s.vertexAttributes.size(), 2U);
    for (std::size_t i = 0; i < s.positions.size(); ++i) {
      QVERIFY(s.colors[i].r == s.colors[i].b && s.colors[i].r == (s.positions[i].y >= 0 ? 1.0F : 0.0F));
      QCOMPARE(numbersOf(s, "twice")[i], std::clamp(1 - s.positions[i].y, 0.0F, 1.0F));
    }
  }

  /// Turned, sized, moved, of several parts with a mount point: made from the kept file by the same settings, the prop
  /// is the same, and has the values. Names that a format makes alike stay two.
  void keptAsAFileItIsTheSameProp() {
    QTemporaryDir dir;
    const auto at = [&](const char* name) { return dir.filePath(QLatin1String(name)).toStdString(); };
    const auto ball = std::make_shared<const Surface>(makeBall(40, 9));
    const auto box = std::make_shared<const Surface>(makeBox({30, 90, 20}));
    QVERIFY(exporters::glbOf({{"head", ball, {10, 120, 5}}, {"post", box}, {"mount_top", nullptr, {0, 150, 0}}},
                             at("in.glb")));
    std::vector<Problem> warnings;
    const auto file = readMesh(at("in.glb"), warnings);
    QVERIFY(file);
    PropEntry entry;
    entry.uid = "p";
    entry.name = "post with a ball";
    entry.unitScale = 0.01;
    entry.isZUp = true;
    entry.pivot = PivotAt::BaseCenter;
    entry.commonHeight = 3;
    entry.size = 1.5;
    entry.turnDeg = {20, 40, 10};
    entry.values = {valueOf("wind lean", ValueBy::HeightShare, 0.2, 1),
                    valueOf("wind-lean", ValueBy::PivotDistance, 0, 2)};
    ValueEntry green = valueOf({}, ValueBy::Facing, 90, 0);
    green.into = ValueInto::Green;
    entry.values.push_back(green);
    const auto prop = makePlanProp(entry, *file, nullptr, &warnings);
    QVERIFY(prop);
    QVERIFY(writePropFile(**prop, at("kept.glb")));
    const auto kept = readMesh(at("kept.glb"), warnings);
    QVERIFY(kept);
    QVERIFY(warnings.empty());
    entry.unitScale = 1;
    entry.isZUp = false;
    entry.values.clear();
    const auto again = makePlanProp(entry, *kept);
    QVERIFY(again);
    const Surface& a = *(*prop)->surface;
    const Surface& b = *(*again)->surface;
    QCOMPARE(b.parts, a.parts);
    QCOMPARE(b.faceCount(), a.faceCount());
    QCOMPARE((*again)->mounts.size(), (*prop)->mounts.size());
    QVERIFY(glm::distance((*again)->mounts[0].position, (*prop)->mounts[0].position) < 1e-4F);
    QCOMPARE(b.vertexAttributes.size(), 2U);
    const auto values = [](const Surface& s, std::size_t v) {
      auto it = s.vertexAttributes.begin();
      const float first = std::get<Column<float>>(it->second)[v];
      return Vec3(first, std::get<Column<float>>((++it)->second)[v], s.colors[v].g);
    };
    for (std::size_t f = 0; f < a.faceCount(); ++f)
      for (int c = 0; c < 3; ++c) {
        const auto i = a.triangles[f][c];
        const auto j = b.triangles[f][c];
        QVERIFY(glm::distance(a.positions[i], b.positions[j]) < 1e-4F);
        QVERIFY(glm::distance(a.normals[i], b.normals[j]) < 1e-3F);
        QVERIFY(glm::distance(values(a, i), values(b, j)) < 1e-5F);
      }
  }
};

QTEST_GUILESS_MAIN(TestPropValues)
#include "tst_prop_values.moc"
