// Hit: what lies against what, what breaks loose with what is hit, and how loose ones come to lie.
#include "core/masks/place_masks.h"
#include "core/spatial/body.h"
#include "core/spatial/holding.h"
#include "core/spatial/settling.h"
#include "core/spatial/surface_index.h"
#include "tests/support/bodies.h"

#include <map>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

constexpr Vec3 kBlock{0.5F, 0.25F, 0.25F};  // m

PropPtr block() {
  static const PropPtr prop = makeProp("block", "Block", published(makeBox(kBlock)));
  return prop;
}

/// Blocks of a wall along x, row over row, every second one half a block aside.
Points wall(int wide, int tall) {
  Array<Vec3> position;
  Array<std::uint64_t> id;
  for (int row = 0; row < tall; ++row)
    for (int k = 0; k < wide; ++k) {
      position.push_back(
          {(static_cast<float>(k) + (row % 2 == 1 ? 0.5F : 0)) * kBlock.x, static_cast<float>(row) * kBlock.y, 0});
      id.push_back(id.size() + 1);
    }
  Kit kit;
  kit.entries.push_back({block(), 1});
  Points out;
  out.count = id.size();
  out.position = std::move(position);
  out.id = std::move(id);
  out.kit = std::make_shared<const Kit>(std::move(kit));
  out.prop = Column<std::int32_t>(0);
  return out;
}

MaskPtr ball(const Vec3& at, float radius) {
  Region region;
  region.shape = RegionShape::Ball;
  region.center = at;
  region.extent = Vec3(2 * radius);
  region.softness = 0.01F;
  return makeRegionMask(region, {});
}

std::vector<PlacedMesh> meshesOf(const Points& points) {
  std::vector<PlacedMesh> out;
  for (std::size_t i = 0; i < points.count; ++i) out.push_back(placedMesh(points, i));
  return out;
}

std::vector<PlacedTriangle> trianglesOf(const PlacedMesh& mesh) {
  std::vector<PlacedTriangle> out;
  for (std::size_t i = 0; i < mesh.count(); ++i) out.push_back(mesh.triangle(i));
  return out;
}

SurfacePtr surfaceOf(const PlacedMesh& mesh, double lift) {
  Surface s;
  Array<Vec3> positions;
  Array<UVec3> triangles;
  for (std::size_t i = 0; i < mesh.count(); ++i) {
    const PlacedTriangle t = mesh.triangle(i);
    const auto first = static_cast<std::uint32_t>(positions.size());
    for (const DVec3& c : t.corner) positions.push_back(Vec3(c + DVec3(0, lift, 0)));
    triangles.push_back({first, first + 1, first + 2});
  }
  s.positions = std::move(positions);
  s.triangles = std::move(triangles);
  return published(std::move(s));
}

/// Pairs of bodies of which one holds a place a little under the skin of the other, by rays; and how many of the first
/// `count` would be in one another, or in the ground, if they were let down by `lower` m.
struct Overlaps {
  std::size_t now = 0;
  std::size_t standing = 0;  // of those that are let down
};

