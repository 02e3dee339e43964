// Props by reference: the file is named or copied untouched, and stands where the prop's geometry would.
#include "core/base/random.h"
#include "core/formats/exporter.h"
#include "core/formats/file_service.h"
#include "core/formats/mesh_reader.h"
#include "core/geometry/shapes.h"
#include "core/plan/evaluator.h"
#include "core/plan/prop_loading.h"
#include "tests/support/support.h"
#include "tests/support/usda.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>

#include <assimp/scene.h>
#include <assimp/Importer.hpp>

using namespace arvesk;

namespace {

QByteArray bytesOf(const QString& path) {
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}

void write(const QString& path, const QByteArray& bytes) {
  QDir().mkpath(QFileInfo(path).path());
  QFile file(path);
  QVERIFY(file.open(QIODevice::WriteOnly) && file.write(bytes) == bytes.size());
}

/// A lopsided thing in a kit's folder, with a buffer beside it and a texture in another folder.
struct Kits {
  QTemporaryDir dir;
  Kits() {
    Surface s = makeBox({2, 3, 1});
    for (Vec3& p : s.positions.edit()) p += Vec3(0.4F * p.y, 0.5F, 0.3F);
    const auto shape = std::make_shared<const Surface>(std::move(s));
    QDir().mkpath(at("kit"));
    QVERIFY(exporters::glbOf({{"thing", shape}}, at("kit/thing.glb").toStdString()));
    const auto report = exportLayers({{"thing", nullptr, shape}}, at("kit/thing.gltf").toStdString(), {}, {});
    QVERIFY(report && report->files.size() == 2);
    QJsonObject json = QJsonDocument::fromJson(bytesOf(at("kit/thing.gltf"))).object();
    // One pixel.
    write(at("textures/moss.png"),
          QByteArray::fromBase64(
              "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="));
    json[QStringLiteral("images")] = QJsonArray{
        QJsonObject{{QStringLiteral("uri"), QStringLiteral("../textures/moss.png")}}};
    json[QStringLiteral("textures")] = QJsonArray{QJsonObject{{QStringLiteral("source"), 0}}};
    QJsonArray materials = json[QStringLiteral("materials")].toArray();
    QJsonObject material = materials[0].toObject();
    QJsonObject pbr = material[QStringLiteral("pbrMetallicRoughness")].toObject();
    pbr[QStringLiteral("baseColorTexture")] = QJsonObject{{QStringLiteral("index"), 0}};
    material[QStringLiteral("pbrMetallicRoughness")] = pbr;
    materials[0] = material;
    json[QStringLiteral("materials")] = materials;
    write(at("kit/thing.gltf"), QJsonDocument(json).toJson());
  }
  QString at(const char* name) const { return dir.filePath(QString::fromLatin1(name)); }
};

PropEntry entryOf(const char* file, int which) {
  PropEntry e;
  e.uid = "thing";
  e.name = "Thing 7";
  e.file = file;
  e.isByReference = true;
  e.unitScale = which % 2 ? 0.01 : 1;
  e.isZUp = which % 3 == 1;
  e.pivot = static_cast<PivotAt>(which % 4);
  e.size = which % 2 ? 150 : 0.7;
  if (which > 1) e.turnDeg = {20.0F * static_cast<float>(which), -70, 15};
  return e;
}

/// Three placements, turned any way, one mirrored and sized unevenly.
PointsPtr placements(const PropPtr& prop) {
  auto kit = std::make_shared<Kit>();
  kit->entries.push_back({prop, 1});
  Points p = test::randomPoints(3, {20, 4, 20}, 0.1F, 0.2F, 4);
  Array<Quat> turn(3);
  Array<Vec3> size(3);
  for (std::size_t i = 0; i < 3; ++i) {
    turn[i] = glm::normalize(Quat(0.3F, 0.1F * static_cast<float>(i), 0.7F, -0.2F));
    size[i] = i == 2 ? Vec3(-1.2F, 0.6F, 2) : Vec3(0.5F + static_cast<float>(i));
  }
  p.orientation = std::move(turn);
  p.size = std::move(size);
  p.prop = Column<std::int32_t>(std::int32_t{0});
  p.footprint = Column<float>(prop->footprint);
  p.kit = kit;
  return std::make_shared<const Points>(std::move(p));
}

glm::dmat4 trsOf(const QJsonObject& o) {
  const auto list = [&](const char* key) { return o[QLatin1String(key)].toArray(); };
  glm::dmat4 m(1);
  if (const QJsonArray t = list("translation"); t.size() == 3)
    m[3] = glm::dvec4(t[0].toDouble(), t[1].toDouble(), t[2].toDouble(), 1);
  if (const QJsonArray r = list("rotation"); r.size() == 4)
    m = m * glm::mat4_cast(glm::dquat(r[3].toDouble(), r[0].toDouble(), r[1].toDouble(), r[2].toDouble()));
  if (const QJsonArray s = list("scale"); s.size() == 3)
    for (int k = 0; k < 3; ++k) m[k] *= s[k].toDouble();
  return m;
}

/// How far the vertices of the file, put by `m`, are from those of the prop as placed, m.
double farthest(const Surface& file, const glm::dmat4& m, const Points& p, std::size_t i) {
  const Surface& own = *p.kit->entries[0].prop->surface;
  double out = 0;
  for (const Vec3& v : file.positions) {
    const DVec3 there(m * glm::dvec4(v, 1));
    double least = 1e9;
    for (const Vec3& q : own.positions) {
      const Vec3 placed = p.position[i] + p.orientation[i] * (p.size[i] * q);
      least = std::min(least, glm::distance(DVec3(placed), there));
    }
    out = std::max(out, least);
  }
  return out;
}

}  // namespace

