// What was handed over is read back: every format and way agrees with what was asked, and a file that was changed by a
// single number does not. Objects, pieces and roots have names of their own.
#include "core/base/safe_file.h"
#include "core/formats/exporter.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/readback.h"
#include "core/props/baked.h"
#include "tests/support/support.h"

#include <QRegularExpression>

#include <fmt/format.h>

using namespace arvesk;

namespace {

QByteArray bytesOf(const QString& path) {
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}

/// A box of two materials and two parts, with a number at its vertices.
PropPtr chest() {
  Surface s = makeBox({1, 0.6F, 0.5F});
  for (const auto& [name, color] :
       {std::pair("wood", Vec4(0.4F, 0.2F, 0.1F, 1)), {"brass", Vec4(0.7F, 0.6F, 0.2F, 1)}}) {
    Material m;
    m.name = name;
    m.baseColor = color;
    s.materials.push_back(m);
  }
  s.parts = {"body", "lid"};
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    s.faceMaterials.edit().push_back(static_cast<std::uint16_t>(f % 3 == 0));
    s.faceParts.edit().push_back(static_cast<std::uint16_t>(f < s.faceCount() / 3));
  }
  splitByMaterial(s);
  Array<float> wear(s.positions.size());
  for (std::size_t v = 0; v < wear.size(); ++v) wear[v] = s.positions[v].y;
  s.vertexAttributes.insert_or_assign("wear", Column<float>(std::move(wear)));
  return makeProp("chest", "sea chest", std::make_shared<const Surface>(std::move(s)));
}

/// Mirrored, uneven, tinted, in two outputs of one name, and surfaces: a ground and baked objects.
std::vector<ExportLayer> everything() {
  test::Bench bench;
  auto kit = std::make_shared<Kit>(*test::someKit());
  kit->entries.push_back({chest(), 2});
  const PointsPtr sown = bench.points("sow-on-surface", test::inputs({{"surface", test::hills(20, 20, 3)}}),
                                      {{"density", 1.0}});
  const PointsPtr varied = bench.points("vary", test::inputs({{"points", sown}}),
                                        {{"size_by", std::string("per-axis")},
                                         {"size_x", std::vector<double>{-0.5, 2}},
                                         {"size_y", std::vector<double>{0.5, 2}},
                                         {"hue", std::vector<double>{-30, 30}}});
  const PointsPtr named = bench.points("write-attribute", test::inputs({{"points", varied}}),
                                       {{"name", std::string("age")}, {"range", std::vector<double>{1, 9}}});
  const PointsPtr dressed = bench.points("dress", test::inputs({{"points", named}, {"kit", KitPtr(kit)}}));
  const auto objects = bench.run("bake-to-mesh", test::inputs({{"points", dressed}}), {{"as", std::string("objects")}});
  return {
      {"Rocks \"and\", more", dressed, nullptr},
      {"Rocks \"and\", more", bench.points("dress", test::inputs({{"points", sown}, {"kit", KitPtr(kit)}})), nullptr},
      {"Ground", nullptr, test::hills(8, 20, 3)},
      {"Baked", nullptr, std::get<SurfacePtr>(objects->front())}};
}

}  // namespace

