// Handing over: every format holds the same placements, pictures from above add up, the Schedule counts right, and the
// check of what stands finds what was planted.
#include "core/deliver/delivery.h"
#include "core/deliver/map_picture.h"
#include "core/deliver/schedule.h"
#include "core/deliver/standing.h"
#include "core/formats/exporter.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/plan_file.h"
#include "core/props/baked.h"
#include "tests/support/support.h"

#include <QFile>
#include <QJsonDocument>
#include <QJsonObject>
#include <QRegularExpression>
#include <set>

using namespace arvesk;

namespace {

PointsPtr placed(double density = 3) {
  test::Bench bench;
  const PointsPtr sown = bench.points("sow-on-surface", test::inputs({{"surface", test::hills(24, 20, 3)}}),
                                      {{"density", density}});
  const PointsPtr turned = bench.points("orient", test::inputs({{"points", sown}}), {{"mode", std::string("any-way")}});
  const PointsPtr varied = bench.points("vary", test::inputs({{"points", turned}}),
                                        {{"size_by", std::string("per-axis")},
                                         {"size_x", std::vector<double>{0.5, 2}},
                                         {"size_z", std::vector<double>{0.5, 2}},
                                         {"hue", std::vector<double>{-20, 20}}});
  return bench.points("dress", test::inputs({{"points", varied}, {"kit", test::someKit()}}));
}

Box3 boundsOf(const Surface& s) {
  Box3 box;
  for (const UVec3& t : s.triangles)
    for (int k = 0; k < 3; ++k) box.add(s.positions[t[k]]);
  return box;
}

QString contentOf(const QString& path) {
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

}  // namespace

class TestDelivery : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::string at(const char* name) { return m_dir.filePath(QString::fromLatin1(name)).toStdString(); }

 private Q_SLOTS:
  void plainNodesHoldEveryTransform() {
    const PointsPtr points = placed();
    ExportOptions how;
    how.gltfWay = GltfWay::Nodes;
    for (const char* name : {"nodes.glb", "nodes.gltf"}) {
      const auto report = exportLayers({{"Rocks", points, nullptr}, {"Deck", nullptr, test::plane(3, 1)}}, at(name),
                                       how, {});
      QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
      const auto nodes = readGltfInstances(at(name));
      QVERIFY2(nodes, nodes ? "" : toLine(nodes.error()).c_str());
      QCOMPARE(nodes->size(), points->count + 1);
      std::set<std::string> names;
      std::size_t k = 0;
      for (std::int32_t prop = 0; prop < 3; ++prop)  // grouped by prop, each in the order of the points
        for (std::size_t i = 0; i < points->count; ++i) {
          if (points->prop[i] != prop) continue;
          const GltfInstance& n = (*nodes)[k++];
          names.insert(n.node);
          QVERIFY(glm::distance(n.position, points->position[i]) < 1e-5F);
          QVERIFY(glm::distance(n.size, points->size[i]) < 1e-5F);
          QVERIFY(std::abs(glm::dot(n.turn, points->orientation[i])) > 1 - 1e-5F);
        }
      QCOMPARE(names.size(), points->count);
    }
  }

