// What pieces are like, and what is made of them: even at a size, as fine as asked for, with cut and wear in colors;
// counted by what they were broken off, pulled apart from it, listed with what they meet, with convex bodies beside.
#include "core/deliver/ledger.h"
#include "core/deliver/schedule.h"
#include "core/formats/exporter.h"
#include "core/formats/file_service.h"
#include "core/geometry/welding.h"
#include "core/picture/scene.h"
#include "core/props/light_body.h"
#include "tests/support/bodies.h"
#include "tests/support/plans.h"

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

Made broken(const Value& body, const ParamMap& params) {
  Bench bench;
  Made made;
  bench.ctx.said = &made.said;
  const auto out = bench.run("break-up", inputs({{"body", body}}), params);
  if (!out) qFatal("%s", toLine(out.error()).c_str());
  made.kit = std::get<KitPtr>((*out)[0]);
  made.surface = std::get<SurfacePtr>((*out)[1]);
  made.warnings = bench.warnings;
  return made;
}

PropPtr propOf(const Surface& s) { return makeProp("p", "P", published(s)); }

}  // namespace

class TestPieces : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Broken for a size and sized then, a body is what it is when it is sized first and broken then.
  void piecesAreEvenAtTheSizeThatTheBodyWillHave() {
    const SurfacePtr body = pebble(20);
    const Vec3 size(1, 0.5F, 8);
    Surface sized = *body;
    for (Vec3& p : sized.positions.edit()) p *= size;
    for (const char* form : {"chunks", "splinters"})
      for (const double cells : {0.0, 300.0}) {
        ParamMap params{{"count", 60.0}, {"smallest", 0.0}, {"cells", cells}, {"form", std::string(form)}};
        const Made after = broken(published(sized), params);
        const Made plain = broken(body, params);
        params["sized"] = std::vector<double>{1, 0.5, 8};
        const Made before = broken(body, params);
        QCOMPARE(before.kit->entries.size(), after.kit->entries.size());
        std::size_t alike = 0;
        for (std::size_t i = 0; i < before.kit->entries.size(); ++i) {
          const Prop& a = *before.kit->entries[i].prop;
          const Prop& b = *after.kit->entries[i].prop;
          QCOMPARE(a.name, b.name);
          QCOMPARE(openEdgeCount(*a.surface), std::size_t{0});
          QVERIFY(within(4 * volumeOf(*a.surface), volumeOf(*b.surface), 1e-4, 1e-3));
          QVERIFY(glm::distance(size * a.home.position, b.home.position) < 1e-3F);
          if (i >= plain.kit->entries.size()) continue;
          alike += std::abs(volumeOf(*a.surface) / volumeOf(*plain.kit->entries[i].prop->surface) - 1) < 1e-3 ? 1 : 0;
        }
        QVERIFY(alike < before.kit->entries.size() / 4);
      }
  }

  /// As many triangles as asked for, about, and no place of a flat cut stays without vertices.
  void cutsAreAsFineAsAskedFor() {
    const SurfacePtr body = pebble(16);
    const ParamMap flat{{"count", 12.0}, {"smallest", 0.0}, {"longest", 0.001}};
    std::size_t before = 0;
    for (const double wanted : {0.0, 4'000.0, 12'000.0, 50'000.0})
      for (const double roughness : {0.0, 0.01}) {
        if (wanted == 0 && roughness > 0) continue;  // goes by the longest side
        ParamMap params = flat;
        params["triangles"] = wanted;
        params["roughness"] = roughness;
        const Made made = broken(body, params);
        const auto count = static_cast<double>(made.surface->faceCount());
        if (wanted > 0) QVERIFY2(std::abs(count / wanted - 1) < 0.2, qPrintable(QString::number(count)));
        QVERIFY(made.surface->faceCount() > before || roughness > 0);
        if (roughness == 0) before = made.surface->faceCount();
        double sum = 0;
        float longest = 0;
        double area = 0;
        std::size_t faces = 0;
        for (const KitEntry& e : made.kit->entries) {
          const Surface& s = *e.prop->surface;
          QCOMPARE(openEdgeCount(s), std::size_t{0});
          sum += volumeOf(s);
          const auto* cut = columnOf<Column<float>>(s.vertexAttributes, "cut");
          for (const UVec3& t : s.triangles) {
            if ((*cut)[t.x] + (*cut)[t.y] + (*cut)[t.z] < 3) continue;
            const Vec3 a = s.positions[t.x];
            const Vec3 b = s.positions[t.y];
            const Vec3 c = s.positions[t.z];
            longest = std::max({longest, glm::distance(a, b), glm::distance(b, c), glm::distance(c, a)});
            area += 0.5 * static_cast<double>(glm::length(glm::cross(b - a, c - a)));
            ++faces;
          }
        }
        QVERIFY(within(sum, volumeOf(*body), 0, 1e-4));
        // The side of an even triangle of the mean area is 1.52 of its root; bisected ones are up to twice as long.
        if (wanted > 10'000)
          QVERIFY2(static_cast<double>(longest) < 4 * std::sqrt(area / static_cast<double>(faces)),
                   qPrintable(QString::number(longest)));
      }
    // The longest side ends it sooner.
    const ParamMap coarse{{"count", 12.0}, {"longest", 0.2}, {"roughness", 0.01}};
    ParamMap capped = coarse;
    capped["triangles"] = 1e6;
    const auto all = static_cast<double>(broken(body, coarse).surface->faceCount());
    QVERIFY(std::abs(static_cast<double>(broken(body, capped).surface->faceCount()) / all - 1) < 0.1);
  }

  /// Rows of places along worn edges: how many does not grow without end as edges get narrower, and what cannot be seen
  /// is left sharp, and told.
  void wornEdgesTakeFewTriangles() {
    const SurfacePtr box = published(makeBox({2, 2, 2}));
    const std::size_t sharp = broken(box, {{"count", 8.0}}).surface->faceCount();
    for (const double wear : {0.1, 0.02, 0.005}) {
      const Made made = broken(box, {{"count", 8.0}, {"wear", wear}});
      QVERIFY(made.warnings.empty());
      const std::size_t count = made.surface->faceCount();
      QVERIFY2(count > 4 * sharp && count < 250'000, qPrintable(QString::number(count)));
      // Rows at the edge, on the arc, and where it ends.
      std::size_t worn = 0;
      std::size_t full = 0;
      for (const KitEntry& e : made.kit->entries) {
        const auto* wears = columnOf<Column<float>>(e.prop->surface->vertexAttributes, "wear");
        for (std::size_t v = 0; v < e.prop->surface->positions.size(); ++v) {
          worn += (*wears)[v] > 0.02F;
          full += (*wears)[v] > 0.95F;
        }
      }
      QVERIFY(full > 200 && worn > 2 * full);
    }
    const Made unseen = broken(box, {{"count", 8.0}, {"wear", 0.0005}});
    QCOMPARE(unseen.surface->faceCount(), sharp);
    QCOMPARE(unseen.warnings.size(), std::size_t{1});
    QVERIFY(unseen.warnings[0].message.find("stay sharp") != std::string::npos);
  }

  /// A channel holds cut or wear, both the higher one; the others are as they were.
  void colorsHoldCutAndWear() {
    Surface painted = *pebble(16);
    Array<Vec4> colors;
    for (std::size_t v = 0; v < painted.positions.size(); ++v) colors.push_back({0.2F, 0.3F, 0.4F, 1});
    painted.colors = std::move(colors);
    constexpr std::array names{"none", "red", "green", "blue", "alpha"};
    for (const bool isPainted : {true, false})
      for (std::size_t cutIn = 0; cutIn < 5; ++cutIn)
        for (const std::size_t wearIn : {cutIn, (2 * cutIn + 1) % 5}) {
          const Made made = broken(Value(isPainted ? published(painted) : pebble(16)),
                                   {{"count", 6.0},
                                    {"wear", 0.05},
                                    {"cut_channel", std::string(names[cutIn])},
                                    {"wear_channel", std::string(names[wearIn])}});
          for (const KitEntry& e : made.kit->entries) {
            const Surface& s = *e.prop->surface;
            QCOMPARE(s.colors.empty(), !isPainted && cutIn + wearIn == 0);
            const auto* cut = columnOf<Column<float>>(s.vertexAttributes, "cut");
            const auto* wear = columnOf<Column<float>>(s.vertexAttributes, "wear");
            for (std::size_t v = 0; v < s.colors.size(); ++v)
              for (std::size_t c = 1; c < 5; ++c) {
                const bool holdsCut = c == cutIn;
                const bool holdsWear = c == wearIn;
                const Vec4 own = isPainted && (*cut)[v] == 0 ? Vec4(0.2F, 0.3F, 0.4F, 1) : Vec4(1);
                const float wanted = holdsCut && holdsWear ? std::max((*cut)[v], (*wear)[v])
                                     : holdsCut            ? (*cut)[v]
                                     : holdsWear           ? (*wear)[v]
                                                           : own[static_cast<int>(c) - 1];
                QVERIFY(std::abs(s.colors[v][static_cast<int>(c) - 1] - wanted) < 1e-5F);
              }
          }
        }
  }

  /// What is odd about a body is told: sheets, several shells, mirrored ones.
  void oddBodiesAreTold() {
    const Made sheet = broken(Value(published(makeBox({2, 0.001F, 2}))), {{"count", 5.0}, {"smallest", 0.0}});
    QCOMPARE(sheet.warnings.size(), std::size_t{1});
    QVERIFY2(sheet.warnings[0].message.find("a plate of about 1 mm") != std::string::npos,
             sheet.warnings[0].message.c_str());
    QVERIFY(broken(Value(published(makeBox({2, 0.1F, 2}))), {{"count", 5.0}}).warnings.empty());
    // Two shells in one mesh.
    Surface two = makeBall(0.5F, 10);
    const auto first = static_cast<std::uint32_t>(two.positions.size());
    const Surface ball = makeBall(0.5F, 10);
    two.normals.clear();
    two.uvs.clear();
    for (const Vec3& p : ball.positions) two.positions.edit().push_back(p + Vec3(3, 0, 0));
    for (const UVec3& t : ball.triangles) two.triangles.edit().push_back(t + first);
    Kit kit;
    kit.entries = {{propOf(two), 1}, {makeProp("q", "Q", published(makeBall(1, 8))), 1}};
    auto mirrored = makeProp("r", "R", published(makeBall(1, 8)));
    mirrored->home.size.x = -1;
    kit.entries.push_back({mirrored, 1});
    const Made made = broken(KitPtr(std::make_shared<const Kit>(kit)), {{"count", 4.0}});
    QVERIFY2(made.said.find(" of 3 bodies, 1 of several shells, 1 mirrored at home") != std::string::npos,
             made.said.c_str());
    // An open surface can be closed at a click; a kit's prop cannot.
    Bench bench;
    const auto open = bench.run("break-up", inputs({{"body", published(makePlane(1, 1, 2))}}), {});
    QVERIFY(!open && open.error().remedy == Remedy::CloseBody);
    Kit sheets;
    sheets.entries = {{propOf(makePlane(1, 1, 2)), 1}};
    const auto ofKit = bench.run("break-up", inputs({{"body", KitPtr(std::make_shared<const Kit>(sheets))}}), {});
    QVERIFY(!ofKit && ofKit.error().remedy == Remedy::None);
  }

  /// Convex, closed, around all of a piece where few corners do; a box is itself, a fine ball loses little.
  void lightBodiesAreConvexAndHoldTheirPiece() {
    const SurfacePtr box = lightBodyOf(*propOf(makeBox({1, 2, 3})));
    QCOMPARE(box->positions.size(), std::size_t{8});
    QCOMPARE(box->faceCount(), std::size_t{12});
    QVERIFY(within(volumeOf(*box), 6, 0, 1e-6));
    const SurfacePtr ball = lightBodyOf(*propOf(makeBall(1, 60)));
    QVERIFY(ball->positions.size() <= 64 && volumeOf(*ball) > 0.82 * volumeOf(makeBall(1, 60)));
    QVERIFY(!lightBodyOf(*propOf(makePlane(1, 1, 4))));
    Kit kit;
    kit.entries = {{propOf(*pebble(20)), 1}};
    for (const double roughness : {0.0, 0.02}) {
      const Made made = broken(KitPtr(std::make_shared<const Kit>(kit)),
                               {{"count", 40.0}, {"roughness", roughness}, {"longest", 0.05}});
      std::size_t whole = 0;
      for (const KitEntry& e : made.kit->entries) {
        const SurfacePtr body = lightBodyOf(*e.prop);
        QVERIFY(body && checkSurface(*body) && body->positions.size() <= 64);
        QCOMPARE(openEdgeCount(*body), std::size_t{0});
        const float size = glm::length(body->bounds().extent());
        const auto isInside = [&](const Vec3& p) {
          return std::all_of(body->triangles.begin(), body->triangles.end(), [&](const UVec3& t) {
            const Vec3 a = body->positions[t.x];
            const Vec3 n = glm::cross(body->positions[t.y] - a, body->positions[t.z] - a);
            // Slivers have no normal to speak of.
            return glm::dot(p - a, directionOr(n, kUp)) < 1e-4F * size || glm::length(n) < 1e-4F * size * size;
          });
        };
        for (const Vec3& p : body->positions) QVERIFY(isInside(p));
        // Where the hull has no more corners than may be, nothing was left out.
        if (lightBodyOf(*e.prop, 100'000)->positions.size() > 64) continue;
        ++whole;
        for (const Vec3& p : e.prop->surface->positions) QVERIFY(isInside(p));
      }
      QVERIFY(whole > 0 || roughness > 0);
    }
  }

  /// Parts that were broken elsewhere are pieces of one whole by a name: with what they meet, and their volume.
  void partsArePiecesByAName() {
    Kit kit;
    const auto add = [&](const char* name, Surface s, const Vec3& at, const Vec3& size) {
      auto prop = makeProp(name, name, published(std::move(s)));
      prop->home = {at, Quat(1, 0, 0, 0), size};
      kit.entries.push_back({prop, 1});
      return prop;
    };
    // Two boxes side by side, one of them mirrored and twice as tall; a sheet that lies on the first; one far away.
    add("a", makeBox({1, 1, 1}), {0, 0, 0}, Vec3(1));
    add("b", makeBox({1, 1, 1}), {1.002F, 0, 0}, {-1, 2, 1});
    add("sheet", makePlane(1, 1, 1), {0, 1.001F, 0}, Vec3(1));
    add("far", makeBox({1, 1, 1}), {9, 0, 0}, Vec3(1));
    add("gone", makeBox({1, 1, 1}), {20, 0, 0}, Vec3(1))->isMissing = true;
    const KitPtr given = std::make_shared<const Kit>(kit);
    Bench bench;
    const PointsPtr plain = bench.points("at-home", inputs({{"kit", given}}));
    QVERIFY(!plain->attributes.contains("owner") && !arePieces(*plain->kit));
    const PointsPtr parts = bench.points("at-home", inputs({{"kit", given}}), {{"whole", std::string("Wall")}});
    QCOMPARE(parts->count, std::size_t{4});
    for (std::size_t i = 0; i < 4; ++i) QCOMPARE(parts->id[i], plain->id[i]);
    const auto pieceOf = [&](std::size_t i) -> const PieceOf& {
      return *parts->kit->entries[static_cast<std::size_t>(parts->prop[i])].prop->piece;
    };
    const float volumes[] = {1, 1, 0, 1};  // at size 1; open ones hold nothing
    for (std::size_t i = 0; i < 4; ++i) {
      QCOMPARE(pieceOf(i).ownerName, std::string("Wall"));
      QVERIFY(std::abs(pieceOf(i).volume - volumes[i]) < 1e-5F);
      QCOMPARE(ownerKeyOf(*parts, i), ownerKeyOf(*parts, 0));
    }
    const auto areaOf = [&](std::size_t i, const char* other) -> double {
      for (const PieceOf::Contact& c : pieceOf(i).contacts)
        if (c.name == other) return static_cast<double>(c.area);
      return -1;
    };
    QVERIFY(within(areaOf(0, "b"), 1, 0, 1e-3));
    QVERIFY(within(areaOf(1, "a"), 1 / std::pow(2, 2.0 / 3), 0, 1e-3));  // told at size 1
    QCOMPARE(pieceOf(3).contacts.size(), std::size_t{0});
    const auto* volume = columnOf<Column<float>>(parts->attributes, "volume");
    QVERIFY(volume && std::abs((*volume)[1] - 2) < 1e-5F);
    // The table beside has both ways of the one contact.
    const QTemporaryDir dir;
    QVERIFY(exportLayers({{"Wall", parts, nullptr}}, dir.filePath(QStringLiteral("w.csv")).toStdString(), {}, {}));
    QFile table(dir.filePath(QStringLiteral("w-contacts.csv")));
    QVERIFY(table.open(QIODevice::ReadOnly));
    const QStringList lines = QString::fromUtf8(table.readAll()).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
    QCOMPARE(lines.size(), 3);
    QVERIFY(lines[1].startsWith(QStringLiteral("a,Wall,1,b,")) && lines[2].startsWith(QStringLiteral("b,Wall,1,a,")));
    // In place of placements they are of these, whatever the name.
    Bench told;
    (void)told.points("at-home", inputs({{"kit", given}, {"on", plain}}), {{"whole", std::string("Wall")}});
    QVERIFY(std::any_of(told.warnings.begin(), told.warnings.end(),
                        [](const Problem& w) { return w.message.find("counts for nothing") != std::string::npos; }));
    // Another At home is another whole.
    Bench other;
    other.ctx.nodeUid = hashText("elsewhere");
    const PointsPtr again = other.points("at-home", inputs({{"kit", given}}), {{"whole", std::string("Wall")}});
    QVERIFY(ownerKeyOf(*again, 0) != ownerKeyOf(*parts, 0));
  }

  /// Points that hit nothing are told.
  void hitsBesideTheBodyAreTold() {
    Points far = randomPoints(3, {0, 0, 0}, 0.1F, 0.1F, 1);
    Array<Vec3> places = far.position.copied(far.count);
    places[0] = Vec3(30, 0, 0);
    far.position = std::move(places);
    Inputs in = inputs({{"body", Value(pebble(12))}, {"near", PointsPtr(std::make_shared<const Points>(far))}});
    Bench bench;
    QVERIFY(bench.run("break-up", in, {{"count", 8.0}}));
    QCOMPARE(bench.warnings.size(), std::size_t{1});
    QVERIFY2(bench.warnings[0].message.find("1 of 3 points at Near") == 0, bench.warnings[0].message.c_str());
  }

  /// A whole plan: counted by what was broken, whole beside broken; every format has the bodies beside when asked.
  void aPlanOfPiecesIsCountedListedAndHandedOver() {
    const Plan plan = [] {
      Plan p = planOf({node("ball", "shape", {{"form", std::string("ball")}, {"shown", false}}),
                       node("break", "break-up", {{"count", 14.0}, {"smallest", 0.0}}, {{"body", "ball"}}),
                       node("home", "at-home", {}, {{"kit", "break.kit"}}),
                       node("out", "output", {}, {{"points", "home"}})});
      return p;
    }();
    Evaluator evaluator(std::make_shared<DiskFileService>(sourcePath("demo/examples").toStdString()));
    const Evaluation evaluation = evaluator.evaluate(plan, {});
    const PointsPtr points = evaluation.firstOf<PointsPtr>("home");
    QVERIFY(points && points->count >= 14);
    const Schedule schedule = scheduleOf(evaluation.opened->plan, evaluation, {});
    QCOMPARE(schedule.rows.size(), std::size_t{1});
    const ScheduleRow& row = schedule.rows[0];
    QCOMPARE(row.pieces, points->count);
    QCOMPARE(row.count, points->count);
    QCOMPARE(row.owners, std::size_t{1});
    QCOMPARE(row.triangles, schedule.triangles);
    QCOMPARE(row.bytes, schedule.bytes);
    std::uint64_t triangles = 0;
    for (const KitEntry& e : points->kit->entries) triangles += e.prop->surface->faceCount();
    QCOMPARE(row.triangles, triangles);

    const Ledger ledger({{"Out", points}});
    const int meets = ledger.column("meets");
    QVERIFY(meets >= 0);
    for (std::size_t r = 0; r < ledger.rowCount(); ++r) {
      const PieceOf& piece = *points->kit->entries[static_cast<std::size_t>(points->prop[r])].prop->piece;
      const QString cell = QString::fromStdString(ledger.text(r, meets));
      QCOMPARE(cell.count(QStringLiteral(" m²")), static_cast<qsizetype>(piece.contacts.size()));
      for (const PieceOf::Contact& c : piece.contacts) QVERIFY(cell.contains(QString::fromStdString(c.name + " ")));
    }
    const auto found = ledger.filtered("meets = *" + points->kit->entries[0].prop->name + " *", {});
    QVERIFY(found);
    QCOMPARE(found->size(), points->kit->entries[0].prop->piece->contacts.size());

    const QTemporaryDir dir;
    for (const char* ending : {"glb", "gltf", "usda", "csv", "ply", "obj"}) {
      ExportOptions how;
      how.hasBodies = true;
      const std::string path = dir.filePath(QStringLiteral("p-%1.%1").arg(QLatin1String(ending))).toStdString();
      const auto report = exportLayers({{"Pieces", points, nullptr}}, path, how, {});
      QVERIFY2(report, report ? "" : report.error().message.c_str());
      const std::string bodies =
          dir.filePath(QStringLiteral("p-%1-bodies.glb").arg(QLatin1String(ending))).toStdString();
      QCOMPARE(std::count(report->files.begin(), report->files.end(), bodies), 1);
      DiskFileService files(dir.path().toStdString());
      std::vector<Problem> problems;
      const auto read = files.surface(bodies, {}, problems);
      QVERIFY2(read, read ? "" : read.error().message.c_str());
      QCOMPARE((*read)->parts.size(), points->kit->entries.size());
    }
    ExportOptions how;
    how.hasBodies = true;
    Points whole = *points;
    whole.kit = std::make_shared<const Kit>(Kit{{{propOf(makeBall(1, 8)), 1}}});
    whole.prop = Column<std::int32_t>(0);
    const auto none = exportLayers({{"Wholes", std::make_shared<const Points>(whole), nullptr}},
                                   dir.filePath(QStringLiteral("w.glb")).toStdString(), how, {});
    QVERIFY(none && none->files.size() == 1);
    QVERIFY(none->warnings.at(0).message.find("no pieces are placed") != std::string::npos);
  }

  /// Pulled apart, each piece goes from its own whole, and wholes from the middle of all; cuts get a color on demand.
  void picturesPullPiecesFromTheirWhole() {
    Kit kit;
    kit.entries = {{makeProp("A", "A", published(makeBall(0.5F, 12))), 1}};
    const Made made = broken(KitPtr(std::make_shared<const Kit>(kit)), {{"count", 8.0}, {"smallest", 0.0}});
    Points wholes = randomPoints(5, {0, 0, 0}, 20, 20, 3);
    wholes.kit = std::make_shared<const Kit>(kit);
    wholes.prop = Column<std::int32_t>(0);
    Bench bench;
    const PointsPtr pieces = bench.points(
        "at-home", inputs({{"kit", made.kit}, {"on", PointsPtr(std::make_shared<const Points>(wholes))}}));
    const auto placesOf = [&](float share) {
      PictureInput input;
      input.layers.push_back({pieces});
      input.exploded = share;
      const auto scene = PictureScene::build(input, {});
      std::map<std::uint32_t, Vec3> out;
      for (std::uint32_t k = 0; k < (*scene)->placementCount(); ++k) {
        const PictureInstance& in = (*scene)->instance(k);
        const Vec3 origin = glm::inverse(in.localTurn) * -in.localMove;
        out[in.point] = origin;
      }
      return out;
    };
    const auto still = placesOf(0);
    const auto apart = placesOf(0.5F);
    QCOMPARE(still.size(), pieces->count);
    const auto* parent = columnOf<Column<std::uint64_t>>(pieces->attributes, "parent");
    std::map<std::uint64_t, std::pair<Vec3, float>> middles;
    Vec3 all(0);
    for (const auto& [i, p] : still) {
      middles[(*parent)[i]].first += p;
      ++middles[(*parent)[i]].second;
      all += p / static_cast<float>(still.size());
    }
    QCOMPARE(middles.size(), std::size_t{5});
    for (const auto& [i, p] : still) {
      const auto& [sum, count] = middles.at((*parent)[i]);
      const Vec3 middle = sum / count;
      const Vec3 wanted = p + 0.5F * ((p - middle) + (middle - all));
      QVERIFY(glm::distance(apart.at(i), wanted) < 1e-3F);
    }
    PictureInput input;
    input.layers.push_back({pieces});
    input.areCutsShown = true;
    const auto shown = PictureScene::build(input, {});
    for (std::uint32_t k = 0; k < (*shown)->placementCount(); ++k) {
      const Surface* shape = &(*shown)->shape((*shown)->instance(k).shape);
      const auto* cut = columnOf<Column<float>>(shape->vertexAttributes, "cut");
      QVERIFY(cut);
      for (std::size_t f = 0; f < shape->faceCount(); ++f) {
        const UVec3& t = shape->triangles[f];
        const bool isCut = (*cut)[t.x] + (*cut)[t.y] + (*cut)[t.z] == 3;
        QCOMPARE(shape->faceMaterials[f] + 1 == static_cast<int>(shape->materials.size()), isCut);
      }
    }
  }
};

QTEST_GUILESS_MAIN(TestPieces)
#include "tst_pieces.moc"
