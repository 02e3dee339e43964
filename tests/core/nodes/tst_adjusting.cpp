// What moves and makes points besides sowing: faces, grids, room, noise, files. Laws over many points, and answers
// worked out by hand.
#include "core/formats/csv_reader.h"
#include "core/formats/exporter.h"
#include "core/geometry/welding.h"
#include "core/spatial/surface_index.h"
#include "tests/support/plans.h"

#include <QFile>
#include <set>

using namespace arvesk;

namespace {

PointsPtr scattered(double density = 4) {
  test::Bench bench;
  return bench.points("sow-on-surface", test::inputs({{"surface", test::hills(24, 30, 3)}}),
                      {{"density", density}, {"footprint", 0.2}});
}

/// Quads of `columns` × `rows`, each `width` by `length` m, as pairs of triangles.
SurfacePtr quads(int columns, int rows, float width, float length) {
  Surface s;
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      const auto base = static_cast<std::uint32_t>(s.positions.size());
      const float x = static_cast<float>(c) * width;
      const float z = static_cast<float>(r) * length;
      for (const Vec3& p :
           {Vec3(x, 0, z), Vec3(x, 0, z + length), Vec3(x + width, 0, z + length), Vec3(x + width, 0, z)})
        s.positions.edit().push_back(p);
      s.triangles.edit().push_back({base, base + 1, base + 2});
      s.triangles.edit().push_back({base, base + 2, base + 3});
    }
  computeSmoothNormals(s);
  return std::make_shared<const Surface>(std::move(s));
}

double overlapOf(const Points& p, float spacing) {
  double sum = 0;
  for (std::size_t i = 0; i < p.count; ++i)
    for (std::size_t k = i + 1; k < p.count; ++k) {
      const Vec3 d = p.position[i] - p.position[k];
      sum += std::max(0.0, static_cast<double>(spacing - glm::length(Vec2(d.x, d.z))));
    }
  return sum;
}

}  // namespace