class TestDelivered : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void theFileStandsWhereTheGeometryWould_data() {
    QTest::addColumn<QString>("file");
    QTest::addColumn<QString>("to");
    QTest::addColumn<int>("which");
    for (const char* file : {"kit/thing.glb", "kit/thing.gltf"})
      for (const char* to : {"out/nodes.gltf", "out/instances.gltf", "out/scene.usda", "out/payload.usda"})
        for (int which = 0; which < 6; ++which)
          QTest::addRow("%s in %s, %d", file, to, which)
              << QString::fromLatin1(file) << QString::fromLatin1(to) << which;
  }
  void theFileStandsWhereTheGeometryWould() {
    QFETCH(QString, file);
    QFETCH(QString, to);
    QFETCH(int, which);
    Kits kits;
    const auto files = std::make_shared<DiskFileService>(kits.dir.path().toStdString());
    const LoadedProp loaded = loadProp(*files, entryOf(file.toUtf8().constData(), which), {});
    QVERIFY(loaded.prop && !loaded.problem && loaded.warnings.empty());
    QVERIFY(loaded.prop->delivery);
    const PointsPtr points = placements(loaded.prop);
    const QString path = kits.dir.filePath(to);
    QDir().mkpath(QFileInfo(path).path());
    ExportOptions how;
    how.isVerified = true;
    how.gltfWay = to.contains(QStringLiteral("nodes")) ? GltfWay::Nodes : GltfWay::Instances;
    how.isUsdPayload = to.contains(QStringLiteral("payload"));
    how.filesOf = [files](const std::string& name) { return files->withSides(name); };
    const auto report = exportLayers({{"Layer", points, nullptr}}, path.toStdString(), how, {});
    QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
    QVERIFY2(report->faults.empty(), report->faults.empty() ? "" : report->faults.front().c_str());
    QCOMPARE(report->placements, std::size_t{3});
    QCOMPARE(report->byReference.size(), std::size_t{1});
    std::vector<Problem> warnings;
    const auto original = readMesh(kits.dir.filePath(file).toStdString(), warnings);
    QVERIFY(original);
    if (to.endsWith(QStringLiteral("usda"))) {
      // Named where it lies, from the export's folder, and nothing of it in the file.
      const test::usda::File text = test::usda::read(bytesOf(path).toStdString());
      QVERIFY2(text.fault.empty(), text.fault.c_str());
      const test::usda::Prim* placed = nullptr;
      const test::usda::Prim* asset = nullptr;
      for (const test::usda::Prim* p : text.all()) {
        QVERIFY(p->type != "Mesh");
        if (p->path.ends_with("/placed")) placed = p;
        if (p->path.ends_with("/placed/asset")) asset = p;
      }
      QVERIFY(placed && asset);
      const std::string arc = how.isUsdPayload ? "payload" : "references";
      const auto named = std::find_if(asset->metadata.begin(), asset->metadata.end(),
                                      [&](const auto& m) { return m.first.find(arc) != std::string::npos; });
      QVERIFY(named != asset->metadata.end());
      const QString where = QString::fromStdString(named->second);
      QVERIFY2(QFileInfo(QFileInfo(path).dir(), where).canonicalFilePath() ==
                   QFileInfo(kits.dir.filePath(file)).canonicalFilePath(),
               qPrintable(where));
      const auto* rows = placed->find("xformOp:transform");
      QVERIFY(rows && rows->items.size() == 1 && rows->items[0].size() == 16);
      glm::dmat4 m;
      for (int k = 0; k < 16; ++k) m[k / 4][k % 4] = std::stod(rows->items[0][static_cast<std::size_t>(k)]);
      for (std::size_t i = 0; i < 3; ++i) {
        glm::dmat4 place = glm::mat4_cast(glm::dquat(points->orientation[i]));
        for (int k = 0; k < 3; ++k) place[k] *= static_cast<double>(points->size[i][k]);
        place[3] = glm::dvec4(points->position[i], 1);
        QVERIFY(farthest(*original, place * m, *points, i) < 1e-3);
      }
      QVERIFY(!report->warnings.empty());  // readers of USD need an extension for such files
      return;
    }
    // A copy that is the same to the byte, with what it reads, and found by its own names.
    const QJsonObject json = QJsonDocument::fromJson(bytesOf(path)).object();
    std::size_t seen = 0;
    for (const QJsonValue& value : json[QStringLiteral("nodes")].toArray()) {
      const QJsonObject node = value.toObject();
      const QJsonObject asset = node[QStringLiteral("extras")].toObject()[QStringLiteral("asset")].toObject();
      if (asset.isEmpty()) continue;
      QVERIFY(!node.contains(QStringLiteral("mesh")));
      const QString copy = QFileInfo(path).dir().filePath(asset[QStringLiteral("file")].toString());
      QCOMPARE(bytesOf(copy), bytesOf(kits.dir.filePath(file)));
      const auto again = readMesh(copy.toStdString(), warnings);
      QVERIFY2(again, again ? "" : toLine(again.error()).c_str());
      QVERIFY(warnings.empty());
      QCOMPARE(again->positions.size(), original->positions.size());
      QCOMPARE(again->materials.front().textureFile != nullptr, file.endsWith(QStringLiteral("gltf")));
      if (how.gltfWay == GltfWay::Nodes) {
        QVERIFY(farthest(*again, trsOf(node) * trsOf(asset), *points, seen) < 1e-3);
      } else {
        for (std::size_t i = 0; i < 3; ++i) {
          glm::dmat4 place = glm::mat4_cast(glm::dquat(points->orientation[i]));
          for (int k = 0; k < 3; ++k) place[k] *= static_cast<double>(points->size[i][k]);
          place[3] = glm::dvec4(points->position[i], 1);
          QVERIFY(farthest(*again, place * trsOf(asset), *points, i) < 1e-3);
        }
      }
      ++seen;
    }
    QCOMPARE(seen, how.gltfWay == GltfWay::Nodes ? std::size_t{3} : std::size_t{1});
    if (how.gltfWay == GltfWay::Nodes) {
      // A second reader finds the places as well.
      Assimp::Importer importer;
      const aiScene* scene = importer.ReadFile(path.toStdString(), 0);
      QVERIFY(scene && scene->mRootNode);
      std::vector<const aiNode*> open{scene->mRootNode};
      std::size_t found = 0;
      while (!open.empty()) {
        const aiNode* node = open.back();
        open.pop_back();
        open.insert(open.end(), node->mChildren, node->mChildren + node->mNumChildren);
        const aiVector3D at(node->mTransformation.a4, node->mTransformation.b4, node->mTransformation.c4);
        for (std::size_t i = 0; i < 3; ++i) found += glm::distance(Vec3(at.x, at.y, at.z), points->position[i]) < 1e-4F;
      }
      QCOMPARE(found, std::size_t{3});
    }
    // Again it is the same; without the prop the copies go.
    QVERIFY(exportLayers({{"Layer", points, nullptr}}, path.toStdString(), how, {}));
    const QDir assets(path.left(path.size() - 5) + QStringLiteral("_assets"));
    QCOMPARE(assets.entryList(QDir::Dirs | QDir::NoDotAndDotDot).size(), 1);
    QVERIFY(exportLayers({{"Layer", nullptr, test::hills(4, 3, 1)}}, path.toStdString(), how, {}));
    QVERIFY(!assets.exists());
  }

  void anotherFileIsPutByItsOwnUnitAndAxis() {
    Kits kits;
    const auto files = std::make_shared<DiskFileService>(kits.dir.path().toStdString());
    const auto exported = [&](const char* file, ExportReport& report) {
      PropEntry e = entryOf("kit/thing.glb", 0);
      e.deliveredFile = file;
      const LoadedProp loaded = loadProp(*files, e, {});
      ExportOptions how;
      how.isVerified = true;
      how.filesOf = [files](const std::string& name) { return files->withSides(name); };
      const auto done = exportLayers({{"Layer", placements(loaded.prop), nullptr}}, kits.at("out.usda").toStdString(),
                                     how, {});
      if (!done) return toLine(done.error());
      report = *done;
      return bytesOf(kits.at("out.usda")).toStdString();
    };
    const auto sizeIn = [](const std::string& text) {
      const std::size_t at = text.find("matrix4d xformOp:transform = (");
      return std::stod(text.substr(text.find('(', at) + 2));
    };
    ExportReport report;
    write(kits.at("whole.usda"),
          "#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = \"Z\"\n    defaultPrim = \"all\"\n)\ndef Xform "
          "\"all\"\n{\n}\n");
    const std::string centimeters = exported("whole.usda", report);
    QVERIFY2(centimeters.find("references = @./whole.usda@\n") != std::string::npos, centimeters.c_str());
    QVERIFY(test::within(sizeIn(centimeters), 0.7 * 0.01, 1e-7));
    QVERIFY(report.warnings.empty() && report.faults.empty());
    // USD means centimeters where nothing is said; without a default prim the first is named.
    write(kits.at("bare.usda"), "#usda 1.0\n\ndef Xform \"first\"\n{\n}\n");
    const std::string bare = exported("bare.usda", report);
    QVERIFY2(bare.find("@./bare.usda@</first>") != std::string::npos, bare.c_str());
    QVERIFY(test::within(sizeIn(bare), 0.007, 1e-7) && report.warnings.size() == 1);
    write(kits.at("crate.usdc"), "PXR-USDC and numbers");
    QVERIFY(test::within(sizeIn(exported("crate.usdc", report)), 0.7, 1e-6));
    QVERIFY(report.warnings.size() == 1 && report.warnings[0].message.find("could not be read") != std::string::npos);
    // One that is not there: nothing is written, and it is said which.
    const std::string lost = exported("lost.usda", report);
    QVERIFY2(lost.find("lost.usda") != std::string::npos, lost.c_str());
  }

  void whatCannotBeDeliveredIsTold() {
    Kits kits;
    DiskFileService files(kits.dir.path().toStdString());
    const auto warningsOf = [&](const PropEntry& e) {
      std::string out;
      const LoadedProp loaded = loadProp(files, e, {});
      for (const Problem& p : loaded.warnings) out += toLine(p) + "\n";
      return out;
    };
    PropEntry part = entryOf("kit/thing.glb", 0);
    part.partBy = PartBy::Part;
    part.part = "thing";
    QVERIFY(warningsOf(part).find("a part of a file") != std::string::npos);
    QVERIFY(!loadProp(files, part, {}).prop->delivery);
    PropEntry creased = entryOf("kit/thing.glb", 0);
    QCOMPARE(warningsOf(creased), std::string());
    creased.creaseDeg = 40;
    QVERIFY(warningsOf(creased).find("normals of its file") != std::string::npos);
    PropEntry valued = entryOf("kit/thing.glb", 0);
    valued.values.push_back({"wet", ValueInto::Named, ValueBy::Height});
    QVERIFY(warningsOf(valued).find("values made here") != std::string::npos);
    PropEntry other = entryOf("kit/thing.glb", 0);
    other.deliveredFile = "kit/thing.gltf";
    QCOMPARE(warningsOf(other), std::string());
    other.unitScale = 0.01;  // the prop is a hundredth of what would be delivered
    QVERIFY(warningsOf(other).find("unit or axis differ") != std::string::npos);
    other.unitScale = 1;
    other.isZUp = true;
    QVERIFY(warningsOf(other).find("unit or axis differ") != std::string::npos);
    other.deliveredFile = "none.usd";
    QVERIFY(warningsOf(other).find("is not there") != std::string::npos);
    // Real geometry names no files.
    const LoadedProp loaded = loadProp(files, entryOf("kit/thing.glb", 0), {});
    const auto report = exportLayers({{"Layer", placements(loaded.prop), nullptr}}, kits.at("out.obj").toStdString(),
                                     {}, {});
    QVERIFY(report && std::any_of(report->warnings.begin(), report->warnings.end(), [](const Problem& p) {
              return p.message.find("written out: Thing 7") != std::string::npos;
            }));
  }

  void cancellingLeavesNoCopies() {
    Kits kits;
    const auto files = std::make_shared<DiskFileService>(kits.dir.path().toStdString());
    const LoadedProp loaded = loadProp(*files, entryOf("kit/thing.gltf", 0), {});
    std::stop_source stop;
    stop.request_stop();
    ExportOptions how;
    how.filesOf = [files](const std::string& name) { return files->withSides(name); };
    const auto report = exportLayers({{"Layer", placements(loaded.prop), nullptr}}, kits.at("out.glb").toStdString(),
                                     how, {stop.get_token(), {}});
    QVERIFY(!report);
    QVERIFY(!QFileInfo::exists(kits.at("out_assets")) && !QFileInfo::exists(kits.at("out.glb")));
  }
};

QTEST_GUILESS_MAIN(TestDelivered)
#include "tst_delivered.moc"
