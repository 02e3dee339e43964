// Export: what is written is read back and compared, placement by placement; glTF passes the Khronos validator.
#include "core/base/safe_file.h"
#include "core/deliver/delivery.h"
#include "core/formats/csv_reader.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/plan_file.h"
#include "core/picture/render.h"
#include "tests/support/support.h"

#include <QDirIterator>
#include <QProcess>
#include <QRegularExpression>
#include <QStandardPaths>

#include <algorithm>

using namespace arvesk;

namespace {

/// Placements with every kind of awkward name, and unequal sizes.
std::vector<ExportLayer> layers() {
  test::Bench bench;
  const PointsPtr sown = bench.points("sow-on-surface", test::inputs({{"surface", test::hills(20, 20, 3)}}),
                                      {{"density", 6.0}});
  const PointsPtr turned = bench.points("orient", test::inputs({{"points", sown}}), {{"lean", 100.0}});
  const PointsPtr varied = bench.points("vary", test::inputs({{"points", turned}}),
                                        {{"size_by", std::string("per-axis")},
                                         {"size_x", std::vector<double>{0.5, 2}},
                                         {"size_y", std::vector<double>{0.5, 2}}});
  const PointsPtr dressed = bench.points("dress", test::inputs({{"points", varied}, {"kit", test::someKit()}}));
  return {{"Rocks \"and\", more", dressed, nullptr},
          {"Rocks \"and\", more", bench.points("dress", test::inputs({{"points", sown}, {"kit", test::someKit()}})),
           nullptr}};
}

QString readText(const QString& path) {
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

/// Runs the Khronos validator from npm on a file; its error count, or nothing where node or the package is not to be
/// had.
std::optional<int> validatorErrors(const QString& file) {
  static const QString folder = [] {
    const QString at = test::binPath("../gltf-validator");
    QDir().mkpath(at);
    if (!QFile::exists(at + QStringLiteral("/node_modules/gltf-validator/index.js"))) {
      QProcess npm;
      npm.setWorkingDirectory(at);
      npm.start(QStringLiteral("npm"),
                {QStringLiteral("install"), QStringLiteral("--no-save"), QStringLiteral("--prefix"), at,
                 QStringLiteral("gltf-validator@2.0.0-dev.3.10")});
      npm.waitForFinished(120'000);
    }
    return QFile::exists(at + QStringLiteral("/node_modules/gltf-validator/index.js")) ? at : QString();
  }();
  if (folder.isEmpty() || QStandardPaths::findExecutable(QStringLiteral("node")).isEmpty()) return {};
  QProcess node;
  node.setWorkingDirectory(folder);
  node.start(
      QStringLiteral("node"),
      {QStringLiteral("-e"),
       QStringLiteral("const v=require('gltf-validator'),fs=require('fs'),p=require('path');const f=process.argv[1];"
                      "v.validateBytes(new "
                      "Uint8Array(fs.readFileSync(f)),{maxIssues:50,externalResourceFunction:u=>Promise.resolve(new "
                      "Uint8Array(fs.readFileSync(p.join(p.dirname(f),u))))})"
                      ".then(r=>{console.error(JSON.stringify(r.issues.messages.filter(m=>m.severity==0)));console.log("
                      "'errors='+r.issues.numErrors)})"),
       file});
  node.waitForFinished(60'000);
  const QString out = QString::fromUtf8(node.readAllStandardOutput());
  const QByteArray problems = node.readAllStandardError();
  if (!out.startsWith(QStringLiteral("errors="))) return {};
  if (out.trimmed() != QStringLiteral("errors=0")) qWarning("%s", problems.constData());
  return out.trimmed().mid(7).toInt();
}

}  // namespace

class TestExport : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;

 private Q_SLOTS:
  void gltfReadsBackToTheSameTransforms_data() {
    QTest::addColumn<QString>("name");
    QTest::newRow("glb") << "out.glb";
    QTest::newRow("gltf with bin") << "out.gltf";
  }
  void gltfReadsBackToTheSameTransforms() {
    QFETCH(QString, name);
    const auto all = layers();
    const QString path = m_dir.filePath(name);
    const auto report = exportLayers(all, path.toStdString(), {}, {});
    QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
    const auto instances = readGltfInstances(path.toStdString());
    QVERIFY2(instances, instances ? "" : toLine(instances.error()).c_str());
    QCOMPARE(instances->size(), report->placements);
    std::size_t at = 0;
    std::set<std::string> names;
    for (const ExportLayer& layer : all) {
      const Points& p = *layer.points;
      for (std::size_t k = 0; k < p.kit->entries.size(); ++k) {
        names.insert((*instances)[at].node);
        for (std::size_t i = 0; i < p.count; ++i) {
          if (p.prop[i] != static_cast<std::int32_t>(k)) continue;
          const GltfInstance& g = (*instances)[at++];
          QVERIFY(g.mesh.starts_with(
              p.kit->entries[k].prop->name));  // two kits with props of one name: a number tells them apart
          QVERIFY(glm::length(g.position - p.position[i]) < 1e-6F);
          QVERIFY(glm::length(g.size - p.size[i]) < 1e-6F);
          QVERIFY(std::abs(std::abs(glm::dot(g.turn, p.orientation[i])) - 1) < 1e-5F);
          QVERIFY(test::within(static_cast<double>(glm::length(g.turn)), 1, 1e-5));  // the validator lets others pass
        }
      }
    }
    QCOMPARE(names.size(), std::size_t{6});  // two layers of the same name × three props: all nodes named apart
    const auto errors = validatorErrors(path);
    if (!errors) QSKIP("the Khronos glTF validator was not run: node, npm or the package is missing here");
    QCOMPARE(*errors, 0);
  }

  void countsAgreeInAllFormats() {
    const auto all = layers();
    std::size_t expected = 0;
    for (const ExportLayer& l : all) expected += l.points->count;
    for (const char* name : {"n.glb", "n.usda", "n.csv"})
      QCOMPARE(exportLayers(all, m_dir.filePath(QString::fromLatin1(name)).toStdString(), {}, {})->placements,
               expected);
    const QString csv = readText(m_dir.filePath(QStringLiteral("n.csv")));
    QCOMPARE(csv.count(QLatin1Char('\n')), static_cast<qsizetype>(expected + 1));
    QVERIFY(csv.contains(QStringLiteral("\"Rocks \"\"and\"\", more\"")));
    const QString usda = readText(m_dir.filePath(QStringLiteral("n.usda")));
    qsizetype ids = 0;
    for (const QRegularExpressionMatch& m :
         QRegularExpression(QStringLiteral("int64\\[\\] ids = \\[([^\\]]*)\\]")).globalMatch(usda))
      ids += m.captured(1).count(QLatin1Char(',')) + 1;
    QCOMPARE(ids, static_cast<qsizetype>(expected));
    QCOMPARE(usda.count(QStringLiteral("def PointInstancer")), 2);
    QCOMPARE(usda.count(QLatin1Char('{')), usda.count(QLatin1Char('}')));
    QVERIFY(usda.startsWith(QStringLiteral("#usda 1.0")) && usda.contains(QStringLiteral("upAxis = \"Y\"")) &&
            usda.contains(QStringLiteral("metersPerUnit = 1")));
  }

  void csvReadsBackToTheSameNumbers() {
    const auto all = layers();
    const QString path = m_dir.filePath(QStringLiteral("back.csv"));
    QVERIFY(exportLayers({all[1]}, path.toStdString(), {}, {}));
    std::map<quint64, std::size_t> places;
    const Points& p = *all[1].points;
    for (std::size_t i = 0; i < p.count; ++i) places[p.id[i]] = i;
    const QStringList lines = readText(path).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
    for (qsizetype l = 1; l < lines.size(); ++l) {
      const QStringList c = lines[l].split(QLatin1Char(','));
      const std::size_t i = places.at(c[0].toULongLong());
      const qsizetype n = c.size();
      for (int a = 0; a < 3; ++a) QCOMPARE(c[n - 10 + a].toFloat(), p.position[i][a]);
      QCOMPARE(c[n - 4].toFloat(), p.orientation[i].w);
      QCOMPARE(c[n - 1].toFloat(), p.size[i].z);
    }
  }

  void propsKeepMaterialsAndShape() {
    QTemporaryDir dir;
    const std::string path = dir.filePath(QStringLiteral("one.glb")).toStdString();
    Surface s = makeBox({1, 2, 3});
    Material red;
    red.name = "red";
    red.baseColor = {0.8F, 0.1F, 0.1F, 1};
    Material leaf;
    leaf.name = "leaf";
    leaf.isTwoSided = true;
    s.materials = {red, leaf};
    for (std::size_t f = 0; f < s.faceCount(); ++f) s.faceMaterials.edit().push_back(f < 4 ? 0 : 1);
    QVERIFY(exporters::glbOf({{"box", std::make_shared<const Surface>(s)}}, path));
    std::vector<Problem> warnings;
    const auto back = readMesh(path, warnings);
    QVERIFY(back);
    QCOMPARE(back->faceCount(), s.faceCount());
    QVERIFY(glm::length(back->bounds().extent() - Vec3(1, 2, 3)) < 1e-6F);
    QCOMPARE(back->materialOf(0).name, std::string("red"));
    QVERIFY(back->materialOf(11).isTwoSided);
    QVERIFY(glm::length(back->materialOf(0).baseColor - red.baseColor) < 1e-6F);
  }

  void cutOutsComeBack_data() {
    QTest::addColumn<float>("cutBelow");
    QTest::addColumn<bool>("isBlended");
    QTest::addColumn<QString>("usd");
    QTest::newRow("whole") << 0.0F << false << "";
    QTest::newRow("cut") << 0.3F << false << "inputs:opacityThreshold = 0.3";
    QTest::newRow("blended") << 0.5F << true << "inputs:opacityThreshold = 0";
  }
  void cutOutsComeBack() {
    QFETCH(float, cutBelow);
    QFETCH(bool, isBlended);
    QFETCH(QString, usd);
    QTemporaryDir dir;
    Array<std::uint32_t> pixels;
    pixels.assign(16, 0xff88aa44U);
    const std::string png = dir.filePath(QStringLiteral("leaf.png")).toStdString();
    QVERIFY(writePng(png, pixels, 4, 4));
    QFile file(QString::fromStdString(png));
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QByteArray bytes = file.readAll();
    Surface s = makePlane(1, 1, 1);
    Material leaf;
    leaf.name = "leaf";
    leaf.cutBelow = cutBelow;
    leaf.isBlended = isBlended;
    leaf.textureFile = std::make_shared<const std::vector<std::uint8_t>>(bytes.begin(), bytes.end());
    leaf.textureType = "image/png";
    s.materials = {leaf};
    Kit kit;
    kit.entries.push_back({makeProp("leaf", "leaf", std::make_shared<const Surface>(s)), 1});
    Points p = test::randomPoints(3, {5, 0, 5}, 0.1F, 0.2F, 4);
    p.kit = std::make_shared<const Kit>(kit);
    p.prop = Column<std::int32_t>(0);
    const ExportLayer layer{"Leaves", std::make_shared<const Points>(p), nullptr};
    for (const char* name : {"l.glb", "l.obj"}) {
      const std::string path = dir.filePath(QLatin1String(name)).toStdString();
      QVERIFY(exportLayers({layer}, path, {}, {}));
      std::vector<Problem> warnings;
      const auto back = readMesh(path, warnings);
      QVERIFY2(back, back ? "" : toLine(back.error()).c_str());
      const Material& m = back->materialOf(0);
      QVERIFY(m.texture);
      const bool isObj = QByteArray(name) == "l.obj";  // which can only say that there are holes
      QCOMPARE(m.cutBelow > 0, cutBelow > 0);
      if (!isObj) QCOMPARE(m.cutBelow, cutBelow);
      if (!isObj) QCOMPARE(m.isBlended, isBlended);
    }
    QVERIFY(exportLayers({layer}, dir.filePath(QStringLiteral("l.usda")).toStdString(), {}, {}));
    const QString written = readText(dir.filePath(QStringLiteral("l.usda")));
    QCOMPARE(written.contains(QStringLiteral("opacityThreshold")), cutBelow > 0);
    QVERIFY(written.contains(usd));
    QCOMPARE(written.contains(QStringLiteral("inputs:opacity.connect")), cutBelow > 0);
  }

  void failuresLeaveTheOldFile() {
    const auto all = layers();
    const QString path = m_dir.filePath(QStringLiteral("old.csv"));
    QFile old(path);
    QVERIFY(old.open(QIODevice::WriteOnly));
    old.write("keep me");
    old.close();
    std::stop_source stop;
    stop.request_stop();
    QCOMPARE(exportLayers(all, path.toStdString(), {}, {stop.get_token(), {}}).error().code, ProblemCode::Cancelled);
    QCOMPARE(readText(path), QStringLiteral("keep me"));
    QCOMPARE(exportLayers(all, m_dir.filePath(QStringLiteral("no/such/folder.glb")).toStdString(), {}, {}).error().code,
             ProblemCode::WriteFailed);
    QCOMPARE(exportLayers(all, m_dir.filePath(QStringLiteral("x.docx")).toStdString(), {}, {}).error().code,
             ProblemCode::BadParameter);
    QCOMPARE(QDir(m_dir.path()).entryList({QStringLiteral("*.part")}, QDir::Files | QDir::Hidden).size(), 0);
  }

  // The files beside are named by what they hold: a new export puts its own beside the old ones, and those go only
  // once nothing under the chosen name reads them any more. One that fails leaves nothing.
  void filesBesideGoTogether_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<QStringList>("endings");
    QTest::newRow("gltf") << "set.gltf" << QStringList{QStringLiteral("*.bin")};
    QTest::newRow("obj") << "set.obj" << QStringList{QStringLiteral("*.mtl")};
    QTest::newRow("usda") << "set.usda" << QStringList{QStringLiteral("*_files/*.usda")};
  }
  void filesBesideGoTogether() {
    QFETCH(QString, name);
    QTemporaryDir dir;
    const auto all = layers();
    Kit tinted = *all[0].points->kit;
    ExportLayer other = all[0];
    Points half = gathered(*other.points, {0, 1, 2, 3, 4, 5, 6, 7});
    Surface red = *tinted.entries[0].prop->surface;
    red.materials.resize(1);
    red.materials[0].baseColor = Vec4(0.7F, 0.1F, 0.1F, 1);
    for (KitEntry& e : tinted.entries)
      e.prop = makeProp(e.prop->uid, "red " + e.prop->name, std::make_shared<const Surface>(red));
    half.kit = std::make_shared<const Kit>(tinted);
    other.points = std::make_shared<const Points>(half);
    ExportOptions how;
    how.usdPrototypes = UsdPrototypes::Files;
    how.isVerified = true;
    const QString path = dir.filePath(name);
    const auto everything = [&] {
      std::set<QString> found;
      for (QDirIterator it(dir.path(), QDir::Files | QDir::Hidden, QDirIterator::Subdirectories); it.hasNext();)
        found.insert(it.next());
      return found;
    };
    const auto written = [](const ExportReport& report) {
      std::set<QString> files;
      for (const std::string& file : report.files) files.insert(QString::fromStdString(file));
      return files;
    };
    const auto first = exportLayers({all[0]}, path.toStdString(), how, {});
    QVERIFY(first && first->faults.empty() && first->files.size() > 1);
    QVERIFY(everything() == written(*first));
    const auto again = exportLayers({all[0]}, path.toStdString(), how, {});
    QVERIFY(written(*again) == written(*first));  // the same content, the same names
    // One that cannot be put in place leaves all as it was.
    QFile::setPermissions(path, QFile::ReadOwner);
    const auto refused = exportLayers({other}, path.toStdString(), how, {});
    QVERIFY(!refused);
    QVERIFY2(refused.error().message.find("read-only") != std::string::npos, refused.error().message.c_str());
    QVERIFY(everything() == written(*first));
    QFile::setPermissions(path, QFile::ReadOwner | QFile::WriteOwner);
    std::stop_source stop;
    stop.request_stop();
    QVERIFY(!exportLayers({other}, path.toStdString(), how, {stop.get_token(), {}}));
    QVERIFY(everything() == written(*first));
    const auto second = exportLayers({other}, path.toStdString(), how, {});
    QVERIFY(second && second->faults.empty());
    QVERIFY(written(*second) != written(*first));
    QVERIFY(everything() == written(*second));
  }

  // Titles, props and files that are called in ways which mean something else to a format: each file is valid, holds
  // what was asked, and reads back.
  void hostileNames_data() {
    QTest::addColumn<QString>("name");
    QTest::newRow("lines") << QStringLiteral("two\nlines\r\nand\rthree");
    QTest::newRow("quotes") << QStringLiteral("\"a\" 'b' `c`");
    QTest::newRow("signs") << QStringLiteral("50% of @moss\\fern #1 $2 <x> {y}");
    QTest::newRow("formula") << QStringLiteral("=HYPERLINK(1)");
    QTest::newRow("guarded formula") << QStringLiteral("'=1+1");
    QTest::newRow("minus") << QStringLiteral("-2+3");
    QTest::newRow("at") << QStringLiteral("@SUM(1)");
    QTest::newRow("tab") << QStringLiteral("\t=1");
    QTest::newRow("escape") << QStringLiteral("%41%2e%2E and %zz");
    QTest::newRow("long") << QString(122, QChar(0xe4));  // 244 bytes
  }
  void hostileNames() {
    QFETCH(QString, name);
    QTemporaryDir dir;
    const auto plain = layers();
    Kit kit = *plain[0].points->kit;
    for (std::size_t k = 0; k < kit.entries.size(); ++k)
      kit.entries[k].prop = makeProp(kit.entries[k].prop->uid, name.toStdString() + (k > 0 ? std::to_string(k) : ""),
                                     kit.entries[k].prop->surface);
    Points points = *plain[0].points;
    points.kit = std::make_shared<const Kit>(kit);
    const std::vector<ExportLayer> all{{name.toStdString(), std::make_shared<const Points>(points), nullptr}};
    for (const ExportFormat& format : exportFormats()) {
      if (QByteArray(format.ending) == ".vdb") continue;
      const QString path = dir.filePath(name + QLatin1String(format.ending));
      ExportOptions how;
      how.isVerified = true;
      how.usdPrototypes = UsdPrototypes::Files;
      const auto report = exportLayers(all, path.toStdString(), how, {});
      QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
      QVERIFY2(report->faults.empty(), report->faults.empty() ? "" : (format.ending + report->faults[0]).c_str());
      if (const QString ending = QLatin1String(format.ending); ending == QStringLiteral(".gltf")) {
        const auto instances = readGltfInstances(path.toStdString());  // by another reader, which resolves the URI
        QVERIFY2(instances, instances ? "" : toLine(instances.error()).c_str());
        QCOMPARE(instances->size(), report->placements);
      } else if (ending == QStringLiteral(".csv")) {
        const auto table = readCsv(path.toStdString(), {});
        QVERIFY(table && table->rowCount == points.count);
        const auto* outputs = std::get_if<TextCells>(table->find("output"));
        QVERIFY(outputs && outputs->front() == name.toStdString());
        const QString text = readText(path);
        for (const char* sign : {"=", "+", "-2+", "@", "\t"})  // at the beginning of a cell a spreadsheet runs them
          QVERIFY2(!text.contains(QLatin1Char(',') + QLatin1String(sign)) &&
                       !text.contains(QStringLiteral(",\"") + QLatin1String(sign)),
                   qPrintable(text.left(300)));
      }
    }
  }

  void readersTakeIdsOfTheirOwnRange() {
    Points p = *layers()[0].points;
    Array<std::uint64_t> ids(p.count);
    for (std::size_t i = 0; i < p.count; ++i) ids[i] = p.id[i] | (std::uint64_t{1} << 63);
    p.id = std::move(ids);
    const QString path = m_dir.filePath(QStringLiteral("ids.usda"));
    QVERIFY(exportLayers({{"Ids", std::make_shared<const Points>(p), nullptr}}, path.toStdString(), {}, {}));
    const QString written =
        QRegularExpression(QStringLiteral("int64\\[\\] ids = \\[([^\\]]*)\\]")).match(readText(path)).captured(1);
    QVERIFY(!written.isEmpty() && !written.contains(QLatin1Char('-')));
  }

  void aFullDiskIsToldBefore() {
    SafeFile file(m_dir.filePath(QStringLiteral("huge.bin")).toStdString());
    file.expect(std::uint64_t{1} << 60);
    const auto done = file.commit();
    QVERIFY(!done && done.error().message.find("the disk has") != std::string::npos);
    QVERIFY(!QFile::exists(m_dir.filePath(QStringLiteral("huge.bin"))));
    // And where it fills up meanwhile, the file says so and the old one stays.
    SafeFile full("/dev/full");
    QVERIFY(!full.commit());
  }

  // What a killed program left goes with the next file that is written there; what a living one writes stays.
  void leftoversAreRemoved() {
    QTemporaryDir dir;
    SafeFile living(dir.filePath(QStringLiteral("a")).toStdString());
    const QString mine = QString::fromStdString(living.temporary());
    QString dead = mine;
    dead.replace(QStringLiteral("-%1-").arg(QCoreApplication::applicationPid()),
                 QStringLiteral("-4194305-"));  // above pid_max
    QVERIFY(dead != mine);
    QVERIFY(QFile::copy(mine, dead));
    QProcess other;
    other.start(test::binPath("arvesk-run"), {"export", test::sourcePath("demo/examples/one-slope.arvesk"), "--to",
                                              dir.filePath(QStringLiteral("b.csv")), "--quality", "draft", "--quiet"});
    QVERIFY(other.waitForFinished(120'000));
    QCOMPARE(other.exitCode(), 0);
    QVERIFY(!QFile::exists(dead));
    QVERIFY(QFile::exists(mine));
    QVERIFY(living.commit());
  }

  void outputsAreChosenByTitle() {
    const auto plan = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/examples").toStdString()));
    const Evaluation e = evaluator.evaluate(*plan, {});
    QCOMPARE(exportLayersOf(*plan, e, {})->size(), std::size_t{1});
    QCOMPARE(exportLayersOf(*plan, e, {"Stones"})->size(), std::size_t{1});
    QCOMPARE(exportLayersOf(*plan, e, {"Moss"}).error().message,
             std::string("there is no Output node titled \"Moss\""));
  }
};

QTEST_GUILESS_MAIN(TestExport)
#include "tst_export.moc"