class TestAdjusting : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  // Points that were moved along the ground after it was found for them say so at the end; setting them down mends it.
  void whatWasMovedAsideIsToldAtTheOutput() {
    const auto movedIn = [](const std::string& last, const ParamMap& params, bool isSetDown) {
      std::vector<Node> nodes{
          test::node("ground", "shape", {{"form", std::string("ball")}, {"radius", 4.0}}),
          test::node("sow", "sow-on-surface", {{"density", 2.0}}, {{"surface", "ground.surface"}}),
          test::node("moved", last, params, {{"points", "sow.points"}}),
          test::node("down", "set-down", {{"way", std::string("nearest-place")}},
                     {{"points", "moved.points"}, {"ground", "ground.surface"}}),
          test::node("out", "output", {}, {{"points", isSetDown ? "down.points" : "moved.points"}})};
      const Plan plan = test::planOf(nodes);
      Evaluator evaluator(std::make_shared<DiskFileService>("."));
      const Evaluation e = evaluator.evaluate(plan, {});
      const PointsPtr p = e.firstOf<PointsPtr>("out");
      if (!p || p->count < 100) return -1;
      const int moved = static_cast<int>(p->movedCount());
      const auto& problems = e.reports.at("out").problems;
      const bool isTold = std::any_of(problems.begin(), problems.end(),
                                      [](const Problem& x) { return x.remedy == Remedy::SetDownLast; });
      if (isTold != (moved > 0)) return -2;
      return moved;
    };
    QVERIFY(movedIn("shift-by-noise", {{"strength", std::vector<double>{1, 0, 1}}}, false) > 50);
    QCOMPARE(movedIn("shift-by-noise", {{"strength", std::vector<double>{1, 0, 1}}}, true), 0);
    QVERIFY(movedIn("move-as-one", {{"place", std::vector<double>{3, 0, 0}}}, false) > 50);
    QVERIFY(movedIn("vary", {{"frame", std::string("ground")}, {"move_x", std::vector<double>{1, 1}}}, false) > 50);
    // Sinking and lifting along the normal, turning and sizing are no moves aside.
    QCOMPARE(movedIn("vary", {{"frame", std::string("ground")}, {"move_y", std::vector<double>{-0.3, 0.3}}}, false), 0);
    QCOMPARE(movedIn("vary", {{"size", std::vector<double>{0.5, 2}}, {"turn_y", std::vector<double>{0, 90}}}, false),
             0);
    QCOMPARE(movedIn("orient", {{"lean", 100.0}}, false), 0);
  }

  void quadsCountAsFacesAndTheirLongEdgeGivesTheHeading() {
    test::Bench bench;
    const SurfacePtr deck = quads(3, 5, 1.5F, 0.8F);
    const PointsPtr faces = bench.points("points-of-surface", test::inputs({{"surface", deck}}));
    QCOMPARE(faces->count, std::size_t{15});
    for (std::size_t i = 0; i < faces->count; ++i) {
      QVERIFY(glm::distance(faces->orientation[i] * Vec3(0, 0, 1), Vec3(1, 0, 0)) <
              1e-4F);  // the long edge runs along x, not the diagonal
      QVERIFY(glm::distance(faces->orientation[i] * kUp, kUp) < 1e-4F);
      QVERIFY(test::within((*columnOf<Column<float>>(faces->attributes, "face-area"))[i], 1.2, 1e-4));
      QVERIFY(test::within((*columnOf<Column<float>>(faces->attributes, "edge-length"))[i], 1.5, 1e-4));
    }
    const auto count = [&](const char* of) {
      return bench.points("points-of-surface", test::inputs({{"surface", deck}}), {{"of", std::string(of)}})->count;
    };
    QCOMPARE(count("vertex"), std::size_t{4 * 6});        // shared corners once
    QCOMPARE(count("edge"), std::size_t{3 * 6 + 4 * 5});  // no diagonals
    const PointsPtr cells = bench.points("points-of-surface", test::inputs({{"surface", deck}}),
                                         {{"of", std::string("cell")}, {"cell", std::vector<double>{1.5, 1, 0.2}}});
    QCOMPARE(cells->count, std::size_t{3 * 20});
    for (std::size_t i = 0; i < cells->count; ++i) {
      QVERIFY(std::abs(cells->position[i].y) < 1e-5F);
      QVERIFY(std::abs(cells->orientation[i].y) > 0.6F);  // a quarter turn about up
    }
  }

  void evenCellsCountBigAndSmallTrianglesAlike() {
    test::Bench bench;
    // The same square once as two triangles and once with one corner cut into thousands.
    Surface mixed = *test::plane(8, 1);
    const Surface fine = makePlane(4, 4, 60);
    mixed.uvs.clear();
    const auto base = static_cast<std::uint32_t>(mixed.positions.size());
    for (const Vec3& p : fine.positions) mixed.positions.edit().push_back(p + Vec3(6, 0, 2));
    for (const UVec3& t : fine.triangles) mixed.triangles.edit().push_back(t + UVec3(base));
    computeSmoothNormals(mixed);
    const PointsPtr p = bench.points("points-of-surface",
                                     test::inputs({{"surface", std::make_shared<const Surface>(mixed)}}),
                                     {{"of", std::string("cell")}, {"cell", std::vector<double>{1, 1, 1}}});
    const auto inside = [&](float x0, float x1) {
      std::size_t n = 0;
      for (std::size_t i = 0; i < p->count; ++i) n += p->position[i].x > x0 && p->position[i].x < x1;
      return n;
    };
    QCOMPARE(inside(-4, 4), std::size_t{64});
    QCOMPARE(inside(4, 8), std::size_t{16});
  }

  void shrinkingDrawsEveryFaceToItsMiddle() {
    test::Bench bench;
    const SurfacePtr deck = quads(4, 4, 1.5F, 0.8F);
    const auto out = bench.run("shrink-faces", test::inputs({{"surface", deck}}), {{"share", 25.0}});
    const SurfacePtr shrunk = std::get<SurfacePtr>(out->front());
    QCOMPARE(shrunk->faceCount(), deck->faceCount());
    QVERIFY(test::within(areaTableOf(*shrunk)->total, areaTableOf(*deck)->total * 0.75 * 0.75,
                         1e-4));  // both sides of each quad by a quarter
    QCOMPARE(openEdgeCount(*shrunk), std::size_t{4 * 4 * 4});
    const auto half = bench.run("shrink-faces", test::inputs({{"surface", deck}, {"where", test::rampMask(3)}}),
                                {{"share", 25.0}});
    const double area = areaTableOf(*std::get<SurfacePtr>(half->front()))->total;
    QVERIFY(area > areaTableOf(*shrunk)->total + 0.1 && area < areaTableOf(*deck)->total - 0.1);
  }

  void gridsKeepTheirSpacingAndNest() {
    for (const char* cells : {"square", "staggered", "hexagonal"}) {
      test::Bench bench;
      const ParamMap params{{"cells", std::string(cells)}, {"spacing", 0.7}, {"turn", 17.0}};
      const PointsPtr small = bench.points("planting-grid", test::inputs({{"surface", test::plane(9, 1)}}), params);
      const PointsPtr large = bench.points("planting-grid", test::inputs({{"surface", test::plane(20, 1)}}), params);
      float least = 1e9F;
      for (std::size_t i = 0; i < small->count; ++i)
        for (std::size_t k = i + 1; k < small->count; ++k)
          least = std::min(least, glm::distance(small->position[i], small->position[k]));
      QVERIFY2(test::within(least, 0.7, 1e-3), cells);
      const double perPoint = std::string(cells) == "hexagonal" ? 0.49 * std::sqrt(0.75) : 0.49;
      QVERIFY2(test::within(static_cast<double>(large->count), 400 / perPoint, 0, 0.03), cells);
      std::map<std::uint64_t, Vec3> byId;
      for (std::size_t i = 0; i < large->count; ++i) byId[large->id[i]] = large->position[i];
      for (std::size_t i = 0; i < small->count; ++i)
        QVERIFY(glm::distance(byId.at(small->id[i]), small->position[i]) < 1e-4F);  // a larger ground only adds
      // Rows with a distance of their own: each point has its row's neighbors, and the next row is as far as said.
      ParamMap apart = params;
      apart["rows_apart"] = true;
      apart["row_spacing"] = 1.9;
      apart["turn"] = 0.0;
      const PointsPtr rows = bench.points("planting-grid", test::inputs({{"surface", test::plane(20, 1)}}), apart);
      const bool isHexagonal = std::string(cells) == "hexagonal";  // its rows are where they have to be
      std::map<long, std::set<long>> columns;
      for (std::size_t i = 0; i < rows->count; ++i)
        columns[std::lround(rows->position[i].z * 1000)].insert(std::lround(rows->position[i].x * 1000));
      const double step = isHexagonal ? 700 * std::sqrt(0.75) : 1900;
      for (auto row = columns.begin(); std::next(row) != columns.end(); ++row)
        QVERIFY(std::abs(static_cast<double>(std::next(row)->first - row->first) - step) <= 1.5);
      for (const auto& [z, row] : columns)
        for (auto x = row.begin(); std::next(x) != row.end(); ++x) QVERIFY(std::abs(*std::next(x) - *x - 700) <= 1);
    }
  }

  void roomIsMadeWithinTheLimit() {
    test::Bench bench;
    const PointsPtr before = scattered(1.2);
    const ParamMap params{{"by", std::string("spacing")}, {"spacing", 0.8}, {"most", 0.6}, {"rounds", 20.0}};
    const PointsPtr after = bench.points("make-room", test::inputs({{"points", before}}), params);
    QCOMPARE(after->count, before->count);
    QVERIFY2(overlapOf(*after, 0.8F) < 0.15 * overlapOf(*before, 0.8F),
             qPrintable(QString::number(overlapOf(*after, 0.8F) / overlapOf(*before, 0.8F))));
    for (std::size_t i = 0; i < after->count; ++i) {
      const Vec3 d = after->position[i] - before->position[i];
      QVERIFY(glm::length(d) <= 0.6F + 1e-4F && d.y == 0);
    }
    // Two points at one place part; a lone one stays.
    Points three;
    three.count = 3;
    three.position = Array<Vec3>{{0, 0, 0}, {0, 0, 0}, {50, 0, 0}};
    three.id = Array<std::uint64_t>{1, 2, 3};
    const PointsPtr apart = bench.points("make-room", test::inputs({{"points", std::make_shared<const Points>(three)}}),
                                         params);
    QVERIFY(test::within(glm::distance(apart->position[0], apart->position[1]), 0.8, 1e-3));
    QCOMPARE(apart->position[2], Vec3(50, 0, 0));
    const SurfacePtr ground = test::hills(24, 30, 3);
    const PointsPtr down = bench.points("make-room", test::inputs({{"points", before}, {"ground", ground}}), params);
    const auto index = SurfaceIndex::of(*ground);
    for (std::size_t i = 0; i < down->count; i += 11) QVERIFY((*index)->nearest(down->position[i], 0.01F).isHit());
  }

  void noiseShiftsNeighborsAlikeAndNothingDriftsAway() {
    test::Bench bench;
    const PointsPtr before = scattered(8);
    const PointsPtr after = bench.points("shift-by-noise", test::inputs({{"points", before}}),
                                         {{"strength", std::vector<double>{2, 0, 1}}, {"noise_size", 3.0}});
    Vec3 sum(0);
    for (std::size_t i = 0; i < before->count; ++i) {
      const Vec3 d = after->position[i] - before->position[i];
      QVERIFY(std::abs(d.x) <= 2.001F && d.y == 0 && std::abs(d.z) <= 1.001F);
      sum += d;
      if (i == 0) continue;
      const float apart = glm::distance(before->position[i], before->position[i - 1]);
      if (apart < 0.1F) QVERIFY(glm::distance(d, after->position[i - 1] - before->position[i - 1]) < 0.8F);
    }
    QVERIFY(glm::length(sum) / static_cast<float>(before->count) < 0.25F);
  }

  void sizeFollowsTheMask() {
    test::Bench bench;
    const PointsPtr p = bench.points("size-by-mask",
                                     test::inputs({{"points", scattered()}, {"mask", test::rampMask(0)}}),
                                     {{"size", std::vector<double>{0.5, 3}}});
    for (std::size_t i = 0; i < p->count; ++i)
      QVERIFY(test::within(p->size[i].y, 0.5 + 2.5 * std::clamp(0.5 - static_cast<double>(p->position[i].x), 0.0, 1.0),
                           1e-5));
  }

  void towardLooksAtTheNearestAndAwayTurnsItsBack() {
    test::Bench bench;
    const PointsPtr points = scattered();
    Points goals;
    goals.count = 2;
    goals.position = Array<Vec3>{{-8, 0, 3}, {9, 0, -4}};
    goals.id = Array<std::uint64_t>{1, 2};
    const auto goalsPtr = std::make_shared<const Points>(goals);
    for (const char* heading : {"toward", "away"}) {
      const PointsPtr turned = bench.points("orient", test::inputs({{"points", points}, {"toward", goalsPtr}}),
                                            {{"heading", std::string(heading)}});
      for (std::size_t i = 0; i < turned->count; ++i) {
        const Vec3 at = turned->position[i];
        Vec3 to = (glm::distance(at, goals.position[0]) < glm::distance(at, goals.position[1]) ? goals.position[0]
                                                                                               : goals.position[1]) -
                  at;
        to.y = 0;
        QVERIFY(glm::dot(turned->orientation[i] * Vec3(0, 0, 1), glm::normalize(to)) *
                    (heading[0] == 't' ? 1.0F : -1.0F) >
                0.999F);
        QVERIFY(glm::distance(turned->orientation[i] * kUp, kUp) < 1e-4F);
      }
    }
    QCOMPARE(bench.run("orient", test::inputs({{"points", points}}), {{"heading", std::string("toward")}}).error().code,
             ProblemCode::MissingInput);
  }

  void aSetMovesAsOneAndBack() {
    test::Bench bench;
    const PointsPtr before = scattered();
    const PointsPtr there = bench.points("move-as-one", test::inputs({{"points", before}}),
                                         {{"place", std::vector<double>{5, 1, -2}},
                                          {"pivot", std::vector<double>{1, 2, 3}},
                                          {"heading", 70.0},
                                          {"size", 2.0}});
    const PointsPtr back = bench.points("move-as-one", test::inputs({{"points", there}}),
                                        {{"place", std::vector<double>{1, 2, 3}},
                                         {"pivot", std::vector<double>{5, 1, -2}},
                                         {"heading", -70.0},
                                         {"size", 0.5}});
    for (std::size_t i = 0; i < before->count; ++i) {
      QVERIFY(glm::distance(back->position[i], before->position[i]) < 1e-4F);
      QCOMPARE(back->size[i], before->size[i]);
      QCOMPARE(there->id[i], before->id[i]);
      QVERIFY(test::within(glm::distance(there->position[i], there->position[0]),
                           2 * static_cast<double>(glm::distance(before->position[i], before->position[0])), 1e-3));
    }
    const auto moved = bench.run("move-as-one", test::inputs({{"points", test::plane(2, 1)}}),
                                 {{"place", std::vector<double>{10, 0, 0}}});
    QCOMPARE(std::get<SurfacePtr>(moved->front())->bounds().center(), Vec3(10, 0, 0));
  }

  void partsOfAGroundDoNotReshuffleWhatIsSown() {
    test::Bench bench;
    const SurfacePtr ground = test::hills(40, 30, 3);
    const auto part = [&](double limit) {
      bench.ctx.nodeUid = 1;
      return std::get<SurfacePtr>(bench
                                      .run("part-of-surface",
                                           test::inputs({{"surface", ground}, {"mask", test::rampMask(6)}}),
                                           {{"limit", limit}})
                                      ->front());
    };
    const auto sown = [&](const SurfacePtr& s, const char* way) {
      bench.ctx.nodeUid = 2;
      return bench.points("sow-on-surface", test::inputs({{"surface", s}}),
                          {{"way", std::string(way)}, {"density", 5.0}, {"spacing", 0.6}});
    };
    for (const char* way : {"free", "even"}) {
      std::map<std::uint64_t, Vec3> whole;
      const PointsPtr all = sown(ground, way);
      for (std::size_t i = 0; i < all->count; ++i) whole[all->id[i]] = all->position[i];
      const PointsPtr some = sown(part(0.5), way);
      std::size_t same = 0;
      for (std::size_t i = 0; i < some->count; ++i)
        if (const auto it = whole.find(some->id[i]); it != whole.end()) same += it->second == some->position[i];
      QVERIFY(some->count < all->count);
      if (std::string(way) == "free")
        QCOMPARE(same, some->count);
      else
        QVERIFY2(static_cast<double>(same) > 0.9 * static_cast<double>(some->count),
                 qPrintable(QString::number(same)));  // but for the edge
    }
  }

  void placementsReadBackFromTheirTable() {
    test::Bench bench;
    const PointsPtr turned = bench.points("orient", test::inputs({{"points", scattered()}}),
                                          {{"mode", std::string("any-way")}});
    const PointsPtr varied = bench.points("vary", test::inputs({{"points", turned}}),
                                          {{"size_by", std::string("per-axis")},
                                           {"size_x", std::vector<double>{0.5, 2}},
                                           {"hue", std::vector<double>{-9, 9}}});
    const PointsPtr placed = bench.points("dress", test::inputs({{"points", varied}, {"kit", test::someKit()}}));
    QTemporaryDir folder;
    const std::string path = folder.filePath(QStringLiteral("placed.csv")).toStdString();
    ExportOptions how;
    how.attributes = {"*"};
    QVERIFY(exportLayers({{"Rocks, large", placed, nullptr}}, path, how, {}));
    bench.files = std::make_shared<DiskFileService>(folder.path().toStdString());
    bench.ctx.files = bench.files.get();
    const PointsPtr back = bench.points("point-file", {}, {{"file", std::string("placed.csv")}});
    QCOMPARE(back->count, placed->count);
    const auto& props = *columnOf<TextColumn>(back->attributes, "prop");
    const auto& fileIds = *columnOf<Column<std::uint64_t>>(back->attributes, "file-id");
    for (std::size_t i = 0; i < back->count; ++i) {
      QCOMPARE(fileIds[i], placed->id[i]);
      QCOMPARE(back->position[i], placed->position[i]);
      QCOMPARE(back->size[i], placed->size[i]);
      QVERIFY(std::abs(glm::dot(back->orientation[i], placed->orientation[i])) > 0.999999F);
      QCOMPARE(props.at(i), placed->kit->entries[static_cast<std::size_t>(placed->prop[i])].prop->name);
    }
    QVERIFY(back->attributes.contains("tint_x"));
    const auto wrong = bench.run("point-file", {},
                                 {{"file", std::string("placed.csv")}, {"place", std::string("easting northing up")}});
    QCOMPARE(wrong.error().message, std::string("\"easting northing up\" are not three columns of numbers"));
  }

  void tablesSayWhatIsWrongWithThem_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QString>("message");
    QTest::newRow("nothing") << QByteArray() << "CSV: the file is empty";
    QTest::newRow("short row") << QByteArray("a,b\n1,2\n3\n") << "CSV: line 3 has 1 fields, the head has 2";
    QTest::newRow("open quote") << QByteArray("a,b\n\"1,2\n") << "CSV: line 2 opens a quote that is never closed";
    QTest::newRow("name twice") << QByteArray("a,a\n1,2\n") << "CSV: the name \"a\" is used for two columns";
    QTest::newRow("text after a quote") << QByteArray("a,b\n\"1\"x,2\n") << "CSV: line 2 goes on after a closing quote";
  }
  void tablesSayWhatIsWrongWithThem() {
    QFETCH(QByteArray, text);
    QFETCH(QString, message);
    const auto table = parseCsv(text.toStdString(), {});
    QVERIFY(!table);
    QCOMPARE(QString::fromStdString(table.error().message), message);
  }

  void tablesKnowNumbersIdsAndQuotedText() {
    const auto t = parseCsv("\xef\xbb\xbfid;name;x\r\n18446744073709551615;\"a;\"\"b\"\"\";-1.5e3\r\n2;c;0\r\n", {});
    QVERIFY(t);
    QCOMPARE(std::get<Array<std::uint64_t>>(*t->find("id"))[0], ~std::uint64_t{0});
    QCOMPARE(std::get<TextCells>(*t->find("name"))[0], std::string("a;\"b\""));
    QCOMPARE(std::get<Array<double>>(*t->find("x"))[0], -1500.0);
    // A decimal comma counts where semicolons separate; where commas do, it cannot be told from one.
    const auto commas = parseCsv("x;y;word\n1,5;-0,25;a,b\n2;1e3;c\n", {});
    QCOMPARE(std::get<Array<double>>(*commas->find("x"))[0], 1.5);
    QCOMPARE(std::get<Array<double>>(*commas->find("y"))[0], -0.25);
    QCOMPARE(std::get<TextCells>(*commas->find("word"))[0], std::string("a,b"));
    QVERIFY(!parseCsv("x,y\n1,5,2\n", {}));
  }
};

QTEST_GUILESS_MAIN(TestAdjusting)
#include "tst_adjusting.moc"