Overlaps overlapsOf(const std::vector<PlacedMesh>& meshes, std::size_t count, const SurfacePtr& ground, double lower) {
  std::vector<std::shared_ptr<const Body>> bodies;
  for (const PlacedMesh& m : meshes) bodies.push_back(*Body::of({surfaceOf(m, 0)}, {}));
  const auto index = ground ? *SurfaceIndex::of(*ground) : nullptr;
  // Places just under the skin, of each face its middle, and three more; those that are near no other face.
  const auto placesOf = [&bodies](const std::vector<PlacedMesh>& all, std::size_t i) {
    const PlacedMesh& m = all[i];
    std::vector<DVec3> out;
    const auto add = [&](const DVec3& p) {
      for (const DVec3& d : {DVec3(1, 0, 0), DVec3(0, 1, 0), DVec3(0, 0, 1)})
        for (const double by : {-0.0008, 0.0008})
          if (!bodies[i]->isInside(Vec3(p + by * d))) return;
      out.push_back(p);
    };
    for (const PlacedTriangle& t : trianglesOf(m)) {
      const double area = glm::length(t.area());
      if (!(area > 1e-9)) continue;
      for (const DVec3& w : {DVec3(1, 1, 1) / 3.0, DVec3(0.8, 0.1, 0.1), DVec3(0.1, 0.8, 0.1), DVec3(0.1, 0.1, 0.8)})
        add(w.x * t.corner[0] + w.y * t.corner[1] + w.z * t.corner[2] - 0.001 / area * t.area());
    }
    return out;
  };
  const auto cross = [](const PlacedMesh& a, const PlacedMesh& b, double lowered) {
    const DVec3 down(0, lowered, 0);
    for (const PlacedTriangle& t : trianglesOf(a))
      for (const PlacedTriangle& s : trianglesOf(b)) {
        if (!t.box.grown(std::abs(lowered)).meets(s.box)) continue;
        for (std::size_t k = 0; k < 3; ++k) {
          // A side of the one through the face of the other (Möller and Trumbore, 1997).
          const DVec3 from = t.corner[k] - down;
          const DVec3 way = t.corner[(k + 1) % 3] - t.corner[k];
          const DVec3 e1 = s.corner[1] - s.corner[0];
          const DVec3 e2 = s.corner[2] - s.corner[0];
          const DVec3 p = glm::cross(way, e2);
          const double det = glm::dot(e1, p);
          if (std::abs(det) < 1e-14) continue;
          const DVec3 d = from - s.corner[0];
          const double u = glm::dot(d, p) / det;
          const DVec3 q = glm::cross(d, e1);
          const double v = glm::dot(way, q) / det;
          const double along = glm::dot(e2, q) / det;
          if (u >= 0 && v >= 0 && u + v <= 1 && along >= 0 && along <= 1) return true;
        }
      }
    return false;
  };
  Overlaps out;
  for (std::size_t a = 0; a < count; ++a) {
    bool isStanding = false;
    const auto places = placesOf(meshes, a);
    for (std::size_t b = 0; b < meshes.size(); ++b) {
      if (a == b || !meshes[a].box().grown(lower).meets(meshes[b].box())) continue;
      for (const DVec3& p : places) out.now += (*bodies[b]).isInside(Vec3(p));
      if (b < count)
        for (const DVec3& p : placesOf(meshes, b)) out.now += (*bodies[a]).isInside(Vec3(p));
      isStanding = isStanding || cross(meshes[a], meshes[b], lower) || cross(meshes[b], meshes[a], -lower);
      // A flat side on a flat side has no sides through faces.
      for (const DVec3& p : places) isStanding = isStanding || (*bodies[b]).isInside(Vec3(p - DVec3(0, lower, 0)));
    }
    for (const PlacedTriangle& t : trianglesOf(meshes[a]))
      for (std::size_t k = 0; k < 3 && !isStanding; ++k)
        isStanding =
            index
                ? index->first(Vec3(t.corner[k]) + Vec3(0, 0.001F, 0), -kUp, static_cast<float>(lower) + 0.001F).isHit()
                : t.corner[k].y < lower;
    if (ground && !isStanding) {
      Array<DVec3> corners;
      for (const Vec3& p : ground->positions) corners.push_back(DVec3(p));
      Array<UVec3> near;
      for (const UVec3& f : ground->triangles) {
        DBox3 box;
        for (int c = 0; c < 3; ++c) box.add(DVec3(ground->positions[f[c]]));
        if (box.meets(meshes[a].box().grown(lower))) near.push_back(f);
      }
      const PlacedMesh sheet(std::move(corners), std::move(near));
      isStanding = cross(meshes[a], sheet, lower) || cross(sheet, meshes[a], -lower);
    }
    out.standing += isStanding;
  }
  return out;
}

struct Broken {
  PointsPtr home;
  PointsPtr loose;
  std::vector<Problem> warnings;
  std::string said;
};

Broken hit(const PointsPtr& points, const MaskPtr& where, const ParamMap& params, const SurfacePtr& ground = nullptr) {
  Bench bench;
  Broken out;
  bench.ctx.said = &out.said;
  Inputs in = inputs({{"points", points}, {"where", where}});
  if (ground) in.links["ground"].push_back({ground, 1, {}});
  const auto made = bench.run("hit", in, params);
  if (!made) {
    QTest::qFail(made.error().message.c_str(), __FILE__, __LINE__);
    return out;
  }
  out.home = std::get<PointsPtr>((*made)[0]);
  out.loose = std::get<PointsPtr>((*made)[1]);
  out.warnings = bench.warnings;
  return out;
}

