// Identity: what one input, part, face or marker does changes no other point's id, place or draw. In whole plans, since
// each later draw goes by the ids of all nodes before it.
#include "core/geometry/faces.h"
#include "core/geometry/welding.h"
#include "core/props/quantities.h"
#include "core/spatial/point_tree.h"
#include "tests/support/plans.h"

#include <algorithm>
#include <set>

using namespace arvesk;
using test::node;

namespace {

std::map<std::uint64_t, std::uint32_t> placesOf(const Points& p) {
  std::map<std::uint64_t, std::uint32_t> out;
  for (std::size_t i = 0; i < p.count; ++i) out[p.id[i]] = static_cast<std::uint32_t>(i);
  return out;
}

/// What differs of the points that both have, or nothing; `common` becomes their number.
std::optional<std::string> differenceOfCommon(const Points& a, const Points& b, std::size_t& common) {
  const auto places = placesOf(b);
  Array<std::uint32_t> mine;
  Array<std::uint32_t> yours;
  for (std::size_t i = 0; i < a.count; ++i)
    if (const auto it = places.find(a.id[i]); it != places.end()) {
      mine.push_back(static_cast<std::uint32_t>(i));
      yours.push_back(it->second);
    }
  common = mine.size();
  return findDifference(gathered(a, mine), gathered(b, yours));
}

/// Files made in memory.
class MadeFiles final : public FileService {
 public:
  std::map<std::string, SurfacePtr> surfaces;
  Result<std::uint64_t> contentKey(const std::string& path) override {
    return surfaces.contains(path) ? Result<std::uint64_t>(reinterpret_cast<std::uintptr_t>(surfaces[path].get()))
                                   : fail(ProblemCode::FileMissing, "there is no such file");
  }
  Result<SurfacePtr> surface(const std::string& path, const Task&, std::vector<Problem>&) override {
    return surfaces.at(path);
  }
  Result<SurfacePtr> scene(const std::string& path, const Task&, std::vector<Problem>&) override {
    return surfaces.at(path);
  }
  Result<TablePtr> table(const std::string&, const Task&) override {
    return fail(ProblemCode::FileMissing, "no tables");
  }
  Result<VolumeFilePtr> volumes(const std::string&, const Task&, std::vector<Problem>&) override {
    return fail(ProblemCode::FileMissing, "no volumes");
  }
  Result<ImagePtr> image(const std::string&, const Task&) override {
    return fail(ProblemCode::FileMissing, "no images");
  }
};

/// `columns` × `rows` quads of uneven size, each with vertices of its own, colored and mapped linearly by place.
Surface lots(int columns, int rows, bool isShared = false) {
  Surface s;
  s.parts.clear();
  const auto at = [](int c, int r) {
    return Vec3(static_cast<float>(c) * 3 + 0.6F * std::sin(static_cast<float>(c)), 0.3F * static_cast<float>(c),
                static_cast<float>(r) * 2 + 0.4F * std::sin(static_cast<float>(r) * 2));
  };
  Array<float> wear;
  const auto vertex = [&](int c, int r) {
    s.positions.edit().push_back(at(c, r));
    const Vec3 p = s.positions.back();
    s.uvs.edit().push_back({0.1F * p.x, 0.2F * p.z});
    s.colors.edit().push_back({0.02F * p.x, 0.03F * p.z, 0.5F, 1});
    wear.push_back(p.x - 2 * p.z);
    return static_cast<std::uint32_t>(s.positions.size() - 1);
  };
  std::map<std::pair<int, int>, std::uint32_t> known;
  const auto corner = [&](int c, int r) {
    if (!isShared) return vertex(c, r);
    const auto it = known.find({c, r});
    return it != known.end() ? it->second : known[{c, r}] = vertex(c, r);
  };
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      const std::uint32_t a = corner(c, r), b = corner(c, r + 1), d = corner(c + 1, r + 1), e = corner(c + 1, r);
      s.triangles.edit().push_back({a, b, d});
      s.triangles.edit().push_back({a, d, e});
    }
  s.vertexAttributes["wear"] = Column<float>(std::move(wear));
  computeSmoothNormals(s);
  return s;
}

