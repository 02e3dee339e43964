// Exported USD as a strict reader sees it: well-formed text, lists as long as what they belong to, targets and files
// that are there, and the placements that went in.
#include "core/formats/exporter.h"
#include "tests/support/support.h"
#include "tests/support/usda.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>

#include <set>

using namespace arvesk;
namespace usda = test::usda;

namespace {

Vec3 vec3(const std::vector<std::string>& parts) {
  return {std::stof(parts.at(0)), std::stof(parts.at(1)), std::stof(parts.at(2))};
}

/// A prop with all that a mesh can carry, and names that are alike once they are names of prims.
PropPtr richProp(const std::string& name) {
  Surface s = makeBall(0.4F, 10);
  auto texture = std::make_shared<Texture>();
  texture->width = texture->height = 1;
  texture->rgba = {200, 120, 60, 255};
  for (const char* material : {"rind", "rind_faces", "rind faces", "", "Gr\xc3\xbcn"}) {
    Material m;
    m.name = material;
    s.materials.push_back(m);
  }
  s.materials[1].texture = texture;
  s.materials[1].textureFile = std::make_shared<const std::vector<std::uint8_t>>(std::vector<std::uint8_t>{1, 2, 3});
  s.materials[1].textureType = "image/png";
  s.materials[1].cutBelow = 0.5F;
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    s.faceMaterials.edit().push_back(static_cast<std::uint16_t>(f % s.materials.size()));
  s.colors.edit().assign(s.positions.size(), Vec4(0.5F, 0.6F, 0.7F, 1));
  for (const char* attribute : {"damp", "st", "display Color", "display_Color"}) {
    Array<float> values(s.positions.size());
    for (std::size_t v = 0; v < values.size(); ++v) values[v] = static_cast<float>(v);
    s.vertexAttributes.insert_or_assign(attribute, Column<float>(std::move(values)));
  }
  auto prop = std::make_shared<Prop>(*makeProp(name, name, std::make_shared<const Surface>(std::move(s))));
  prop->tags = {"round", "say \"so\"\n\\"};
  return prop;
}

PointsPtr placements(std::size_t count, std::uint64_t seed) {
  auto kit = std::make_shared<Kit>();
  for (const char* name : {"stone 1", "stone_1", "2nd"}) kit->entries.push_back({richProp(name), 1});
  kit->entries.push_back(test::someKit()->entries.front());
  Points p = test::randomPoints(count, {30, 4, 30}, 0.1F, 0.3F, seed);
  Array<Quat> turn(count);
  Array<Vec3> size(count);
  Array<Vec3> tint(count);
  Array<std::int32_t> prop(count);
  Array<std::uint64_t> id(count);
  Array<std::uint32_t> word(count);
  for (std::size_t i = 0; i < count; ++i) {
    const auto r = [&](std::uint64_t n) { return unitFloat(hashOf(seed, i, n)); };
    turn[i] = glm::normalize(Quat(r(1) - 0.5F, r(2) - 0.5F, r(3) - 0.5F, r(4) - 0.5F));
    size[i] = Vec3(0.3F + r(5), 0.3F + r(6), r(7) < 0.2F ? -1.0F : 0.3F + r(7));
    tint[i] = Vec3(r(8), r(9), r(10));
    prop[i] = static_cast<std::int32_t>(i % kit->entries.size());
    id[i] = mix64(i);  // most do not fit into a signed number
    word[i] = static_cast<std::uint32_t>(i % 2);
  }
  p.attributes.insert_or_assign("tint", Column<Vec3>(std::move(tint)));
  p.attributes.insert_or_assign("wet", p.footprint);
  p.attributes.insert_or_assign(
      "kind of",
      TextColumn{std::make_shared<const std::vector<std::string>>(std::vector<std::string>{"a \"b\"", "two\nlines"}),
                 Column<std::uint32_t>(std::move(word))});
  p.orientation = std::move(turn);
  p.size = std::move(size);
  p.prop = std::move(prop);
  p.id = std::move(id);
  p.attributes.insert_or_assign("parent", p.id);
  p.kit = kit;
  return std::make_shared<const Points>(std::move(p));
}

}  // namespace