/// Pieces of a body at home, of Break up.
PointsPtr piecesOf(const SurfacePtr& body, ParamMap params) {
  Bench bench;
  const auto broken = bench.run("break-up", inputs({{"body", body}}), params);
  if (!broken) {
    QTest::qFail(broken.error().message.c_str(), __FILE__, __LINE__);
    return std::make_shared<const Points>();
  }
  return bench.points("at-home", inputs({{"kit", (*broken)[0]}}));
}

}  // namespace

class TestHit : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Blocks of a wall meet by whole ends, and by half of their beds.
  void blocksMeetByTheirFaces() {
    const auto touches = touchesOf({}, meshesOf(wall(4, 3)), 0.005);
    std::size_t ends = 0;
    std::size_t beds = 0;
    for (const Touch& t : touches) {
      QVERIFY(t.a < t.b && t.b < 12);
      if (t.a / 4 == t.b / 4)
        ends += within(t.area, 0.25 * 0.25, 1e-6);
      else
        beds += within(t.area, 0.25 * 0.25, 1e-6);
    }
    QCOMPARE(ends, std::size_t{9});
    QCOMPARE(beds, std::size_t{14});
    QCOMPARE(touches.size(), ends + beds);
    Points apart = wall(2, 1);
    apart.position = Column<Vec3>(Array<Vec3>{{0, 0, 0}, {0.51F, 0, 0}});
    QVERIFY(touchesOf({}, meshesOf(apart), 0.005).empty());
    QCOMPARE(touchesOf({}, meshesOf(apart), 0.02).size(), std::size_t{1});
  }

  /// Of pieces the areas are those of the cuts, as Break up found them; also when they are rough.
  void piecesMeetByTheirCuts() {
    for (const double roughness : {0.0, 0.02}) {
      const PointsPtr points = piecesOf(
          pebble(20), {{"count", 24.0}, {"smallest", 0.0}, {"roughness", roughness}, {"longest", 0.1}});
      std::map<std::pair<std::string, std::string>, double> told;
      for (const KitEntry& e : points->kit->entries)
        for (const PieceOf::Contact& c : e.prop->piece->contacts)
          told[{e.prop->name, c.name}] = static_cast<double>(c.area);
      double sum = 0;
      double toldSum = 0;
      for (const Touch& t : touchesOf({}, meshesOf(*points), 0.0005)) {
        const std::string a = points->kit->entries[t.a].prop->name;
        const std::string b = points->kit->entries[t.b].prop->name;
        QVERIFY2((told.contains({a, b})), (a + " " + b).c_str());
        QVERIFY((told[{a, b}] == told[{b, a}]));
        // Steep neighbors of a rough cut face each other too, so there may be a little more.
        QVERIFY2(within(t.area, told[{a, b}], 1e-4, roughness > 0 ? 0.02 : 1e-3),
                 qPrintable(QString::number(t.area) + QStringLiteral(" ") + QString::number(told[{a, b}])));
        sum += t.area;
      }
      for (const auto& [names, area] : told) toldSum += area / 2;
      QVERIFY(within(sum, toldSum, 1e-3, 0.01));
    }
  }

  /// A tower that is hit in the middle loses all above it, and nothing below; without a hold all of it stays.
  void whatNothingHoldsFollows() {
    const auto tower = std::make_shared<const Points>(wall(1, 8));
    const MaskPtr middle = ball({0.1F, 0.875F, 0}, 0.3F);
    ParamMap params{{"then", std::string("stay")}, {"share", 40.0}, {"follows", std::string("none")}};
    const Broken only = hit(tower, middle, params);
    QVERIFY(only.loose->count >= 1 && only.loose->count <= 3);
    params["follows"] = std::string("unheld");
    const Broken all = hit(tower, middle, params);
    float lowest = 10;
    for (std::size_t i = 0; i < only.loose->count; ++i) lowest = std::min(lowest, only.loose->position[i].y);
    QCOMPARE(all.loose->count + all.home->count, tower->count);
    for (std::size_t i = 0; i < all.loose->count; ++i) QVERIFY(all.loose->position[i].y >= lowest);
    for (std::size_t i = 0; i < all.home->count; ++i) QVERIFY(all.home->position[i].y < lowest);
    QVERIFY2(all.said.find("follow") != std::string::npos, all.said.c_str());
    // A wider wall holds what is over a hole, by its neighbors.
    const auto wide = std::make_shared<const Points>(wall(9, 8));
    const Broken hole = hit(wide, ball({2, 0.9F, 0}, 0.5F), params);
    QVERIFY(hole.loose->count >= 3 && hole.loose->count < 12);
    // Told to give way where half of the hold is lost, more comes.
    params["follows"] = std::string("weakened");
    params["lost"] = 30.0;
    QVERIFY(hit(wide, ball({2, 0.9F, 0}, 0.5F), params).loose->count > hole.loose->count);
  }

  /// What nothing held before does not come because something else is hit.
  void whatHungBeforeStays() {
    Points two = wall(1, 4);
    Array<Vec3> position = two.position.copied(4);
    position[3].x = 20;  // alone, and the lowest of its group: held
    position[2].y = 5;
    two.position = std::move(position);
    const MaskPtr foot = ball({0, -0.1F, 0}, 0.31F);  // the lower corners of the first one
    Bench bench;
    Inputs in = inputs({{"points", std::make_shared<const Points>(two)}, {"where", foot}, {"held", foot}});
    const auto out = bench.run("hit", in, {{"share", 30.0}, {"then", std::string("stay")}});
    QVERIFY(out);
    const PointsPtr loose = std::get<PointsPtr>((*out)[1]);
    QCOMPARE(loose->count, std::size_t{2});  // the lowest, and the one on it
    for (std::size_t i = 0; i < loose->count; ++i) QVERIFY(loose->position[i].y < 1 && loose->position[i].x < 1);
  }

  /// Loose ones come to lie: none in another one or in the ground, each on something.
  void looseOnesLie_data() {
    QTest::addColumn<QString>("what");
    for (const char* what : {"wall", "pebble", "splinters", "rough", "made up"})
      for (const char* then : {"fall", "thrown"})
        for (const char* on : {"level", "hills"})
          QTest::addRow("%s, %s, %s", what, then, on) << QString::fromLatin1(what);
  }
  void looseOnesLie() {
    QFETCH(QString, what);
    const auto parts = QString::fromLatin1(QTest::currentDataTag()).split(QStringLiteral(", "));
    SurfacePtr ground = parts[2] == QStringLiteral("hills") ? hills(40, 30, 5) : nullptr;
    PointsPtr points;
    Vec3 middle(0);
    if (what == QStringLiteral("wall")) {
      points = std::make_shared<const Points>(wall(6, 8));
      middle = {1.5F, 1, 0};
    } else {
      ParamMap params{{"count", 40.0}, {"smallest", 0.05}};
      if (what == QStringLiteral("splinters")) params["form"] = std::string("splinters");
      if (what == QStringLiteral("made up")) params["cells"] = 200.0;
      if (what == QStringLiteral("rough")) {
        params["roughness"] = 0.02;
        params["longest"] = 0.2;
      }
      points = piecesOf(moved(pebble(20), {0, 3, 0}), params);
      middle = {0, 3, 0};
    }
    float lift = 0;
    if (ground) lift = ground->bounds().max.y + 0.5F;  // it hangs over all of it
    Points over = *points;
    Array<Vec3> position = over.position.copied(over.count);
    for (Vec3& p : position) p.y += lift;
    over.position = std::move(position);
    const Broken made = hit(std::make_shared<const Points>(over), ball(middle + Vec3(0, lift, 0), 0.9F),
                            {{"then", parts[1].toStdString()}, {"share", 30.0}}, ground);
    QVERIFY(made.loose->count > 10);
    QCOMPARE(made.loose->count + made.home->count, points->count);
    const auto* on = columnOf<TextColumn>(made.loose->attributes, "lies-on");
    QVERIFY(on && made.loose->movedCount() == 0);
    for (std::size_t i = 0; i < made.loose->count; ++i) {
      QVERIFY(on->at(i) != "nothing");
      if (ground) QCOMPARE(made.loose->groundFace[i] != kNoFace, on->at(i) == "ground");
    }
    std::vector<PlacedMesh> meshes = meshesOf(*made.loose);
    for (PlacedMesh& m : meshesOf(*made.home)) meshes.push_back(std::move(m));
    double floor = 1e9;
    for (const PlacedMesh& m : meshesOf(over)) floor = std::min(floor, m.box().min.y);
    if (!ground)
      for (PlacedMesh& m : meshes) m.move({0, -floor, 0});  // as if the floor were at 0
    const Overlaps overlaps = overlapsOf(meshes, made.loose->count, ground, 0.004);
    // Rough cuts may fold into each other a little where they are made; what falls goes no farther in.
    const std::vector<PlacedMesh> whole = meshesOf(over);
    const std::size_t before = what == QStringLiteral("rough") && parts[1] == QStringLiteral("fall")
                                   ? overlapsOf(whole, whole.size(), nullptr, 0).now
                                   : 0;
    QVERIFY2(overlaps.now <= before,
             qPrintable(QString::number(overlaps.now) + QStringLiteral(", before ") + QString::number(before)));
    QVERIFY2(
        overlaps.standing == made.loose->count,
        qPrintable(QString::number(overlaps.standing) + QStringLiteral(" of ") + QString::number(made.loose->count)));
    const Broken again = hit(std::make_shared<const Points>(over), ball(middle + Vec3(0, lift, 0), 0.9F),
                             {{"then", parts[1].toStdString()}, {"share", 30.0}}, ground);
    QVERIFY(!findDifference(*again.loose, *made.loose));
  }

  /// What a hand keeps is not hit, holds what it held, and does not come along.
  void whatAHandKeepsStays() {
    Points tower = wall(1, 8);
    Array<std::uint8_t> kept(8, std::uint8_t{0});
    kept[5] = 1;
    tower.isKept = Column<std::uint8_t>(std::move(kept));
    const auto points = std::make_shared<const Points>(tower);
    for (const char* follows : {"none", "unheld", "weakened"}) {
      // All but the lowest two are hit.
      const Broken made = hit(points, ball({0, 1.5F, 0}, 1.1F),
                              {{"then", std::string("stay")}, {"share", 20.0}, {"follows", std::string(follows)}});
      std::set<std::uint64_t> home;
      for (std::size_t i = 0; i < made.home->count; ++i) home.insert(made.home->id[i]);
      QVERIFY2(home.contains(6), follows);
      QVERIFY(made.loose->count >= 4);
    }
    // Hit between the ground and it, what stands on the kept one is held by it.
    const Broken middle = hit(points, ball({0, 0.75F, 0}, 0.35F), {{"then", std::string("stay")}, {"share", 40.0}});
    std::set<std::uint64_t> loose;
    for (std::size_t i = 0; i < middle.loose->count; ++i) loose.insert(middle.loose->id[i]);
    QVERIFY(!loose.empty() && !loose.contains(6) && !loose.contains(7) && !loose.contains(8));
  }

  void whatIsWrongIsSaid() {
    const auto points = std::make_shared<const Points>(wall(3, 3));
    const Broken none = hit(points, nullptr, {{"then", std::string("stay")}});
    QCOMPARE(none.home->count, points->count);
    QVERIFY(!none.warnings.empty() && none.warnings[0].message.find("nothing says where") != std::string::npos);
    // A ground that does not reach as far.
    const Broken gone = hit(points, ball({0.5F, 0.3F, 0}, 2),
                            {{"then", std::string("thrown")}, {"away", std::vector<double>{20, 30}}}, plane(2, 2));
    QVERIFY(std::any_of(gone.warnings.begin(), gone.warnings.end(),
                        [](const Problem& w) { return w.message.find("no ground under them") != std::string::npos; }));
    // Without a prop nothing falls; that is another fault.
    Points some = *points;
    Array<std::int32_t> prop(some.count, std::int32_t{0});
    prop[1] = kNoProp;
    some.prop = std::move(prop);
    const Broken half = hit(std::make_shared<const Points>(some), ball({0.5F, 0.3F, 0}, 2),
                            {{"then", std::string("fall")}}, plane(20, 20));
    QVERIFY(std::any_of(half.warnings.begin(), half.warnings.end(),
                        [](const Problem& w) { return w.message.find("1 loose points have no prop") == 0; }));
    QVERIFY(std::none_of(half.warnings.begin(), half.warnings.end(),
                         [](const Problem& w) { return w.message.find("no ground under") != std::string::npos; }));
    Bench bench;
    const auto bare = bench.run(
        "hit", inputs({{"points", std::make_shared<const Points>(randomPoints(5, Vec3(1), 1, 1, 1))}}));
    QVERIFY(!bare && bare.error().message.find("no props yet") != std::string::npos);
  }
};

QTEST_GUILESS_MAIN(TestHit)
#include "tst_hit.moc"
