// Break up: surfaces and kits into pieces that are told apart, fit at home, and stay when there are more of them.
#include "core/formats/exporter.h"
#include "core/geometry/welding.h"
#include "core/spatial/body.h"
#include "core/spatial/surface_index.h"
#include "tests/support/bodies.h"

#include <map>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

struct Made {
  KitPtr kit;
  SurfacePtr surface;
  std::vector<Problem> warnings;
  std::string said;
};

Result<Made> broken(const Value& body, const ParamMap& params = {}, const PointsPtr& near = nullptr,
                    const MaskPtr& where = nullptr) {
  Bench bench;
  Made made;
  bench.ctx.said = &made.said;
  Inputs in = inputs({{"body", body}});
  if (near) in.links["near"].push_back({near, 1});
  if (where) in.links["where"].push_back({where, 2});
  const auto out = bench.run("break-up", in, params);
  if (!out) return Failure(out.error());
  made.kit = std::get<KitPtr>((*out)[0]);
  made.surface = std::get<SurfacePtr>((*out)[1]);
  made.warnings = bench.warnings;
  return made;
}

using Place = std::array<float, 3>;
Place placeOf(const Vec3& p) { return {p.x, p.y, p.z}; }

std::set<Place> placesOf(const Surface& s) {
  std::set<Place> out;
  for (const Vec3& p : s.positions) out.insert(placeOf(p));
  return out;
}

/// Is every vertex that a face of the body has there as it was?
bool holdsAllOf(const Surface& whole, const Surface& body) {
  const std::set<Place> there = placesOf(whole);
  return std::all_of(body.triangles.begin(), body.triangles.end(), [&](const UVec3& t) {
    return there.contains(placeOf(body.positions[t.x])) && there.contains(placeOf(body.positions[t.y])) &&
           there.contains(placeOf(body.positions[t.z]));
  });
}

std::map<std::string, PropPtr> byName(const Kit& kit) {
  std::map<std::string, PropPtr> out;
  for (const KitEntry& e : kit.entries) out[e.prop->name] = e.prop;
  return out;
}

}  // namespace