class TestUsd : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;

  /// Everything that holds for any file; the files that it refers to are checked with it.
  usda::File whole(const QString& path) {
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) {
      QTest::qFail(qPrintable(path + QStringLiteral(" is not there")), __FILE__, __LINE__);
      return {};
    }
    const usda::File usd = usda::read(file.readAll().toStdString());
    [&] {
      QVERIFY2(usd.fault.empty(), usd.fault.c_str());
      QCOMPARE(usd.metadata.at("upAxis"), std::string("Y"));
      QCOMPARE(std::stod(usd.metadata.at("metersPerUnit")), 1.0);
      std::map<std::string, const usda::Prim*> byPath;
      for (const usda::Prim* p : usd.all()) byPath[p->path] = p;
      QVERIFY(byPath.contains("/" + usd.metadata.at("defaultPrim")));
      for (const auto& [at, prim] : byPath) {
        for (const auto& [name, a] : prim->attributes) {
          QVERIFY2(!name.ends_with(":interpolation"), name.c_str());  // it is metadata
          for (const std::string& target : a.targets) {
            const std::size_t dot = target.find('.');
            QVERIFY2(byPath.contains(target.substr(0, dot)), (at + "." + name + " to " + target).c_str());
            if (dot != std::string::npos)
              QVERIFY2(byPath[target.substr(0, dot)]->find(target.substr(dot + 1)), target.c_str());
          }
          if (a.type == "asset")
            QVERIFY2(QFile::exists(QFileInfo(path).dir().filePath(QString::fromStdString(a.items[0][0]))),
                     a.items[0][0].c_str());
        }
        if (const auto reference = prim->metadata.find("references"); reference != prim->metadata.end())
          whole(QFileInfo(path).dir().filePath(QString::fromStdString(reference->second)));
        else if (prim->type == "Mesh")
          mesh(*prim);
        if (prim->type == "PointInstancer") instancer(*prim, byPath);
      }
    }();
    return usd;
  }

  static std::vector<Vec3> places(const usda::Attribute& a) {
    std::vector<Vec3> out;
    for (const auto& item : a.items) out.push_back(vec3(item));
    return out;
  }

  void mesh(const usda::Prim& prim) {
    const std::size_t faces = prim.find("faceVertexCounts")->items.size();
    const auto& indices = prim.find("faceVertexIndices")->items;
    const std::vector<Vec3> points = places(*prim.find("points"));
    QCOMPARE(indices.size(), 3 * faces);
    for (const auto& i : indices) QVERIFY(std::stoul(i[0]) < points.size());
    Box3 box;
    for (const Vec3& p : points) box.add(p);
    const std::vector<Vec3> extent = places(*prim.find("extent"));
    QCOMPARE(extent, (std::vector<Vec3>{box.min, box.max}));
    for (const auto& [name, a] : prim.attributes) {
      if (!name.starts_with("primvars:") && name != "normals") continue;
      const std::string of = a.metadata.at("interpolation");
      QCOMPARE(a.items.size(), of == "uniform" ? faces : points.size());
      QVERIFY(of == "uniform" || of == "vertex");
    }
    std::set<std::string> taken;
    for (const usda::Prim& child : prim.children) {
      if (child.type != "GeomSubset") continue;
      QVERIFY(!child.find("material:binding")->targets.empty());
      for (const auto& i : child.find("indices")->items)
        QVERIFY2(std::stoul(i[0]) < faces && taken.insert(i[0]).second, "a face in two subsets");
    }
  }

  void instancer(const usda::Prim& prim, const std::map<std::string, const usda::Prim*>& byPath) {
    const auto& prototypes = prim.find("prototypes")->targets;
    for (const std::string& target : prototypes) QCOMPARE(byPath.at(target)->type, std::string("Mesh"));
    const auto& which = prim.find("protoIndices")->items;
    for (const auto& i : which) QVERIFY(std::stoul(i[0]) < prototypes.size());
    for (const char* name : {"positions", "orientations", "scales", "ids"})
      QCOMPARE(prim.find(name)->items.size(), which.size());
    for (const auto& [name, a] : prim.attributes)
      if (name.starts_with("primvars:")) {
        QCOMPARE(a.items.size(), which.size());
        QCOMPARE(a.metadata.at("interpolation"), std::string("vertex"));
      }
    const std::vector<Vec3> extent = places(*prim.find("extent"));
    for (const Vec3& p : places(*prim.find("positions")))
      for (int axis = 0; axis < 3; ++axis)
        QVERIFY(extent[0][axis] <= p[axis] + 0.5F &&
                extent[1][axis] >= p[axis] - 0.5F);  // props reach about their place
  }

 private Q_SLOTS:
  void filesAreWholeAndHoldThePlacements_data() {
    QTest::addColumn<bool>("isBeside");
    QTest::newRow("prototypes inside") << false;
    QTest::newRow("prototypes beside") << true;
  }
  void filesAreWholeAndHoldThePlacements() {
    QFETCH(bool, isBeside);
    ExportOptions how;
    how.attributes = {"*"};
    how.usdPrototypes = isBeside ? UsdPrototypes::Files : UsdPrototypes::Inside;
    const PointsPtr first = placements(200, 1);
    const PointsPtr second = placements(90, 2);
    const SurfacePtr ground = richProp("ground")->surface;
    const QString path = m_dir.filePath(isBeside ? QStringLiteral("beside.usda") : QStringLiteral("inside.usda"));
    const auto report = exportLayers({{"Rocks \"and\", more", first, nullptr},
                                      {"Rocks _and__ more", second, nullptr},
                                      {"1 ground", nullptr, ground}},
                                     path.toStdString(), how, {});
    QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
    const usda::File usd = whole(path);
    if (QTest::currentTestFailed()) return;
    std::vector<const usda::Prim*> instancers;
    for (const usda::Prim* p : usd.all())
      if (p->type == "PointInstancer") instancers.push_back(p);
    QCOMPARE(instancers.size(), std::size_t{2});
    for (std::size_t layer = 0; layer < 2; ++layer) {
      const Points& points = layer == 0 ? *first : *second;
      const usda::Prim& prim = *instancers[layer];
      QCOMPARE(prim.find("ids")->items.size(), points.count);
      std::map<std::uint64_t, std::size_t> rowOf;
      for (std::size_t r = 0; r < points.count; ++r)
        rowOf[static_cast<std::uint64_t>(std::stoll(prim.find("ids")->items[r][0]))] = r;
      for (std::size_t i = 0; i < points.count; ++i) {
        const std::size_t r = rowOf.at(points.id[i] & 0x7fffffffffffffffULL);  // USD takes no negative ids
        QCOMPARE(vec3(prim.find("positions")->items[r]), points.position[i]);
        QCOMPARE(vec3(prim.find("scales")->items[r]), points.size[i]);
        const auto& q = prim.find("orientations")->items[r];  // w, x, y, z
        QVERIFY(std::abs(glm::dot(Quat(std::stof(q[0]), std::stof(q[1]), std::stof(q[2]), std::stof(q[3])),
                                  points.orientation[i])) > 0.999999F);
        QCOMPARE(vec3(prim.find("primvars:tint")->items[r]), (*columnOf<Column<Vec3>>(points.attributes, "tint"))[i]);
        QCOMPARE(prim.find("primvars:kind_of")->items[r][0],
                 std::string(columnOf<TextColumn>(points.attributes, "kind of")->at(i) == "two\nlines" ? "two lines"
                                                                                                       : "a \"b\""));
        QCOMPARE(static_cast<std::uint64_t>(std::stoull(prim.find("primvars:parent")->items[r][0])), points.id[i]);
      }
    }
  }

  // A layer without props, an empty one, and one of one placement are files that open, too.
  void smallFilesAreWhole() {
    for (const std::size_t count : {std::size_t{0}, std::size_t{1}}) {
      const QString path = m_dir.filePath(QStringLiteral("small%1.usda").arg(count));
      const auto report = exportLayers({{"Few", placements(count, 3), nullptr}}, path.toStdString(), {}, {});
      if (!report)
        QVERIFY(!report.error().message.empty());
      else
        whole(path);
    }
  }
};

QTEST_GUILESS_MAIN(TestUsd)
#include "tst_usd.moc"