/// The same triangles in another order, corners turned round.
Surface shuffled(const Surface& s, std::uint64_t seed) {
  std::vector<std::uint32_t> order(s.faceCount());
  for (std::uint32_t f = 0; f < order.size(); ++f) order[f] = f;
  std::sort(order.begin(), order.end(),
            [&](std::uint32_t a, std::uint32_t b) { return mix64(a ^ seed) < mix64(b ^ seed); });
  Surface out = s;
  Array<UVec3> triangles;
  Array<std::uint64_t> keys;
  for (const std::uint32_t f : order) {
    const UVec3 t = s.triangles[f];
    triangles.push_back(f % 3 == 0 ? t : f % 3 == 1 ? UVec3(t.y, t.z, t.x) : UVec3(t.z, t.x, t.y));
    keys.push_back(s.faceKey(f));
  }
  out.triangles = std::move(triangles);
  out.faceKeys = std::move(keys);
  return out;
}

/// Without every fourth lot.
Surface withGaps(const Surface& s, const std::set<std::size_t>& gone) {
  Array<std::uint32_t> kept;
  for (std::uint32_t f = 0; f < s.faceCount(); ++f)
    if (!gone.contains(f / 2)) kept.push_back(f);
  return cutTo(s, kept);
}

}  // namespace

class TestIdentity : public QObject {
  Q_OBJECT