class TestBreakUp : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Every piece is closed, all add up, lie at home, and every vertex of the body is there as it was.
  void piecesMakeTheBodyAgain_data() {
    QTest::addColumn<QString>("pivot");
    for (const char* pivot : {"middle", "base", "home"})
      for (const char* form : {"chunks", "splinters", "plates"})
        QTest::addRow("%s, %s", pivot, form) << QString::fromLatin1(pivot);
  }
  void piecesMakeTheBodyAgain() {
    QFETCH(QString, pivot);
    const std::string form =
        QString::fromLatin1(QTest::currentDataTag()).section(QStringLiteral(", "), 1).toStdString();
    const SurfacePtr body = moved(pebble(30), {3, 1, -2});
    const auto made = broken(body,
                             {{"count", 40.0}, {"pivot", pivot.toStdString()}, {"form", form}, {"smallest", 0.0}});
    QVERIFY2(made, made ? "" : made.error().message.c_str());
    QVERIFY(made->kit->entries.size() >= 40);
    std::set<std::string> names;
    std::set<std::string> uids;
    double sum = 0;
    const std::set<Place> whole = placesOf(*made->surface);
    for (const KitEntry& e : made->kit->entries) {
      const Prop& prop = *e.prop;
      QVERIFY(names.insert(prop.name).second && uids.insert(prop.uid).second);
      QCOMPARE(openEdgeCount(*prop.surface), std::size_t{0});
      sum += volumeOf(*prop.surface);
      const auto* cut = columnOf<Column<float>>(prop.surface->vertexAttributes, "cut");
      QVERIFY(cut && !cut->isConstant() && cut->values().size() == prop.surface->positions.size());
      QVERIFY(std::count(cut->values().begin(), cut->values().end(), 1.0F) > 0);
      QVERIFY(checkSurface(*prop.surface));
      if (pivot == QStringLiteral("base")) QVERIFY(std::abs(prop.surface->bounds().min.y) < 1e-5F);
      if (pivot == QStringLiteral("home")) QVERIFY(prop.home.position == Vec3(0));
      if (pivot == QStringLiteral("middle")) QVERIFY(prop.surface->bounds().holds(Vec3(0)));
      // At home each vertex is one of the whole, but for rounding.
      for (const Vec3& p : prop.surface->positions) {
        const Vec3 there = p + prop.home.position;
        const auto near = whole.lower_bound({there.x - 1e-5F, -1e9F, -1e9F});
        bool isThere = false;
        for (auto it = near; it != whole.end() && (*it)[0] < there.x + 1e-5F && !isThere; ++it)
          isThere = glm::distance(Vec3((*it)[0], (*it)[1], (*it)[2]), there) < 1e-5F;
        QVERIFY(isThere);
      }
    }
    QVERIFY2(within(sum, volumeOf(*body), 0, 1e-5), qPrintable(QString::number(sum / volumeOf(*body))));
    QVERIFY(checkSurface(*made->surface));
    QCOMPARE(made->surface->parts.size(), made->kit->entries.size());
    QVERIFY(holdsAllOf(*made->surface, *body));
  }

  /// More pieces split some; the others keep their name, shape and home.
  void morePiecesSplitSome() {
    const SurfacePtr body = pebble(24);
    const auto few = broken(body, {{"count", 60.0}});
    const auto more = broken(body, {{"count", 66.0}});
    QVERIFY(few && more);
    const auto had = byName(*few->kit);
    std::size_t same = 0;
    for (const auto& [name, prop] : byName(*more->kit)) {
      const auto found = had.find(name);
      if (found == had.end() || placesOf(*prop->surface) != placesOf(*found->second->surface)) continue;
      ++same;
      QCOMPARE(prop->uid, found->second->uid);
      QVERIFY(prop->home.position == found->second->home.position);
      QVERIFY(std::equal(prop->surface->faceKeys.begin(), prop->surface->faceKeys.end(),
                         found->second->surface->faceKeys.begin(), found->second->surface->faceKeys.end()));
    }
    QVERIFY2(same >= 12 && same < 60, qPrintable(QString::number(same)));
    const auto again = broken(body, {{"count", 60.0}});
    QVERIFY(placesOf(*again->surface) == placesOf(*few->surface));
  }

  /// The props of a kit break each in its own way, and say whose pieces they are; what cannot be broken is named.
  void propsOfAKitBreakEachInItsWay() {
    Kit kit;
    const SurfacePtr ball = published(makeBall(0.5F, 16));
    for (const char* name : {"A", "B"}) {
      const auto prop = makeProp(name, name, ball);
      prop->home.position = Vec3(4, 0, 0);
      prop->tags = {"stone"};
      kit.entries.push_back({prop, 1});
    }
    const auto open = makeProp("C", "Sheet", published(makePlane(1, 1, 2)));
    kit.entries.push_back({open, 1});
    const auto made = broken(KitPtr(std::make_shared<const Kit>(kit)), {{"count", 12.0}});
    QVERIFY2(made, made ? "" : made.error().message.c_str());
    const auto pieces = byName(*made->kit);
    QVERIFY(pieces.contains("A/1") && pieces.contains("B/1"));
    QVERIFY(placesOf(*pieces.at("A/1")->surface) != placesOf(*pieces.at("B/1")->surface));
    QCOMPARE(pieces.at("A/1")->tags, std::vector<std::string>{"stone"});
    for (const auto& [name, prop] : pieces) QVERIFY(glm::distance(prop->home.position, Vec3(4, 0, 0)) < 0.5F);
    QCOMPARE(made->warnings.size(), std::size_t{1});
    QVERIFY(made->warnings[0].message.find("Sheet is not broken: the body is not closed") != std::string::npos);
  }

  /// Pieces that two nodes make of one body are other props, also where they come together: each point keeps its own.
  void twoNodesMakePiecesOfTheirOwn() {
    std::vector<PointsPtr> sets;
    for (const char* uid : {"one", "other"}) {
      Bench bench;
      bench.ctx.nodeUid = hashText(uid);
      const auto out = bench.run("break-up", inputs({{"body", Value(published(makeBall(1, 16)))}}), {{"count", 10.0}});
      QVERIFY(out);
      sets.push_back(bench.points("at-home", inputs({{"kit", (*out)[0]}})));
    }
    Inputs in;
    in.links["points"] = {{sets[0], 1, {}}, {sets[1], 2, {}}};
    Bench bench;
    const PointsPtr merged = bench.points("merge", in);
    QCOMPARE(merged->count, sets[0]->count + sets[1]->count);
    QCOMPARE(merged->kit->entries.size(), merged->count);
    std::set<std::string> uids;  // the Schedule, choices by weight and touch-ups go by these
    for (const KitEntry& e : merged->kit->entries) QVERIFY2(uids.insert(e.prop->uid).second, e.prop->uid.c_str());
    for (std::size_t i = 0; i < merged->count; ++i) {
      const Points& own = *sets[i < sets[0]->count ? 0 : 1];
      const std::size_t k = i < sets[0]->count ? i : i - sets[0]->count;
      QVERIFY(merged->position[i] == own.position[k]);
      QVERIFY(merged->kit->entries[static_cast<std::size_t>(merged->prop[i])].prop ==
              own.kit->entries[static_cast<std::size_t>(own.prop[k])].prop);
    }
  }

  /// Ragged pieces, made up of cells: closed, add up, no more than asked for but where a body has bays; and each is
  /// in no more than one way.
  void piecesOfManyCellsAddUp() {
    const SurfacePtr body = pebble(20);
    for (const char* form : {"chunks", "splinters", "plates"}) {
      const auto made = broken(body, {{"count", 12.0},
                                      {"cells", 150.0},
                                      {"form", std::string(form)},
                                      {"smallest", 0.0},
                                      {"roughness", 0.01},
                                      {"longest", 0.1}});
      QVERIFY2(made, made ? "" : made.error().message.c_str());
      QVERIFY(made->kit->entries.size() >= 8 && made->kit->entries.size() <= 20);
      double sum = 0;
      for (const KitEntry& e : made->kit->entries) {
        QCOMPARE(openEdgeCount(*e.prop->surface), std::size_t{0});
        sum += volumeOf(*e.prop->surface);
        QVERIFY(within(e.prop->piece->volume, volumeOf(*e.prop->surface), 1e-6, 1e-4));
      }
      QVERIFY2(within(sum, volumeOf(*body), 0, 1e-5), qPrintable(QString::number(sum / volumeOf(*body))));
    }
    const auto few = broken(body, {{"count", 12.0}, {"cells", 5.0}});
    QVERIFY(few && !few->warnings.empty());
  }

  /// Worn edges: pieces stay closed and within what they were, are a little less, and say where they are worn.
  void wornEdgesTakeALittle() {
    const SurfacePtr body = published(makeBox({2, 1, 1}));
    for (const double chips : {0.0, 50.0}) {
      const auto sharp = broken(body, {{"count", 12.0}, {"smallest", 0.0}});
      const auto worn = broken(body, {{"count", 12.0}, {"smallest", 0.0}, {"wear", 0.03}, {"chips", chips}});
      QVERIFY2(worn, worn ? "" : worn.error().message.c_str());
      QCOMPARE(worn->kit->entries.size(), sharp->kit->entries.size());
      double sum = 0;
      for (std::size_t k = 0; k < worn->kit->entries.size(); ++k) {
        const Prop& prop = *worn->kit->entries[k].prop;
        const Prop& before = *sharp->kit->entries[k].prop;
        QCOMPARE(prop.name, before.name);
        QCOMPARE(openEdgeCount(*prop.surface), std::size_t{0});
        QVERIFY(checkSurface(*prop.surface));
        const double volume = volumeOf(*prop.surface);
        QVERIFY(volume < volumeOf(*before.surface) && volume > 0.8 * volumeOf(*before.surface));
        QVERIFY(within(prop.piece->volume, volume, 1e-6, 1e-4));
        sum += volume;
        const auto* wear = columnOf<Column<float>>(prop.surface->vertexAttributes, "wear");
        QVERIFY(wear && !wear->isConstant());
        const auto inside = *Body::of({before.surface}, {});
        const Vec3 aside = prop.home.position - before.home.position;
        std::size_t sharpEdges = 0;
        for (std::size_t v = 0; v < prop.surface->positions.size(); ++v) {
          if ((*wear)[v] > 0) {  // not out of what it was
            const Vec3 at = prop.surface->positions[v] + aside;
            if (!inside->isInside(at)) {
              const auto hit = (*SurfaceIndex::of(*before.surface))->nearest(at, 1);
              QVERIFY2(hit.distance < 1e-4F, qPrintable(QString::number(hit.distance)));
            }
          }
          sharpEdges += (*wear)[v] > 0.9F;
        }
        QVERIFY(sharpEdges > 10);
      }
      QVERIFY2(sum > 0.9 * 2 && sum < 2, qPrintable(QString::number(sum)));
      QVERIFY2(worn->said.find("worn away") != std::string::npos, worn->said.c_str());
    }
  }

  /// Two planes across a box make four pieces of known volume; a surface that does not go through is told.
  void surfacesPartABody() {
    Surface box = makeBox({4, 2, 2});
    const SurfacePtr body = published(std::move(box));
    const auto sheet = [](const Vec3& at, const Quat& turn, float extent) {
      return transformed(makePlane(extent, extent, 3), at, turn, 1);
    };
    const Quat upright = glm::angleAxis(radians(90), Vec3(0, 0, 1));
    const auto along = [&](const Surface& cuts, double step) {
      Bench bench;
      Made made;
      const auto out = bench.run("break-up", inputs({{"body", body}, {"cuts", std::make_shared<const Surface>(cuts)}}),
                                 {{"form", std::string("surfaces")}, {"step", step}});
      if (out) made.kit = std::get<KitPtr>((*out)[0]);
      made.warnings = bench.warnings;
      return made;
    };
    const auto volumes = [](const Made& made) {
      std::vector<double> out;
      for (const KitEntry& e : made.kit->entries) out.push_back(volumeOf(*e.prop->surface));
      std::sort(out.begin(), out.end());
      return out;
    };
    const Made two = along(sheet({-1, 1, 0}, upright, 6), 0.5);
    QVERIFY(two.kit && two.kit->entries.size() == 2);
    QVERIFY(within(volumes(two)[0], 4, 1e-4) && within(volumes(two)[1], 12, 1e-4));
    Surface crossed = sheet({-1, 1, 0}, upright, 6);
    const Surface level = sheet({0, 0.5F, 0}, Quat(1, 0, 0, 0), 6);
    const auto first = static_cast<std::uint32_t>(crossed.positions.size());
    for (const Vec3& p : level.positions) crossed.positions.edit().push_back(p);
    for (const UVec3& t : level.triangles) crossed.triangles.edit().push_back(t + UVec3(first));
    crossed.normals = {};
    crossed.uvs = {};
    const Made four = along(crossed, 0.2);
    QVERIFY(four.kit);
    QCOMPARE(four.kit->entries.size(), std::size_t{4});
    const std::vector<double> expected{1, 3, 3, 9};
    for (std::size_t k = 0; k < 4; ++k)
      QVERIFY2(within(volumes(four)[k], expected[k], 0.1), qPrintable(QString::number(volumes(four)[k])));
    const Made none = along(sheet({-1, 1, 0}, upright, 1), 0.3);
    QVERIFY(none.kit && none.kit->entries.size() == 1);
    QVERIFY(!none.warnings.empty() && none.warnings[0].message.find("in one piece") != std::string::npos);
  }

  /// Placements of what was broken get pieces of their own, in one of the ways, where they stand; others stay whole.
  void placementsGetTheirPieces() {
    Kit kit;
    kit.entries.push_back({makeProp("A", "A", pebble(12)), 1});
    kit.entries.push_back({makeProp("B", "B", published(makeBall(0.5F, 12))), 1});
    Kit onlyA;
    onlyA.entries.push_back(kit.entries[0]);
    const auto made = broken(KitPtr(std::make_shared<const Kit>(onlyA)), {{"count", 8.0}, {"variants", 3.0}});
    QVERIFY(made);
    std::set<std::string> names;
    for (const KitEntry& e : made->kit->entries) QVERIFY(names.insert(e.prop->name).second);
    QVERIFY(names.contains("A/1") && names.contains("A/b1") && names.contains("A/c1"));
    Points wholes = randomPoints(60, {30, 2, 30}, 1, 1, 3);
    Array<Quat> turn;
    Array<Vec3> size;
    Array<std::int32_t> prop;
    for (std::size_t i = 0; i < wholes.count; ++i) {
      turn.push_back(turnOf({static_cast<float>(7 * i), static_cast<float>(31 * i), 0}));
      size.push_back(i % 5 == 0 ? Vec3(-1, 2, 1) : Vec3(1, 0.5F, 1));
      prop.push_back(i % 4 == 3 ? 1 : 0);
    }
    wholes.orientation = std::move(turn);
    wholes.size = std::move(size);
    wholes.prop = std::move(prop);
    wholes.kit = std::make_shared<const Kit>(kit);
    Bench bench;
    const auto out = bench.run("at-home", inputs({{"kit", made->kit}, {"on", std::make_shared<const Points>(wholes)}}));
    QVERIFY(out);
    const PointsPtr pieces = std::get<PointsPtr>((*out)[0]);
    QCOMPARE(std::get<PointsPtr>((*out)[1])->count, std::size_t{15});
    QCOMPARE(bench.warnings.size(), std::size_t{1});
    QVERIFY(!findFault(*pieces));
    // Each lies in its whole: volumes add up, by placement; and all ways are used.
    const auto* parent = columnOf<Column<std::uint64_t>>(pieces->attributes, "parent");
    const auto* volume = columnOf<Column<float>>(pieces->attributes, "volume");
    const auto* owner = columnOf<TextColumn>(pieces->attributes, "owner");
    QVERIFY(parent && volume && owner);
    std::map<std::uint64_t, double> sum;
    std::map<int, std::set<std::uint64_t>> ways;
    for (std::size_t i = 0; i < pieces->count; ++i) {
      const Prop& its = *pieces->kit->entries[static_cast<std::size_t>(pieces->prop[i])].prop;
      QCOMPARE(owner->at(i), std::string("A"));
      sum[(*parent)[i]] += static_cast<double>((*volume)[i]);
      ways[its.piece->variant].insert((*parent)[i]);
      const std::size_t of = (*parent)[i] - 1;
      QVERIFY(glm::distance(pieces->position[i],
                            wholes.position[of] + wholes.orientation[of] * (wholes.size[of] * its.piece->pivot)) <
              1e-4F);
    }
    QCOMPARE(ways.size(), std::size_t{3});
    QCOMPARE(sum.size(), std::size_t{45});
    for (const auto& [id, all] : sum) {
      const Vec3 s = glm::abs(wholes.size[id - 1]);
      QVERIFY(within(all, volumeOf(*kit.entries[0].prop->surface) * static_cast<double>(s.x * s.y * s.z), 0, 1e-4));
    }
    // By itself the first way stands at home.
    for (const PointsPtr alone = bench.points("at-home", inputs({{"kit", made->kit}}));
         const std::int32_t k : Array<std::int32_t>(alone->prop.copied(alone->count)))
      QCOMPARE(alone->kit->entries[static_cast<std::size_t>(k)].prop->piece->variant, 0);
  }

  /// Beside a table of pieces another one tells which of them meet: both ways, with one area.
  void aTableTellsWhatMeets() {
    // Two bodies of one name: neither's pieces pass for the other's.
    Kit kit;
    kit.entries = {{makeProp("A", "Stone", pebble(16)), 1}, {makeProp("B", "Stone", published(makeBall(1, 12))), 1}};
    const auto made = broken(KitPtr(std::make_shared<const Kit>(kit)), {{"count", 10.0}, {"smallest", 0.0}});
    std::size_t contacts = 0;
    for (const KitEntry& e : made->kit->entries) contacts += e.prop->piece->contacts.size();
    Bench bench;
    const PointsPtr points = bench.points("at-home", inputs({{"kit", made->kit}}));
    const QTemporaryDir dir;
    const auto report = exportLayers({{"Pieces", points, nullptr}}, dir.filePath(QStringLiteral("p.csv")).toStdString(),
                                     {}, {});
    QVERIFY(report);
    QCOMPARE(report->files.size(), std::size_t{2});
    QFile file(dir.filePath(QStringLiteral("p-contacts.csv")));
    QVERIFY(file.open(QIODevice::ReadOnly));
    QStringList lines = QString::fromUtf8(file.readAll()).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
    QCOMPARE(lines.takeFirst(), QStringLiteral("piece,owner,volume_m3,neighbor,area_m2"));
    std::map<std::pair<QString, QString>, double> sum;
    for (const QString& line : lines) {
      const QStringList cells = line.split(QLatin1Char(','));
      QVERIFY(cells[4].toDouble() > 0);
      sum[{cells[0], cells[3]}] += cells[4].toDouble();
    }
    QVERIFY(contacts > 40 && contacts == static_cast<std::size_t>(lines.size()));
    for (const auto& [names, area] : sum) QVERIFY(within(area, sum[{names.second, names.first}], 1e-9, 1e-6));
  }

  /// What is hit has more and smaller pieces.
  void piecesAreSmallerWhereItIsHit() {
    const auto near = std::make_shared<const Points>(randomPoints(1, {0, 0, 0}, 0.1F, 0.1F, 1));
    const Vec3 at = near->position[0];
    const SurfacePtr body = published(makeBall(2, 24));
    const auto made = broken(body, {{"count", 80.0}, {"gather", 80.0}, {"reach", 0.6}, {"smallest", 0.0}}, near);
    QVERIFY(made);
    std::size_t inReach = 0;
    for (const KitEntry& e : made->kit->entries) inReach += glm::distance(e.prop->home.position, at) < 0.7F;
    QVERIFY2(inReach > 40, qPrintable(QString::number(inReach)));
    // A mask that is 0 where x is above −0.5 m.
    const auto masked = broken(body, {{"count", 80.0}, {"smallest", 0.0}}, nullptr, rampMask(-1));
    QVERIFY(masked);
    std::size_t low = 0;
    for (const KitEntry& e : masked->kit->entries) low += e.prop->home.position.x < -0.5F;
    QVERIFY2(low > 60, qPrintable(QString::number(low)));
  }

  /// Rough cuts: closed pieces that add up, smooth across a cut, with more triangles; the skin is as it was.
  void roughCutsAddUp() {
    const SurfacePtr body = pebble(24);
    const auto flat = broken(body, {{"count", 20.0}, {"smallest", 0.0}});
    const auto rough = broken(body, {{"count", 20.0}, {"smallest", 0.0}, {"roughness", 0.02}, {"longest", 0.08}});
    QVERIFY2(rough, rough ? "" : rough.error().message.c_str());
    QCOMPARE(rough->kit->entries.size(), flat->kit->entries.size());
    QVERIFY(rough->surface->faceCount() > 2 * flat->surface->faceCount());
    double sum = 0;
    for (const KitEntry& e : rough->kit->entries) {
      QCOMPARE(openEdgeCount(*e.prop->surface), std::size_t{0});
      QVERIFY(checkSurface(*e.prop->surface));
      sum += volumeOf(*e.prop->surface);
    }
    QVERIFY2(within(sum, volumeOf(*body), 0, 1e-5), qPrintable(QString::number(sum / volumeOf(*body))));
    QVERIFY(holdsAllOf(*rough->surface, *body));
  }

  void whatIsLeftOutOrWrongIsSaid() {
    const SurfacePtr body = pebble(24);
    const auto made = broken(body, {{"count", 200.0}, {"smallest", 0.2}});
    QVERIFY(made && made->kit->entries.size() < 200);
    QVERIFY2(made->said.find("slivers left out") != std::string::npos, made->said.c_str());
    for (const KitEntry& e : made->kit->entries) QVERIFY(volumeOf(*e.prop->surface) > 0.0079);
    const auto open = broken(published(makePlane(2, 2, 4)));
    QVERIFY(!open && open.error().message.find("not closed") != std::string::npos && !open.error().advice.empty());
    const auto empty = broken(KitPtr(std::make_shared<const Kit>()));
    QVERIFY(!empty && empty.error().message.find("nothing to break") != std::string::npos);
  }
};

QTEST_GUILESS_MAIN(TestBreakUp)
#include "tst_break_up.moc"
