// Colors of placements: what Color and Vary give comes out of every format, and the prop's light and shade stay.
#include "core/formats/exporter.h"
#include "core/formats/mesh_reader.h"
#include "core/geometry/image.h"
#include "core/props/baked.h"
#include "core/props/coloring.h"
#include "tests/support/support.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QRegularExpression>

using namespace arvesk;

namespace {

const ParamMap kTwoColors{{"palette", std::string("#c04020: 3; #2060a0: 1")}};

Vec3 linear(int r, int g, int b) {
  return {linearFromSrgb(static_cast<float>(r) / 255), linearFromSrgb(static_cast<float>(g) / 255),
          linearFromSrgb(static_cast<float>(b) / 255)};
}
const std::array<Vec3, 2> kWanted{linear(0xc0, 0x40, 0x20), linear(0x20, 0x60, 0xa0)};

int nearest(const Vec3& c, float tolerance = 0.004F) {
  for (int k = 0; k < 2; ++k)
    if (glm::length(c - kWanted[static_cast<std::size_t>(k)]) < tolerance) return k;
  return -1;
}

/// Gray boxes, some below half light, so that a factor is more than the color itself.
KitPtr grayKit() {
  auto kit = std::make_shared<Kit>();
  for (const float light : {0.9F, 0.4F}) {
    Surface s = makeBox({1, 1, 1});
    Material gray;
    gray.name = fmt::format("gray {}", light);
    gray.baseColor = Vec4(Vec3(light), 1);
    s.materials = {gray};
    kit->entries.push_back({makeProp(gray.name, gray.name, std::make_shared<const Surface>(s)), 1});
  }
  return kit;
}

struct Colored {
  PointsPtr points;
  std::map<std::uint64_t, int> wanted;  // which of the two, by id
  std::array<std::size_t, 2> counts{};
};
Colored colored() {
  test::Bench bench;
  const PointsPtr sown = bench.points("sow-on-surface", test::inputs({{"surface", test::hills(20, 20, 3)}}),
                                      {{"density", 0.5}});
  const PointsPtr dressed = bench.points("dress", test::inputs({{"points", sown}, {"kit", grayKit()}}));
  Colored out{bench.points("color", test::inputs({{"points", dressed}}), kTwoColors), {}, {}};
  const auto& own = *columnOf<Column<Vec3>>(out.points->attributes, kOwnColor);
  for (std::size_t i = 0; i < out.points->count; ++i) {
    const int k = nearest(own[i], 1e-5F);
    out.wanted[out.points->id[i]] = k;
    if (k >= 0) ++out.counts[static_cast<std::size_t>(k)];
  }
  return out;
}

QByteArray bytesOf(const QString& path) {
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}
QJsonObject jsonOf(const QString& path) { return QJsonDocument::fromJson(bytesOf(path)).object(); }

/// Floats of an accessor of a .gltf with its .bin beside.
std::vector<float> floatsOf(const QJsonObject& gltf, const QByteArray& bin, int accessor, int width) {
  const QJsonObject a = gltf["accessors"].toArray()[accessor].toObject();
  const QJsonObject view = gltf["bufferViews"].toArray()[a["bufferView"].toInt()].toObject();
  std::vector<float> out(static_cast<std::size_t>(a["count"].toInt() * width));
  std::memcpy(out.data(), bin.constData() + view["byteOffset"].toInt() + a["byteOffset"].toInt(), out.size() * 4);
  return out;
}

}  // namespace