class TestReadback : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::vector<ExportLayer> m_all = everything();

  QString at(const char* name) { return m_dir.filePath(QString::fromLatin1(name)); }
  ExportReport written(const QString& file, int way, std::vector<ExportLayer> layers) {
    ExportOptions how;
    how.gltfWay = static_cast<GltfWay>(way);
    how.usdPrototypes = static_cast<UsdPrototypes>(way);
    how.isVerified = true;
    how.planName = "North shore, 2nd";
    how.attributes = {"*"};
    const auto report = exportLayers(layers, file.toStdString(), how, {});
    if (!report) qWarning("%s", toLine(report.error()).c_str());
    return report.value_or(ExportReport());
  }
  static QStringList objectNames(const QString& obj) {
    QStringList out;
    for (const QRegularExpressionMatch& m :
         QRegularExpression(QStringLiteral("^o (.*)$"), QRegularExpression::MultilineOption)
             .globalMatch(QString::fromUtf8(bytesOf(obj))))
      out << m.captured(1);
    return out;
  }

 private Q_SLOTS:
  void everyFormatSaysWhatWasAsked_data() {
    QTest::addColumn<QString>("file");
    QTest::addColumn<int>("way");
    for (const char* ending : {"glb", "gltf"})
      for (int way = 0; way < 3; ++way)
        QTest::addRow("%s %d", ending, way) << QStringLiteral("out%1.%2").arg(way).arg(QLatin1String(ending)) << way;
    for (int way = 0; way < 2; ++way) QTest::addRow("usda %d", way) << QStringLiteral("out%1.usda").arg(way) << way;
    for (const char* ending : {"csv", "ply", "obj"})
      QTest::addRow("%s", ending) << QStringLiteral("out.") + QLatin1String(ending) << 0;
  }
  void everyFormatSaysWhatWasAsked() {
    QFETCH(QString, file);
    QFETCH(int, way);
    const QString path = m_dir.filePath(file);
    const ExportReport report = written(path, way, m_all);
    QVERIFY2(report.faults.empty(), report.faults.empty() ? "" : report.faults.front().c_str());
    QVERIFY(report.verifySeconds.has_value());
    const auto good = readback::read(path.toStdString(), {});
    QVERIFY(good);
    std::uint64_t placements = 0;
    for (const auto& [name, thing] : *good) placements += thing.placements;
    const bool isReal = file.endsWith(QStringLiteral("obj")) || (way == 2);
    QCOMPARE(placements, isReal ? 0 : m_all[0].points->count + m_all[1].points->count);
  }

  // Whatever single number goes wrong, it is told where. Text formats, since there one knows what one changes.
  void oneWrongNumberIsFound_data() {
    QTest::addColumn<QString>("file");
    QTest::addColumn<QString>("pattern");
    QTest::addColumn<QString>("to");
    QTest::newRow("csv, a place") << "t.csv"
                                  << "^(\\d+,sea chest,[^\\n]*?\"\"\"?, more\",)"
                                  << "\\g1900,";
    QTest::newRow("csv, a prop") << "t.csv"
                                 << ",sea chest,"
                                 << ",see chest,";
    QTest::newRow("obj, a vertex") << "t.obj"
                                   << "^v \\S+"
                                   << "v 900";
    QTest::newRow("obj, a face less") << "t.obj"
                                      << "^f .*\\n"
                                      << "";
    QTest::newRow("obj, a color") << "t.obj"
                                  << "^Kd \\S+ \\S+ \\S+"
                                  << "Kd 0 1 0";
    QTest::newRow("obj, a name") << "t.obj"
                                 << "^o \\S+"
                                 << "o thing";
    QTest::newRow("usda, a place") << "t.usda"
                                   << "point3f\\[\\] positions = \\[\\([^,]*"
                                   << "point3f[] positions = [(900";
    QTest::newRow("usda, a prop") << "t.usda"
                                  << "protoIndices = \\[0"
                                  << "protoIndices = [1";
    QTest::newRow("usda, a list") << "t.usda"
                                  << "int64\\[\\] ids = \\[\\S+ "
                                  << "int64[] ids = [";
    QTest::newRow("gltf, a name") << "t.gltf"
                                  << "\"name\":\"Ground\"\\}"
                                  << "\"name\":\"Grind\"}";
    QTest::newRow("gltf, a count") << "t.gltf"
                                   << "\"count\":\\d+"
                                   << "\"count\":1";
    QTest::newRow("gltf, a factor") << "t.gltf"
                                    << "\"baseColorFactor\":\\[[\\d.e-]+"
                                    << "\"baseColorFactor\":[7";
  }
  void oneWrongNumberIsFound() {
    QFETCH(QString, file);
    QFETCH(QString, pattern);
    QFETCH(QString, to);
    const QString path = m_dir.filePath(file);
    QVERIFY(written(path, 0, m_all).faults.empty());
    const auto good = readback::read(path.toStdString(), {});
    QString target = path;
    if (pattern.startsWith(QStringLiteral("^Kd"))) {
      const QFileInfo main(path);
      const QStringList beside = main.dir().entryList({main.completeBaseName() + QStringLiteral("-*.mtl")});
      QCOMPARE(beside.size(), 1);
      target = main.dir().filePath(beside.first());
    }
    QString text = QString::fromUtf8(bytesOf(target));
    const auto match = QRegularExpression(pattern, QRegularExpression::MultilineOption).match(text);
    QVERIFY2(match.hasMatch(), qPrintable(text.left(400)));
    QString by = to;
    by.replace(QStringLiteral("\\g1"), match.captured(1));
    if (to.startsWith(QStringLiteral("\\g1"))) {  // the number after what was caught
      const qsizetype comma = text.indexOf(QLatin1Char(','), match.capturedEnd());
      text.replace(match.capturedStart(), comma + 1 - match.capturedStart(), by);
    } else {
      text.replace(match.capturedStart(), match.capturedLength(), by);
    }
    QVERIFY(writeWhole(target.toStdString(), text.toStdString()));
    const auto bad = readback::read(path.toStdString(), {});
    if (!bad) return;  // refused at once: found too
    const auto faults = readback::differences(*good, *bad);
    QVERIFY(!faults.empty());
  }

  void bakedObjectsAreObjectsWithTheirIds() {
    const Points& p = *m_all[0].points;
    std::set<QString> wanted;
    for (std::size_t i = 0; i < p.count; ++i)
      wanted.insert(QString::fromStdString(
          fmt::format("{} {}", p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->name, p.id[i])));
    QCOMPARE(wanted.size(), p.count);
    const ExportLayer& baked = m_all[3];
    const auto& numbers = *columnOf<Column<float>>(baked.surface->vertexAttributes, "wear");
    QVERIFY(std::any_of(numbers.values().begin(), numbers.values().end(), [](float v) { return v > 0.1F; }));
    QVERIFY(written(at("baked.obj"), 0, {baked}).faults.empty());
    std::set<QString> names;
    for (const QString& name : objectNames(at("baked.obj"))) names.insert(name);
    std::set<QString> plain;
    for (QString name : wanted) plain.insert(name.replace(QLatin1Char(' '), QLatin1Char('_')));
    QCOMPARE(names, plain);
    for (const char* file : {"baked.glb", "baked.usda"}) {
      QVERIFY(written(at(file), 0, {baked}).faults.empty());
      const auto things = readback::read(at(file).toStdString(), {});
      QCOMPARE(things->size(), p.count);
      for (const auto& [name, thing] : *things) QCOMPARE(thing.placements, std::uint64_t{0});
    }
    // One less takes its own object away and no name of another.
    Array<std::uint32_t> rest;
    for (std::size_t i = 1; i < p.count; ++i) rest.push_back(static_cast<std::uint32_t>(i));
    const auto less = arvesk::baked(gathered(p, rest), true, 1'000'000, {});
    std::set<QString> left;
    for (const std::string& name : less->parts) left.insert(QString::fromStdString(name));
    QCOMPARE(left.size() + 1, wanted.size());
    QVERIFY(std::includes(wanted.begin(), wanted.end(), left.begin(), left.end()));
    // As one mesh it stays one object.
    const auto one = arvesk::baked(p, false, 1'000'000, {});
    QVERIFY(written(at("one.obj"), 0, {{"One", nullptr, std::make_shared<const Surface>(*one)}}).faults.empty());
    QCOMPARE(objectNames(at("one.obj")), QStringList{QStringLiteral("One")});
  }

  void theRootIsCalledAsThePlan() {
    written(at("r.usda"), 0, m_all);
    const QByteArray text = bytesOf(at("r.usda"));
    QVERIFY(text.contains("defaultPrim = \"North_shore__2nd\"") && text.contains("def Xform \"North_shore__2nd\""));
    const auto things = readback::read(at("r.usda").toStdString(), {});
    for (const auto& [name, thing] : *things) QVERIFY(name.starts_with("/North_shore__2nd/"));
  }

  void attributesAreChosenByPattern() {
    ExportOptions how;
    how.attributes = {"a*", "wnd"};
    const auto report = exportLayers(m_all, at("a.csv").toStdString(), how, {});
    QVERIFY(report && bytesOf(at("a.csv")).startsWith("id,prop,output,x,y,z,qx,qy,qz,qw,scale_x,scale_y,scale_z,"));
    QVERIFY(bytesOf(at("a.csv")).left(200).contains(",age"));
    QVERIFY(std::any_of(report->warnings.begin(), report->warnings.end(), [](const Problem& p) {
      return p.message.find("\"wnd\"") != std::string::npos && p.advice.find("age") != std::string::npos;
    }));
  }

  void whatAFormatCannotHoldIsTold() {
    const auto warned = [&](const char* file, int way, const char* words) {
      const ExportReport report = written(at(file), way, m_all);
      return std::any_of(report.warnings.begin(), report.warnings.end(),
                         [&](const Problem& p) { return p.message.find(words) != std::string::npos; });
    };
    QVERIFY(warned("w.obj", 0, "age"));
    QVERIFY(warned("w.obj", 0, "wear"));
    QVERIFY(warned("w.glb", 2, "age"));
    QVERIFY(!warned("w.glb", 0, "age"));
    QVERIFY(warned("w.csv", 0, "2 surfaces"));
  }

  // A vertex has one color: what two materials share is split when the file is read.
  void materialsShareNoVertices() {
    QVERIFY(writeWhole(at("shared.mtl").toStdString(), "newmtl a\nKd 1 0 0\nnewmtl b\nKd 0 0 1\n"));
    QVERIFY(
        writeWhole(at("shared.obj").toStdString(),
                   "mtllib shared.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nusemtl a\nf 1 2 3\nusemtl b\nf 1 3 4\n"));
    std::vector<Problem> warnings;
    const auto s = readMesh(at("shared.obj").toStdString(), warnings);
    QVERIFY(s);
    QCOMPARE(s->positions.size(), std::size_t{6});
    for (int k = 0; k < 3; ++k)
      for (int l = 0; l < 3; ++l) QVERIFY(s->triangles[0][k] != s->triangles[1][l]);
  }
};

QTEST_GUILESS_MAIN(TestReadback)
#include "tst_readback.moc"