  static Evaluation evaluated(const Plan& plan) {
    return Evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString()))
        .evaluate(plan, {});
  }

  /// Three scatters at places of `kind`, dressed and varied after it.
  static Plan joined(const char* kind, const ParamMap& params = {}) {
    std::vector<Node> nodes{node("ground", "shape", {{"extent", std::vector<double>{30, 1, 30}}})};
    for (const char* uid : {"a", "b", "c"})
      nodes.push_back(node(uid, "sow-on-surface", {{"density", 0.5}}, {{"surface", "ground"}}));
    nodes.push_back(node("joined", kind, params, {{"points", "a|b|c"}}));
    nodes.push_back(node("vary", "vary", {{"size", std::vector<double>{0.5, 2}}}, {{"points", "joined"}}));
    nodes.push_back(node("kit", "choose-props", {{"pattern", std::string("*")}}));
    nodes.push_back(node("dress", "dress", {}, {{"points", "vary"}, {"kit", "kit"}}));
    nodes.push_back(node("out", "output", {}, {{"points", "dress"}}));
    return test::planOf(std::move(nodes));
  }

 private Q_SLOTS:
  void oneInputChangesNothingOfTheOthers_data() {
    QTest::addColumn<QString>("how");
    QTest::addColumn<int>("place");
    for (const char* how : {"skip", "unlink"})
      for (int place = 0; place < 3; ++place)
        QTest::addRow("%s input %d", how, place + 1) << QString::fromLatin1(how) << place;
  }
  void oneInputChangesNothingOfTheOthers() {
    QFETCH(QString, how);
    QFETCH(int, place);
    const auto without = [&](Plan plan) {
      Link& link = plan.find("joined")->inputs["points"][static_cast<std::size_t>(place)];
      if (how == QStringLiteral("skip"))
        plan.find(link.node)->isSkipped = true;
      else
        link.node.clear(), link.output.clear(), tidyPlaces(plan);
      return plan;
    };
    const Plan plan = joined("merge");
    const PointsPtr all = evaluated(plan).firstOf<PointsPtr>("out");
    const Evaluation less = evaluated(without(plan));
    const PointsPtr rest = less.firstOf<PointsPtr>("out");
    QVERIFY(rest && rest->count > 0 && rest->count < all->count);
    std::size_t common = 0;
    const auto difference = differenceOfCommon(*rest, *all, common);
    QVERIFY2(!difference, difference ? difference->c_str() : "");
    QCOMPARE(common, rest->count);
    // Choose counts places, not what is left of them.
    for (int number = 1; number <= 3; ++number) {
      const Plan choosing = joined("choose", {{"number", static_cast<double>(number)}});
      const Evaluation e = evaluated(without(choosing));
      if (number == place + 1) {
        QCOMPARE(e.reports.at("joined").state, NodeState::Failed);
        QVERIFY(e.reports.at("joined").problems.front().message.find("place") != std::string::npos ||
                e.reports.at("joined").problems.front().message.find("inputs") != std::string::npos);
      } else {
        QVERIFY(!findDifference(*e.firstOf<PointsPtr>("out"), *evaluated(choosing).firstOf<PointsPtr>("out")));
      }
    }
    // A weight of Blend belongs to its place.
    Plan blending = test::planOf(
        {node("x", "expression", {{"text", std::string("0.2")}}),
         node("y", "expression", {{"text", std::string("0.5")}}), node("z", "expression", {{"text", std::string("1")}}),
         node("joined", "blend",
              {{"mode", std::string("add")}, {"weight_1", 0.1}, {"weight_2", 0.2}, {"weight_3", 0.4}},
              {{"points", "x|y|z"}})});
    blending.find("joined")->inputs["masks"] = blending.find("joined")->inputs["points"];
    blending.find("joined")->inputs.erase("points");
    Plan cut = blending;
    Link& link = cut.find("joined")->inputs["masks"][static_cast<std::size_t>(place)];
    link.node.clear();
    const MaskPtr mask = evaluated(cut).firstOf<MaskPtr>("joined");
    Points somewhere = test::randomPoints(1, Vec3(1), 0, 0, 1);
    const std::array<double, 3> parts{0.1 * 0.2, 0.2 * 0.5, 0.4};
    QVERIFY(test::within(static_cast<double>(maskValues({}, *mask, somewhere)[0]),
                         parts[0] + parts[1] + parts[2] - parts[static_cast<std::size_t>(place)], 1e-5));
  }

  /// 72 lots, three taken away: the others stay as they are, whatever is done with them after.
  void lotsTakenAwayChangeNothingOfTheOthers_data() {
    QTest::addColumn<QString>("of");
    for (const char* of : {"face", "vertex", "edge", "cell"}) QTest::newRow(of) << QString::fromLatin1(of);
  }
  void lotsTakenAwayChangeNothingOfTheOthers() {
    QFETCH(QString, of);
    const auto sown = [&](const Surface& s) {
      test::Bench bench;
      const ParamMap params{{"of", of.toStdString()}, {"cell", std::vector<double>{1, 1, 1}}};
      const PointsPtr points = bench.points("points-of-surface",
                                            test::inputs({{"surface", std::make_shared<const Surface>(s)}}), params);
      return bench.points("dress", test::inputs({{"points", points}, {"kit", test::someKit()}}));
    };
    const Surface all = lots(9, 8);
    const PointsPtr whole = sown(all);
    const PointsPtr less = sown(withGaps(all, {3, 30, 71}));
    std::size_t common = 0;
    auto strip = [](const PointsPtr& p) {  // which triangle of the surface it is, by number, may differ
      Points out = *p;
      out.groundFace = Column<std::uint32_t>(kNoFace);
      return out;
    };
    const auto difference = differenceOfCommon(strip(less), strip(whole), common);
    if (of == QStringLiteral("face")) {
      QCOMPARE(whole->count, std::size_t{72});
      QCOMPARE(less->count, std::size_t{69});
      QVERIFY2(!difference, difference ? difference->c_str() : "");
    }
    QVERIFY(common + 40 > less->count);
    // Any order of triangles makes the same faces, with the same names.
    if (of == QStringLiteral("cell")) return;  // cells are measured by samples of the triangles, one by one
    const PointsPtr other = sown(shuffled(all, 7));
    QCOMPARE(other->count, whole->count);
    const auto places = placesOf(*other);
    for (std::size_t i = 0; i < whole->count; ++i) {
      QVERIFY(places.contains(whole->id[i]));
      const std::uint32_t k = places.at(whole->id[i]);
      QVERIFY(glm::distance(other->position[k], whole->position[i]) < 1e-4F);  // sums are taken in another order
      QCOMPARE(other->prop[k], whole->prop[i]);
      if (of == QStringLiteral("face"))
        QVERIFY(std::abs(glm::dot(other->orientation[k], whole->orientation[i])) > 0.9999F);
    }
  }

  void mergedSurfacesComeAndGo() {
    const auto surface = [](const Vec3& at) {
      return std::make_shared<const Surface>(transformed(lots(4, 3), at, Quat(1, 0, 0, 0), 1));
    };
    const std::array<SurfacePtr, 3> parts{surface({0, 0, 0}), surface({30, 0, 0}), surface({0, 0, 30})};
    const auto merged = [&](std::initializer_list<std::size_t> which) {
      test::Bench bench;
      Inputs in;
      for (const std::size_t k : {0U, 1U, 2U})
        in.links["surfaces"].push_back(
            {std::find(which.begin(), which.end(), k) == which.end() ? Value{} : Value{parts[k]},
             hashText("slot" + std::to_string(k))});
      return std::get<SurfacePtr>(bench.run("merge-surfaces", in)->front());
    };
    const auto picked = [&](const SurfacePtr& s, const std::vector<double>& faces) {
      test::Bench bench;
      return std::get<SurfacePtr>(
          bench
              .run("part-of-surface", test::inputs({{"surface", s}}), {{"by", std::string("picked")}, {"faces", faces}})
              ->front());
    };
    const auto sown = [](const SurfacePtr& s) {
      test::Bench bench;
      Points p = *bench.points("sow-on-surface", test::inputs({{"surface", s}}), {{"density", 6.0}});
      p.groundFace = Column<std::uint32_t>(kNoFace);
      return p;
    };
    const SurfacePtr all = merged({0, 1, 2});
    std::set<std::uint64_t> keys;
    for (std::size_t f = 0; f < all->faceCount(); ++f) keys.insert(all->faceKey(f));
    QCOMPARE(keys.size(), all->faceCount());
    for (const SurfacePtr& less : {merged({1, 2}), merged({0, 2}), merged({2})}) {
      std::size_t common = 0;
      const Points rest = sown(less);
      const auto difference = differenceOfCommon(rest, sown(all), common);
      QVERIFY2(!difference, difference ? difference->c_str() : "");
      QCOMPARE(common, rest.count);
    }
    // One more face picked moves none on another, and picks mean the same faces when another surface is gone.
    FaceList some{{all->faceKey(30), all->faceKey(31), all->faceKey(50)}};
    FaceList more = some;
    more.keys.push_back(all->faceKey(60));
    std::size_t common = 0;
    const Points few = sown(picked(all, numbersOf(some)));
    QVERIFY(!differenceOfCommon(few, sown(picked(all, numbersOf(more))), common));
    QCOMPARE(common, few.count);
    const Points again = sown(picked(merged({1, 2}), numbersOf(some)));
    QVERIFY(!findDifference(again, few));
  }

  void partsOfAFileComeAndGo() {
    Surface two = lots(6, 2);
    two.parts = {"deck", "roof", "wall"};
    for (std::size_t f = 0; f < two.faceCount(); ++f) two.faceParts.edit().push_back(static_cast<std::uint16_t>(f % 3));
    auto files = std::make_shared<MadeFiles>();
    files->surfaces["two.glb"] = std::make_shared<const Surface>(two);
    const auto sown = [&](const char* parts) {
      test::Bench bench;
      bench.ctx.files = files.get();
      const auto ground = bench.run("mesh-file", {}, {{"file", std::string("two.glb")}, {"parts", std::string(parts)}});
      Points p = *bench.points("sow-on-surface", test::inputs({{"surface", ground->front()}}), {{"density", 20.0}});
      p.groundFace = Column<std::uint32_t>(kNoFace);
      return p;
    };
    std::size_t common = 0;
    const Points few = sown("roof");
    QVERIFY(!differenceOfCommon(few, sown("roof; wall"), common));
    QCOMPARE(common, few.count);
  }

  /// Equal names, and names that look like what tells equal ones apart.
  void markersAreToldApart() {
    Surface scene;
    for (const char* name : {"post", "post", "post#2", "a/b", "post#3", "post"})
      scene.nodes.push_back({name, -1, {}, {1, 0, 0, 0}, Vec3(1)});
    scene.nodes.push_back({"a", -1, {}, {1, 0, 0, 0}, Vec3(1)});
    scene.nodes.push_back({"b", 6, {}, {1, 0, 0, 0}, Vec3(1)});
    auto files = std::make_shared<MadeFiles>();
    files->surfaces["scene.glb"] = std::make_shared<const Surface>(scene);
    test::Bench bench;
    bench.ctx.files = files.get();
    const PointsPtr points = bench.points("markers", {}, {{"file", std::string("scene.glb")}});
    QCOMPARE(points->count, scene.nodes.size());
    QVERIFY(!findFault(*points));
  }

  void ofEquallyNearPointsTheLowestIdCounts() {
    const Array<Vec3> places{Vec3(1, 0, 0), Vec3(-1, 0, 0), Vec3(0, 0, 1), Vec3(0, 0, -1)};
    for (const Array<std::uint64_t>& ids :
         {Array<std::uint64_t>{9, 7, 8, 6}, Array<std::uint64_t>{1, 7, 8, 6}, Array<std::uint64_t>{9, 7, 2, 6}}) {
      const PointTree tree(places, {}, ids);
      const auto lowest = static_cast<std::uint32_t>(std::min_element(ids.begin(), ids.end()) - ids.begin());
      QCOMPARE(*tree.nearest(Vec3(0)), lowest);
    }
  }

  /// Who stands outside of all patches draws by itself, not as one with all others there.
  void pointsWithoutAPatchDrawByThemselves() {
    test::Bench bench;
    Points patches = test::randomPoints(3, {10, 0, 10}, 1, 1, 4);
    const PointsPtr points = std::make_shared<const Points>(test::randomPoints(600, {40, 0, 40}, 0.1F, 0.1F, 5));
    Inputs in = test::inputs({{"points", points}, {"patches", std::make_shared<const Points>(patches)}});
    const auto none = bench.run("expression", {}, {{"text", std::string("0")}});
    in.links["where"].push_back({none->front(), 1});  // no point is exposed: all pass, held or not
    const PointsPtr all = bench.points("keep-in", in);
    QCOMPARE(all->count, points->count);
    const PointsPtr drawn = bench.points(
        "write-attribute", test::inputs({{"points", all}}),
        {{"name", std::string("u")}, {"per", std::string("patch")}, {"numbers", std::vector<double>{0, 1}}});
    std::set<std::uint64_t> distinct;
    for (std::size_t i = 0; i < drawn->count; ++i) distinct.insert(drawId(*drawn, DrawPer::Patch, i));
    QVERIFY2(distinct.size() > 400, qPrintable(QString::number(distinct.size())));
  }

  /// At middles, corners and sides of quads, for points and for samples on props: everything lies where the mesh has
  /// it.
  void attributesAreRightWhereverAPointLies_data() {
    QTest::addColumn<QString>("of");
    QTest::addColumn<bool>("onProp");
    QTest::addColumn<bool>("isShuffled");
    for (const bool onProp : {false, true})
      for (const bool isShuffled : {false, true})
        for (const char* of : {"face", "vertex", "edge", "even"}) {
          if (onProp != (of == std::string("even")) || of == std::string("vertex") || of == std::string("face"))
            QTest::addRow("%s%s%s", onProp ? "on props, " : "", of, isShuffled ? ", shuffled" : "")
                << QString::fromLatin1(of) << onProp << isShuffled;
        }
  }
  void attributesAreRightWhereverAPointLies() {
    QFETCH(QString, of);
    QFETCH(bool, onProp);
    QFETCH(bool, isShuffled);
    if (onProp && of == QStringLiteral("edge")) return;
    if (!onProp && of == QStringLiteral("even")) return;
    const Surface mesh = isShuffled ? shuffled(lots(5, 4), 3) : lots(5, 4);
    const auto surface = std::make_shared<const Surface>(mesh);
    test::Bench bench;
    PointsPtr points;
    if (onProp) {
      auto kit = std::make_shared<Kit>();
      kit->entries.push_back({makeProp("deck", "deck", surface), 1});
      Points one = test::randomPoints(1, Vec3(0), 0.1F, 0.1F, 1);
      one.kit = kit;
      one.prop = Column<std::int32_t>(0);
      const std::string at = of == QStringLiteral("face")     ? "faces"
                             : of == QStringLiteral("vertex") ? "vertices"
                                                              : "even";
      points = bench.points("on-props", test::inputs({{"points", std::make_shared<const Points>(one)}}),
                            {{"at", at}, {"spacing", 0.5}});
    } else {
      points = bench.points("points-of-surface", test::inputs({{"surface", surface}}), {{"of", of.toStdString()}});
    }
    QVERIFY(points->count >= 20);
    const auto* wear = columnOf<Column<float>>(points->attributes, "wear");
    const auto* color = columnOf<Column<Vec3>>(points->attributes, "color");
    QVERIFY(wear && color);
    for (std::size_t i = 0; i < points->count; ++i) {
      const Vec3 p = points->position[i];
      QVERIFY(glm::distance(points->groundUv[i], Vec2(0.1F * p.x, 0.2F * p.z)) < 1e-4F);
      QVERIFY(std::abs((*wear)[i] - (p.x - 2 * p.z)) < 1e-3F);
      QVERIFY(glm::distance((*color)[i], Vec3(0.02F * p.x, 0.03F * p.z, 0.5F)) < 1e-4F);
    }
    // No two points at one place.
    for (std::size_t i = 0; i < points->count; ++i)
      for (std::size_t k = 0; k < i; ++k) QVERIFY(glm::distance(points->position[i], points->position[k]) > 1e-3F);
  }

  void seamsAndPolesHaveOnePointEach() {
    const auto ball = std::make_shared<const Surface>(makeBall(2, 12));
    test::Bench bench;
    for (const char* of : {"vertex", "edge"}) {
      const PointsPtr points = bench.points("points-of-surface", test::inputs({{"surface", ball}}),
                                            {{"of", std::string(of)}});
      for (std::size_t i = 0; i < points->count; ++i)
        for (std::size_t k = 0; k < i; ++k)
          QVERIFY2(glm::distance(points->position[i], points->position[k]) > 1e-3F, of);
    }
    QCOMPARE(openEdgeCount(*ball), std::size_t{0});
  }

  /// A gable roof turned any way: what one slope's headings are to it, the other's are to the other.
  void bothSlopesOfARoofAreAlike() {
    for (int turn = 0; turn < 360; turn += 15) {
      Surface roof;
      const Quat q = glm::angleAxis(radians(static_cast<float>(turn)), kUp);
      for (const Vec3& p :
           {Vec3(-4, 0, 3), Vec3(4, 0, 3), Vec3(4, 2, 0), Vec3(-4, 2, 0), Vec3(4, 0, -3), Vec3(-4, 0, -3)})
        roof.positions.edit().push_back(q * p);
      for (const UVec3& t : {UVec3(0, 1, 2), UVec3(0, 2, 3), UVec3(3, 2, 4), UVec3(3, 4, 5)})
        roof.triangles.edit().push_back(t);
      computeSmoothNormals(roof);
      test::Bench bench;
      for (const char* heading : {"longest", "shortest"}) {
        const PointsPtr p = bench.points("points-of-surface",
                                         test::inputs({{"surface", std::make_shared<const Surface>(roof)}}),
                                         {{"heading", std::string(heading)}});
        QCOMPARE(p->count, std::size_t{2});
        const auto own = [&](std::size_t i) { return p->orientation[i] * Vec3(0, 0, 1); };
        QVERIFY2(glm::distance(own(0), glm::angleAxis(kPi, kUp) * own(1)) < 1e-3F,
                 qPrintable(QStringLiteral("%1 at %2°").arg(QLatin1String(heading)).arg(turn)));
        if (heading == std::string("shortest")) QVERIFY(own(0).y < -0.1F);  // down the slope
      }
    }
  }

  /// Faces by their three definitions, in any order of triangles.
  void facesAreWhatPeopleSee() {
    Surface deck = lots(6, 5, true);
    for (Vec3& p : deck.positions.edit()) p.y = 0;
    for (const std::uint64_t seed : {0U, 1U, 2U, 3U}) {
      const Surface s = seed == 0 ? deck : shuffled(deck, seed);
      const auto quads = facesBy(s, {FacesAre::Quads, 1});
      QCOMPARE(quads->count(), std::size_t{30});
      for (std::size_t f = 0; f < quads->count(); ++f) {
        QCOMPARE(quads->of(f).size(), std::size_t{2});
        QCOMPARE(keyOfFace(s, *quads, f) / 2, (s.faceKey(quads->of(f)[0]) / 2));
        QCOMPARE(sidesOf(s, *quads, f, FacesAre::Quads).size(), std::size_t{4});
      }
      QCOMPARE(facesBy(s, {FacesAre::Triangles, 1})->count(), std::size_t{60});
      const auto areas = facesBy(s, {FacesAre::FlatAreas, 1});
      QCOMPARE(areas->count(), std::size_t{1});
      QCOMPARE(sidesOf(s, *areas, 0, FacesAre::FlatAreas).size(), std::size_t{4});  // what runs straight on is one side
    }
    // A box has six flat areas, whatever its normals; at 90° it has one.
    const Surface box = makeBox({1, 2, 3});
    QCOMPARE(facesBy(box, {FacesAre::FlatAreas, 1})->count(), std::size_t{6});
    QCOMPARE(facesBy(box, {FacesAre::FlatAreas, 90})->count(), std::size_t{1});
  }
};

QTEST_GUILESS_MAIN(TestIdentity)
#include "tst_identity.moc"
