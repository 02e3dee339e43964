// One file as many props: whatever it is split by, all of them at home are the file again.
#include "core/formats/exporter.h"
#include "core/geometry/file_parts.h"
#include "core/plan/prop_making.h"
#include "core/plan/prop_splitting.h"
#include "tests/support/plans.h"
#include "tests/support/support.h"

#include <fmt/format.h>

#include <set>

using namespace arvesk;

namespace {

/// A set of rocks, sticks and a crate of two bodies, some in groups, one mirrored, as the file of a kit.
std::vector<exporters::SceneItem> items(std::uint64_t seed, int count = 6) {
  std::vector<exporters::SceneItem> out;
  const auto part = [](Surface s) { return std::make_shared<const Surface>(std::move(s)); };
  out.push_back({"rocks", nullptr, {3, 0, 1}, glm::angleAxis(0.4F, kUp)});
  out.push_back({"sticks", nullptr, {-2, 0.5F, 0}});
  for (int k = 0; k < count; ++k) {
    const std::uint64_t h = hashOf(seed, static_cast<std::uint64_t>(k));
    const Vec3 at(4 * unitFloat(h) - 2, unitFloat(mix64(h)), 6 * unitFloat(mix64(h + 1)) - 3);
    const Quat turn = glm::normalize(Quat(1, unitFloat(h + 2), unitFloat(h + 3) - 0.5F, unitFloat(h + 4)));
    const bool isRock = k % 2 == 0;
    out.push_back({fmt::format("{}_{}", isRock ? "rock" : "stick", k + 1),
                   part(isRock ? makeBall(0.4F + 0.05F * static_cast<float>(k), 8) : makeBox({0.1F, 1.2F, 0.15F})), at,
                   turn, Vec3(k == 3 ? -1.0F : 1.0F, 1, 1), isRock ? "rocks" : "sticks"});
  }
  Surface crate = makeBox({0.5F, 0.5F, 0.5F});
  const Surface lid = transformed(makeBox({0.6F, 0.1F, 0.6F}), {0, 1.5F, 0}, Quat(1, 0, 0, 0), 1);
  const auto base = static_cast<std::uint32_t>(crate.positions.size());
  for (const Vec3& p : lid.positions) crate.positions.edit().push_back(p);
  for (const Vec3& n : lid.normals) crate.normals.edit().push_back(n);
  for (const Vec2& uv : lid.uvs) crate.uvs.edit().push_back(uv);
  for (const UVec3& t : lid.triangles) crate.triangles.edit().push_back(t + base);
  crate.faceMaterials.clear();
  out.push_back({"crate", part(crate), {0, 0, 5}});
  out.push_back({"mount_top", nullptr, {0, 1, 5}, Quat(1, 0, 0, 0), Vec3(1), "crate"});
  return out;
}

/// How many triangles of the whole are not there when all props are at home.
std::size_t missingFrom(const Surface& whole, const std::vector<PropPtr>& props) {
  std::vector<std::array<Vec3, 3>> all;
  for (const PropPtr& prop : props)
    for (const UVec3& t : prop->surface->triangles) {
      std::array<Vec3, 3> c;
      for (int k = 0; k < 3; ++k)
        c[static_cast<std::size_t>(k)] = prop->home.position +
                                         prop->home.turn * (prop->home.size * prop->surface->positions[t[k]]);
      all.push_back(c);
    }
  std::size_t missing = 0;
  for (const UVec3& t : whole.triangles) {
    const std::array<Vec3, 3> c{whole.positions[t.x], whole.positions[t.y], whole.positions[t.z]};
    const Vec3 middle = (c[0] + c[1] + c[2]) / 3.0F;
    missing += std::none_of(all.begin(), all.end(), [&](const std::array<Vec3, 3>& other) {
      if (glm::distance((other[0] + other[1] + other[2]) / 3.0F, middle) > 1e-4F) return false;
      for (const Vec3& p : c)
        if (std::none_of(other.begin(), other.end(), [&](const Vec3& q) { return glm::distance(p, q) < 1e-4F; }))
          return false;
      return true;
    });
  }
  return missing;
}

struct Folder {
  QTemporaryDir dir;
  void write(std::uint64_t seed, int count = 6) const { QVERIFY(exporters::glbOf(items(seed, count), path())); }
  std::string path() const { return dir.filePath(QStringLiteral("kit.glb")).toStdString(); }
  std::shared_ptr<const Surface> read() const {
    DiskFileService files(dir.path().toStdString());
    std::vector<Problem> warnings;
    const auto surface = files.surface("kit.glb", {}, warnings);
    return surface ? *surface : nullptr;
  }
};

PropEntry wholeFile() {
  PropEntry e;
  e.uid = "whole";
  e.name = "Kit";
  e.file = "kit.glb";
  e.tags = "beach";
  e.weight = 3;
  return e;
}

}  // namespace