  void realGeometryIsWhatBakingGives_data() {
    QTest::addColumn<QString>("name");
    QTest::newRow("glb") << "mesh.glb";
    QTest::newRow("gltf") << "mesh.gltf";
    QTest::newRow("obj") << "mesh.obj";
  }
  void realGeometryIsWhatBakingGives() {
    QFETCH(QString, name);
    const PointsPtr points = placed(0.6);
    ExportOptions how;
    how.gltfWay = GltfWay::Mesh;
    const std::string path = at(qPrintable(name));
    const auto report = exportLayers({{"Rocks", points, nullptr}}, path, how, {});
    QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
    std::vector<Problem> warnings;
    const auto back = readMesh(path, warnings);
    QVERIFY2(back, back ? "" : toLine(back.error()).c_str());
    const auto mesh = baked(*points, false, 1'000'000, {});
    QCOMPARE(back->faceCount(), mesh->faceCount());
    QCOMPARE(report->triangles, static_cast<std::uint64_t>(mesh->faceCount()));
    const Box3 a = boundsOf(*back);
    const Box3 b = boundsOf(*mesh);
    QVERIFY(glm::distance(a.min, b.min) < 1e-4F && glm::distance(a.max, b.max) < 1e-4F);
    double areaBack = 0;
    double areaMesh = 0;
    for (std::size_t f = 0; f < mesh->faceCount(); ++f) {
      areaBack += static_cast<double>(back->faceArea(f));
      areaMesh += static_cast<double>(mesh->faceArea(f));
    }
    QVERIFY(test::within(areaBack, areaMesh, 0, 1e-4));
    for (std::size_t f = 0; f < back->faceCount(); f += 13)
      QVERIFY(glm::dot(back->faceNormal(f), back->normalAt(f, {0.3F, 0.3F})) > 0);
    how.mostTriangles = 10;
    QCOMPARE(exportLayers({{"Rocks", points, nullptr}}, path, how, {}).error().code, ProblemCode::TooMany);
  }

  void usdRefersToPropFilesOrHoldsThem() {
    const PointsPtr points = placed(1);
    ExportOptions how;
    how.attributes = {"*"};
    const auto inside = exportLayers({{"Rocks", points, nullptr}}, at("inside.usda"), how, {});
    QCOMPARE(inside->files.size(), std::size_t{1});
    how.usdPrototypes = UsdPrototypes::Files;
    const auto beside = exportLayers({{"Rocks", points, nullptr}}, at("beside.usda"), how, {});
    QCOMPARE(beside->files.size(), std::size_t{4});
    for (const std::string& file : beside->files) QVERIFY(QFile::exists(QString::fromStdString(file)));
    for (const char* name : {"inside.usda", "beside.usda"}) {
      const QString text = contentOf(m_dir.filePath(QString::fromLatin1(name)));
      const auto numbers = [&](const QString& head) {
        return QRegularExpression(QRegularExpression::escape(head) + QStringLiteral(" = \\[([^\\]]*)\\]"))
            .match(text)
            .captured(1);
      };
      QCOMPARE(numbers(QStringLiteral("int[] protoIndices")).count(QLatin1Char(',')) + 1,
               static_cast<qsizetype>(points->count));
      QCOMPARE(numbers(QStringLiteral("float3[] primvars:tint")).count(QLatin1Char('(')),
               static_cast<qsizetype>(points->count));
      QCOMPARE(text.count(QLatin1Char('{')), text.count(QLatin1Char('}')));
      QCOMPARE(text.contains(QRegularExpression(
                   QStringLiteral("prepend references = @\\./beside_files/crate-[0-9a-f]{16}\\.usda@"))),
               QString::fromLatin1(name) == QStringLiteral("beside.usda"));
    }
  }

  void plyReadsBackWithItsAttributes() {
    const PointsPtr points = placed();
    ExportOptions how;
    how.attributes = {"*"};
    QVERIFY(exportLayers({{"Rocks", points, nullptr}}, at("points.ply"), how, {}));
    test::Bench bench;
    bench.files = std::make_shared<DiskFileService>(m_dir.path().toStdString());
    bench.ctx.files = bench.files.get();
    const PointsPtr back = bench.points("point-file", {}, {{"file", std::string("points.ply")}, {"id", std::string()}});
    QCOMPARE(back->count, points->count);
    const auto& tint = *columnOf<Column<float>>(back->attributes, "tint_x");
    const auto& prop = *columnOf<Column<float>>(back->attributes, "prop");
    for (std::size_t i = 0; i < back->count; ++i) {
      QCOMPARE(back->position[i], points->position[i]);
      QVERIFY(std::abs(glm::dot(back->orientation[i], points->orientation[i])) > 1 - 1e-5F);
      QVERIFY(glm::distance(back->size[i], points->size[i]) < 1e-6F);
      QCOMPARE(tint[i], (*columnOf<Column<Vec3>>(points->attributes, "tint"))[i].x);
      QCOMPARE(prop[i], static_cast<float>(points->prop[i]));
    }
  }