class TestColors : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  Colored m_colored = colored();

  QString written(const char* name, GltfWay way = GltfWay::Instances, std::vector<std::string> attributes = {}) {
    ExportOptions options;
    options.gltfWay = way;
    options.attributes = std::move(attributes);
    const QString path = m_dir.filePath(QString::fromLatin1(name));
    const auto report = exportLayers({{"Boxes", m_colored.points, nullptr}}, path.toStdString(), options, {});
    return report ? path : QString();
  }

  /// How many boxes of a read mesh are in each color, as seen: material × vertex color.
  std::array<std::size_t, 2> seenIn(const Surface& s) {
    std::array<std::size_t, 2> faces{};
    for (std::size_t f = 0; f < s.faceCount(); ++f) {
      const Vec3 c = Vec3(s.materialOf(f).baseColor) * (s.colors.empty() ? Vec3(1) : Vec3(s.colors[s.triangles[f].x]));
      if (const int k = nearest(c); k >= 0) ++faces[static_cast<std::size_t>(k)];
    }
    return {faces[0] / 12, faces[1] / 12};
  }

 private Q_SLOTS:
  void aPaletteIsDrawnByWeight() {
    QCOMPARE(m_colored.counts[0] + m_colored.counts[1], m_colored.points->count);
    // 3 : 1, within four standard deviations of a binomial draw.
    const double n = static_cast<double>(m_colored.points->count);
    QVERIFY(std::abs(static_cast<double>(m_colored.counts[0]) - 0.75 * n) < 4 * std::sqrt(n * 0.75 * 0.25));
  }

  void everyRowSaysItsColor() {
    const QStringList lines = QString::fromUtf8(bytesOf(written("c.csv"))).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
    const QStringList head = lines[0].split(QLatin1Char(','));
    QCOMPARE(static_cast<std::size_t>(lines.size()), m_colored.points->count + 1);
    for (qsizetype l = 1; l < lines.size(); ++l) {
      const QStringList row = lines[l].split(QLatin1Char(','));
      Vec3 c;
      for (int axis = 0; axis < 3; ++axis)
        c[axis] = linearFromSrgb(
            row[head.indexOf(QLatin1String(std::array{"red", "green", "blue"}[static_cast<std::size_t>(axis)]))]
                .toFloat());
      QCOMPARE(nearest(c), m_colored.wanted.at(row[0].toULongLong()));
    }
  }

  void theInstancesOfGltfCarryTheFactor() {
    const QString path = written("i.gltf");
    const QJsonObject gltf = jsonOf(path);
    const QByteArray bin = bytesOf(m_dir.filePath(gltf["buffers"].toArray()[0].toObject()["uri"].toString()));
    std::array<std::size_t, 2> seen{};
    for (const auto& value : gltf["nodes"].toArray()) {
      const QJsonObject node = value.toObject();
      if (!node.contains("extensions")) continue;
      const QJsonObject attributes =
          node["extensions"].toObject()["EXT_mesh_gpu_instancing"].toObject()["attributes"].toObject();
      const QJsonObject mesh = gltf["meshes"].toArray()[node["mesh"].toInt()].toObject();
      const int material = mesh["primitives"].toArray()[0].toObject()["material"].toInt();
      const double light = gltf["materials"]
                               .toArray()[material]
                               .toObject()["pbrMetallicRoughness"]
                               .toObject()["baseColorFactor"]
                               .toArray()[0]
                               .toDouble();
      const std::vector<float> factors = floatsOf(gltf, bin, attributes["_COLOR_FACTOR"].toInt(-1), 3);
      for (std::size_t i = 0; i + 2 < factors.size(); i += 3)
        if (const int k = nearest(Vec3(factors[i], factors[i + 1], factors[i + 2]) * static_cast<float>(light)); k >= 0)
          ++seen[static_cast<std::size_t>(k)];
    }
    QCOMPARE(seen, m_colored.counts);
  }

  void theNodesOfGltfCarryFactorAndAttributes() {
    const QJsonObject gltf = jsonOf(written("n.gltf", GltfWay::Nodes, {"own-color"}));
    std::size_t found = 0;
    for (const auto& value : gltf["nodes"].toArray()) {
      const QJsonObject extras = value.toObject()["extras"].toObject();
      if (!extras.contains("id")) continue;
      ++found;
      const QJsonArray own = extras["own-color"].toArray();
      const Vec3 c(own[0].toDouble(), own[1].toDouble(), own[2].toDouble());
      QCOMPARE(nearest(c), m_colored.wanted.at(extras["id"].toString().toULongLong()));
      QCOMPARE(extras["color_factor"].toArray().size(), 3);
    }
    QCOMPARE(found, m_colored.points->count);
  }

  void realGeometryIsSeenInItsColors_data() {
    QTest::addColumn<QString>("name");
    for (const char* name : {"m.glb", "m.gltf", "m.obj"}) QTest::newRow(name) << name;
  }
  void realGeometryIsSeenInItsColors() {
    QFETCH(QString, name);
    std::vector<Problem> warnings;
    const auto back = readMesh(written(name.toLatin1().constData(), GltfWay::Mesh).toStdString(), warnings);
    QVERIFY2(back, back ? "" : toLine(back.error()).c_str());
    QCOMPARE(back->faceCount(), 12 * m_colored.points->count);
    QCOMPARE(seenIn(*back), m_colored.counts);
  }

  void whatIsBrighterThanAFileHoldsIsSaid() {
    Points bright = *m_colored.points;
    bright.attributes.insert_or_assign(kTint, Column<Vec3>(Vec3(0, 0, 3)));  // four times as bright
    for (const char* name : {"b.glb", "b.obj", "b.csv", "b.ply"})
      for (const bool isBright : {false, true}) {
        ExportOptions options;
        options.gltfWay = GltfWay::Mesh;
        const PointsPtr points = isBright ? std::make_shared<const Points>(bright) : m_colored.points;
        const auto report = exportLayers({{"Boxes", points, nullptr}},
                                         m_dir.filePath(QLatin1String(name)).toStdString(), options, {});
        QVERIFY(report);
        QCOMPARE(std::any_of(report->warnings.begin(), report->warnings.end(),
                             [](const Problem& p) { return p.message.find("brighter") != std::string::npos; }),
                 isBright);
      }
  }

  void noAttributeTakesThePlaceOfAnother() {
    // Called as what the formats say themselves, and two that differ only in a sign.
    Points p = *m_colored.points;
    for (const char* name : {"id", "color-factor", "a-b", "a_b", "x", "red"})
      p.attributes.insert_or_assign(name, Column<float>(7));
    m_colored.points = std::make_shared<const Points>(std::move(p));
    const auto distinct = [](QStringList names) { return names.removeDuplicates() == 0; };
    const QJsonObject gltf = jsonOf(written("u.gltf", GltfWay::Instances, {"*"}));
    for (const auto& value : gltf["nodes"].toArray()) {
      const QJsonObject attributes =
          value.toObject()["extensions"].toObject()["EXT_mesh_gpu_instancing"].toObject()["attributes"].toObject();
      if (attributes.isEmpty()) continue;
      const auto typeOf = [&](const char* name) {
        return gltf["accessors"].toArray()[attributes[QLatin1String(name)].toInt(-1)].toObject()["type"].toString();
      };
      QCOMPARE(typeOf("_ID"), QStringLiteral("VEC2"));
      QCOMPARE(typeOf("_COLOR_FACTOR"), QStringLiteral("VEC3"));
      for (const char* name : {"_ID_2", "_COLOR_FACTOR_2", "_A_B", "_A_B_2"})
        QCOMPARE(typeOf(name), QStringLiteral("SCALAR"));
    }
    const QString nodes = QString::fromUtf8(bytesOf(written("un.gltf", GltfWay::Nodes, {"*"})));
    QVERIFY(nodes.contains(QStringLiteral("\"id_2\":7")));
    const QByteArray ply = bytesOf(written("u.ply", GltfWay::Instances, {"*"}));
    QStringList properties;
    for (const QByteArray& line : ply.left(ply.indexOf("end_header")).split('\n'))
      if (line.startsWith("property")) properties << QString::fromLatin1(line.split(' ').last());
    QVERIFY(properties.contains(QStringLiteral("x_2")) && distinct(properties));
    const QByteArray csv = bytesOf(written("u.csv", GltfWay::Instances, {"*"}));
    QVERIFY(distinct(QString::fromUtf8(csv.left(csv.indexOf('\n'))).split(QLatin1Char(','))));
    m_colored = colored();
  }

  void bakingKeepsTheColors() {
    const auto surface = baked(*m_colored.points, false, 10'000'000, {});
    QVERIFY(surface);
    QCOMPARE(seenIn(*surface), m_colored.counts);
  }

  void usdSaysOneDisplayColorPerInstance() {
    const QString text = QString::fromUtf8(bytesOf(written("c.usda")));
    const auto list = QRegularExpression("color3f\\[\\] primvars:displayColor = \\[([^\\]]*)\\]").match(text);
    QVERIFY(list.hasMatch());
    std::array<std::size_t, 2> seen{};
    auto each = QRegularExpression("\\(([^,]*), ([^,]*), ([^)]*)\\)").globalMatch(list.captured(1));
    while (each.hasNext()) {
      const auto m = each.next();
      const int k = nearest({m.captured(1).toFloat(), m.captured(2).toFloat(), m.captured(3).toFloat()});
      if (k >= 0) ++seen[static_cast<std::size_t>(k)];
    }
    QCOMPARE(seen, m_colored.counts);
  }

  void ownColorsKeepLightAndShade() {
    // Two materials, one four times as bright as the other: so they stay, and together they are the color asked for.
    Surface s = makeBox({1, 1, 1});
    Material bright;
    bright.baseColor = Vec4(0.8F, 0.8F, 0.8F, 1);
    Material dark = bright;
    dark.baseColor = Vec4(0.2F, 0.2F, 0.2F, 1);
    s.materials = {bright, dark};
    for (std::size_t f = 0; f < s.faceCount(); ++f) s.faceMaterials.edit().push_back(f < 6 ? 0 : 1);
    const Vec3 mean = meanColorOf(s);
    QVERIFY(glm::length(mean - Vec3(0.5F)) < 1e-5F);
    Points p = test::randomPoints(1, {5, 0, 5}, 0.1F, 0.2F, 4);
    p.attributes.insert_or_assign(kOwnColor, Column<Vec3>(kWanted[0]));
    const PointColors colors(p);
    const Vec3 light = colors.apply(Vec3(bright.baseColor), 0, mean);
    const Vec3 shade = colors.apply(Vec3(dark.baseColor), 0, mean);
    QVERIFY(glm::length(light - shade * 4.0F) < 1e-5F);
    QVERIFY(glm::length((light + shade) / 2.0F - kWanted[0]) < 1e-5F);
  }

  void aTintKeepsTheGrayAxis() {
    // Turning the hue leaves gray alone, a full turn leaves all alone, and without saturation the luminance stays.
    QVERIFY(glm::length(tinted(Vec3(0.4F), {0.3F, 0, 0}) - Vec3(0.4F)) < 1e-5F);
    QVERIFY(glm::length(tinted(kWanted[0], {1, 0, 0}) - kWanted[0]) < 1e-5F);
    const Vec3 gray = tinted(kWanted[1], {0, -1, 0});
    QVERIFY(std::abs(gray.x - glm::dot(kWanted[1], Vec3(0.2126F, 0.7152F, 0.0722F))) < 1e-6F);
    QVERIFY(std::abs(gray.x - gray.z) < 1e-6F);
  }

  void aRampFollowsItsNumberAndNamesThatAreMissingAreSaid() {
    test::Bench bench;
    const ParamMap ramp{{"from", std::string("ramp")},
                        {"number", std::string("x")},
                        {"range", std::vector<double>{-10, 10}},
                        {"ramp", std::string("#000000; #ffffff")}};
    const PointsPtr out = bench.points("color", test::inputs({{"points", m_colored.points}}), ramp);
    const auto& own = *columnOf<Column<Vec3>>(out->attributes, kOwnColor);
    for (std::size_t i = 0; i < out->count; ++i)
      QVERIFY(std::abs(own[i].x - std::clamp((out->position[i].x + 10) / 20, 0.0F, 1.0F)) < 1e-5F);
    ParamMap wrong = ramp;
    wrong["number"] = std::string("wetnes");
    const auto failed = bench.run("color", test::inputs({{"points", m_colored.points}}), wrong);
    QVERIFY(!failed && failed.error().message.find("wetnes") != std::string::npos);
  }
};

QTEST_GUILESS_MAIN(TestColors)
#include "tst_colors.moc"