class TestSplitting : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void allAtHomeAreTheFileAgain_data() {
    QTest::addColumn<int>("by");
    QTest::addColumn<int>("pivot");
    for (int pivot = 0; pivot < 4; ++pivot) {
      QTest::addRow("parts, pivot %d", pivot) << static_cast<int>(PartBy::Part) << pivot;
      QTest::addRow("pieces, pivot %d", pivot) << static_cast<int>(PartBy::Piece) << pivot;
    }
  }
  void allAtHomeAreTheFileAgain() {
    QFETCH(int, by);
    QFETCH(int, pivot);
    for (std::uint64_t seed = 1; seed <= 4; ++seed) {
      Folder folder;
      folder.write(seed);
      const auto file = folder.read();
      QVERIFY(file);
      const FileSplits splits = *splitsOf(*file);
      QCOMPARE(splits.parts.size(), 7U);
      QCOMPARE(splits.pieces, 8U);
      Plan plan;
      plan.props.push_back(wholeFile());
      PropEntry& whole = plan.props.front();
      whole.isZUp = seed % 2 == 0;
      whole.unitScale = seed == 3 ? 0.5 : 1;
      whole.turnDeg = {20, 40, static_cast<float>(seed) * 10};
      whole.size = 1.7;
      whole.commonHeight = seed == 4 ? 2 : 0;
      const Surface meters = transformed(*file, Vec3(0),
                                         whole.isZUp ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0),
                                         static_cast<float>(whole.unitScale));
      const auto uids = splitProp(plan, "whole", static_cast<PartBy>(by),
                                  namesOfSplit(splits, static_cast<PartBy>(by)));
      QCOMPARE(uids.size(), static_cast<PartBy>(by) == PartBy::Part ? 7U : 8U);
      QCOMPARE(plan.props.size(), uids.size());
      std::vector<PropPtr> props;
      std::size_t triangles = 0;
      for (PropEntry& e : plan.props) {
        e.pivot = static_cast<PivotAt>(pivot);
        const auto prop = makePlanProp(e, *file);
        QVERIFY2(prop, prop ? "" : prop.error().message.c_str());
        QCOMPARE((*prop)->weight, 3.0F);
        if (e.pivot == PivotAt::BaseCenter) QVERIFY(std::abs((*prop)->surface->bounds().min.y) < 1e-4F);
        triangles += (*prop)->surface->faceCount();
        props.push_back(*prop);
      }
      QCOMPARE(triangles, file->faceCount());
      QCOMPARE(missingFrom(meters, props), 0U);
    }
  }

  void whatLiesBelowANode() {
    Folder folder;
    folder.write(9);
    const auto file = folder.read();
    const FileSplits splits = *splitsOf(*file);
    std::map<std::string, std::vector<std::string>> parents;
    for (const auto& p : splits.parents) parents[p.name] = p.children;
    QCOMPARE(parents["rocks"], (std::vector<std::string>{"rock_1", "rock_3", "rock_5"}));
    QCOMPARE(parents["sticks"], (std::vector<std::string>{"stick_2", "stick_4", "stick_6"}));
    // A group as a whole is its three rocks, a part has its own mount points and nobody else's.
    const auto rocks = cutOut(*file, PartBy::Below, "rocks");
    QVERIFY(rocks);
    std::size_t triangles = 0;
    for (const char* name : {"rock_1", "rock_3", "rock_5"}) triangles += cutOut(*file, PartBy::Part, name)->faceCount();
    QCOMPARE(rocks->faceCount(), triangles);
    PropEntry e = wholeFile();
    e.partBy = PartBy::Part;
    e.part = "crate";
    const auto crate = makePlanProp(e, *file);
    QVERIFY(crate);
    QCOMPARE((*crate)->mounts.size(), 1U);
    QCOMPARE((*crate)->mounts.front().name, std::string("mount_top"));
    e.part = "rock_1";
    QVERIFY((*makePlanProp(e, *file))->mounts.empty());
    e.part = "rock_7";
    const auto none = makePlanProp(e, *file);
    QVERIFY(!none && none.error().advice.find("rock_1, ") != std::string::npos);
  }

  void theAtHomeNodeSetsThemThere() {
    Folder folder;
    folder.write(5);
    Plan plan = test::planOf({test::node("kit", "choose-props", {{"pick", std::string("name")}}),
                              test::node("home", "at-home", {}, {{"kit", "kit"}}),
                              test::node("out", "output", {}, {{"points", "home"}})});
    plan.props.push_back(wholeFile());
    const auto file = folder.read();
    splitProp(plan, "whole", PartBy::Part, namesOfSplit(*splitsOf(*file), PartBy::Part));
    PropChoices all;
    for (const PropEntry& e : plan.props) all.push_back({e.uid, 1, true});
    plan.find("kit")->params = {{"props", all}};
    Evaluator evaluator(std::make_shared<DiskFileService>(folder.dir.path().toStdString()));
    const Evaluation e = evaluator.evaluate(plan, {});
    const PointsPtr p = e.firstOf<PointsPtr>("home");
    QVERIFY(p && p->count == 7);
    std::vector<PropPtr> props;
    for (std::size_t i = 0; i < p->count; ++i) {
      auto moved = std::make_shared<Prop>(*p->kit->entries[static_cast<std::size_t>(p->prop[i])].prop);
      moved->home = {p->position[i], p->orientation[i], p->size[i]};
      props.push_back(moved);
    }
    QCOMPARE(missingFrom(*file, props), 0U);
  }

  void listsHoldThePartsAndHandsKeepTheWhole() {
    FileSplits splits;
    splits.parts = {"a", "b", "c"};
    Plan plan = test::planOf({test::node("kit", "choose-props")});
    plan.props = {wholeFile()};
    PropEntry other = wholeFile();
    other.uid = "other";
    plan.props.push_back(other);
    plan.find("kit")->params["props"] = PropChoices{{"other", 1, true}, {"whole", 2.5, true}};
    Plan touched = plan;
    HandPoints points;
    points.numberOf("whole");
    Node hand = test::node("hand", "placed-by-hand");
    hand.params["points"] = points;
    touched.nodes.push_back(hand);
    for (Plan* p : {&plan, &touched}) {
      const bool isTouched = p == &touched;
      const auto uids = splitProp(*p, "whole", PartBy::Part, splits.parts);
      QCOMPARE(p->findProp("whole") != nullptr, isTouched);
      QCOMPARE(p->props.size(), isTouched ? 5U : 4U);
      const auto list = std::get<PropChoices>(p->find("kit")->params.at("props"));
      QCOMPARE(list.size(), 4U);
      for (std::size_t k = 0; k < 3; ++k) {
        QCOMPARE(list[k + 1].prop, uids[k]);
        QCOMPARE(list[k + 1].weight, 2.5);
      }
      // What joins the file is told, and joins the list; what is there keeps its uid and settings.
      splits.parts = {"a", "b", "c", "d"};
      p->props.back().name = "renamed";
      const PropEntry first = *p->findProp(uids[0]);
      QCOMPARE(newParts(*p, first, splits), std::vector<std::string>{"d"});
      const auto more = addParts(*p, uids[0], newParts(*p, first, splits));
      QCOMPARE(more.size(), 1U);
      QCOMPARE(*p->findProp(uids[0]), first);
      QCOMPARE(std::get<PropChoices>(p->find("kit")->params.at("props")).size(), 5U);
      QVERIFY(newParts(*p, first, splits).empty());
      splits.parts = {"a", "b", "c"};
    }
  }

  void aLightFileStandsForIt() {
    Folder folder;
    folder.write(2);
    const auto box = std::make_shared<const Surface>(makeBox({2, 3, 4}));
    QVERIFY(exporters::glbOf({{"light", box}}, folder.dir.filePath(QStringLiteral("light.glb")).toStdString()));
    Plan plan;
    plan.props.push_back(wholeFile());
    plan.props.front().lightFile = "light.glb";
    plan.props.front().size = 2;
    Evaluator evaluator(std::make_shared<DiskFileService>(folder.dir.path().toStdString()));
    const Evaluation e = evaluator.evaluate(plan, {});
    QCOMPARE(e.props.size(), 1U);
    const Vec3 size = massingOf(*e.props.front())->bounds().extent();
    QVERIFY(glm::distance(size, Vec3(4, 6, 8)) < 1e-3F);
    plan.props.front().lightFile = "none.glb";
    const Evaluation missing = evaluator.evaluate(plan, {});
    QVERIFY(!missing.props.front()->isMissing);
    QVERIFY(missing.propProblems.contains("whole"));
    QCOMPARE(massingOf(*missing.props.front())->faceCount(), 12U);
  }
};

QTEST_GUILESS_MAIN(TestSplitting)
#include "tst_splitting.moc"