  void instancesCarryChosenAttributes() {
    const PointsPtr points = placed(1);
    ExportOptions how;
    how.attributes = {"tint"};
    QVERIFY(exportLayers({{"Rocks", points, nullptr}}, at("tinted.gltf"), how, {}));
    const QJsonObject root =
        QJsonDocument::fromJson(contentOf(m_dir.filePath(QStringLiteral("tinted.gltf"))).toUtf8()).object();
    const auto attributes = root[QStringLiteral("nodes")][0][QStringLiteral("extensions")]
                                [QStringLiteral("EXT_mesh_gpu_instancing")][QStringLiteral("attributes")]
                                    .toObject();
    QVERIFY(attributes.contains(QStringLiteral("_TINT")) && attributes.contains(QStringLiteral("_ID")));
  }

  void aMillionPlacementsAreStreamed() {
    Points many = test::randomPoints(1'000'000, Vec3(1000, 10, 1000), 0.1F, 0.2F, 4);
    many.kit = test::someKit();
    many.prop = Column<std::int32_t>(0);
    const auto points = std::make_shared<const Points>(std::move(many));
    const auto memory = [] {
      QFile status(QStringLiteral("/proc/self/status"));
      if (!status.open(QIODevice::ReadOnly)) return 0.0;
      return QRegularExpression(QStringLiteral("VmHWM:\\s+(\\d+)"))
                 .match(QString::fromLatin1(status.readAll()))
                 .captured(1)
                 .toDouble() /
             1024;
    };
    for (const char* name : {"many.glb", "many.csv", "many.ply"}) {
      const double before = memory();
      const auto report = exportLayers({{"All", points, nullptr}}, at(name), {}, {});
      QVERIFY(report);
      QCOMPARE(report->placements, std::size_t{1'000'000});
      // 52 bytes per placement as written; a second copy would show. What grows is the list of indices and a block to
      // write from.
      QVERIFY2(memory() - before < 24, qPrintable(QString::number(memory() - before)));
      QFile::remove(QString::fromStdString(at(name)));
    }
  }

  void coverAddsUpAndReadsBack() {
    const PointsPtr points = placed();
    const SurfacePtr ground = test::hills(24, 20, 3);
    const MapPicture cover = coverPicture({points}, {ground}, 0.5F, {});
    double sum = 0;
    for (const float v : cover.values) sum += static_cast<double>(v) * 0.25;
    QVERIFY(test::within(sum, static_cast<double>(points->count), 1e-3));
    DiskFileService files(m_dir.path().toStdString());
    for (const char* name : {"cover.exr", "cover.png"}) {
      QVERIFY(writeMapPicture(cover, at(name)));
      const auto image = files.image(name, {});  // by a library that knows both formats
      QVERIFY2(image, image ? "" : toLine(image.error()).c_str());
      QCOMPARE((*image)->width, cover.columns);
      QCOMPARE((*image)->height, cover.rows);
      const QJsonObject beside =
          QJsonDocument::fromJson(
              contentOf(m_dir.filePath(QString::fromLatin1(name)) + QStringLiteral(".json")).toUtf8())
              .object();
      QCOMPARE(beside[QStringLiteral("meters_per_pixel")].toDouble(), 0.5);
      const double white = beside.contains(QStringLiteral("white")) ? beside[QStringLiteral("white")].toDouble() : 1;
      for (std::size_t i = 0; i < cover.values.size(); ++i)
        QVERIFY(test::within(static_cast<double>((*image)->values[i]) * white, cover.values[i], white / 60000));
    }
    const auto slope = makeSlopeMask(ground, {0, 0, 10, 20}, {});
    const auto mask = maskPicture(*slope, ground, 0.5F, {});
    QVERIFY(mask);
    QVERIFY(*std::max_element(mask->values.begin(), mask->values.end()) > 0.9F);
    QCOMPARE(writeMapPicture(cover, at("cover.bmp")).error().code, ProblemCode::BadParameter);
  }

  void plantedFaultsAreFoundWorstFirst() {
    const SurfacePtr ground = test::hills(60, 40, 3);
    test::Bench bench;
    const PointsPtr sown = bench.points("sow-on-surface", test::inputs({{"surface", ground}}), {{"density", 1.0}});
    const PointsPtr good = bench.points("dress", test::inputs({{"points", sown}, {"kit", test::someKit()}}));
    Points p = *good;
    Array<Vec3> position = p.position.copied(p.count);
    const auto crateAt = [&](std::size_t from) {
      while (p.kit->entries[static_cast<std::size_t>(p.prop[from])].prop->name != "crate") ++from;
      return from;
    };
    const std::size_t high = crateAt(10);
    const std::size_t higher = crateAt(high + 1);
    const std::size_t deep = crateAt(higher + 1);
    position[high].y += 1.0F;
    position[higher].y += 3.0F;
    position[deep].y -= 2.0F;
    p.position = std::move(position);
    const StandingRule rule{0.15F, 0.95F};  // crates on slopes touch with a corner only
    const StandingReport before = checkStanding({good}, {ground}, rule, {});
    QCOMPARE(before.checked, good->count);
    const StandingReport after = checkStanding({std::make_shared<const Points>(p)}, {ground}, rule, {});
    QCOMPARE(after.faults.size(), before.faults.size() + 3);
    QCOMPARE(after.faults[0].point, static_cast<std::uint32_t>(higher));
    QCOMPARE(after.faults[1].point, static_cast<std::uint32_t>(deep));
    QVERIFY(after.faults[1].isBuried && !after.faults[0].isBuried);
    QVERIFY(std::any_of(after.faults.begin(), after.faults.end(), [&](const StandingFault& f) {
      return f.point == high && !f.isBuried && test::within(static_cast<double>(f.gap), 1, 0.2);
    }));
    // The same for one thread and two.
    StandingReport one;
    withThreads(1, [&] { one = checkStanding({std::make_shared<const Points>(p)}, {ground}, rule, {}); });
    for (std::size_t i = 0; i < one.faults.size(); ++i) QCOMPARE(one.faults[i].point, after.faults[i].point);
  }

  void scheduleCountsWhatTheOutputsHold() {
    const auto plan = loadPlan(test::sourcePath("demo/examples/where-and-why.arvesk").toStdString());
    QVERIFY(plan);
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/examples").toStdString()));
    EvalRequest request;
    request.quality = Quality::Draft;
    const Evaluation e = evaluator.evaluate(*plan, request);
    const Schedule schedule = scheduleOf(*plan, e, {});
    const PlanTotals totals = totalsOf(*plan, e);
    QVERIFY(schedule.count > 0);
    QCOMPARE(schedule.count, totals.placements);
    QCOMPARE(schedule.triangles, totals.triangles);
    double share = 0;
    for (const ScheduleRow& row : schedule.rows) {
      share += row.share;
      QVERIFY(static_cast<double>(row.smallest) <= row.meanSize + 1e-4 &&
              row.meanSize <= static_cast<double>(row.largest) + 1e-4);
    }
    QVERIFY(test::within(share, 1, 1e-9));
    QCOMPARE(budgetShare({100, 0}, 50, 1e9), 0.5);
    QCOMPARE(budgetShare({100, 1000}, 50, 3000), 3.0);
    QCOMPARE(budgetShare({}, 50, 3000), 0.0);
  }
};

QTEST_GUILESS_MAIN(TestDelivery)
#include "tst_delivery.moc"
