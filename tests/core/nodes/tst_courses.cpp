// Rows over roofs, decks and slopes, and props that are sized to fit them: laws on roofs of any turn, and known
// answers.
#include "core/deliver/standing.h"
#include "core/geometry/face_cells.h"
#include "core/geometry/faces.h"
#include "core/geometry/level_lines.h"
#include "core/props/quantities.h"
#include "tests/support/support.h"

#include <set>

using namespace arvesk;

namespace {

/// Faces given by their corners, each turned so that it looks up, carried to a place and turned about the vertical.
SurfacePtr roofOf(const std::vector<std::vector<Vec3>>& faces, float yawDeg, const Vec3& to) {
  const Quat turn = glm::angleAxis(radians(yawDeg), kUp);
  Surface s;
  for (const std::vector<Vec3>& face : faces) {
    const auto first = static_cast<std::uint32_t>(s.positions.size());
    for (const Vec3& at : face) s.positions.edit().push_back(turn * at + to);
    for (std::uint32_t k = 1; k + 1 < face.size(); ++k) {
      UVec3 t(first, first + k, first + k + 1);
      const Vec3 normal = glm::cross(face[k] - face[0], face[k + 1] - face[0]);
      if (normal.y < 0) std::swap(t.y, t.z);
      s.triangles.edit().push_back(t);
    }
  }
  computeSmoothNormals(s);
  return std::make_shared<const Surface>(std::move(s));
}

/// 9 × 6 m, its ridge (or top) 2.4 m up.
std::vector<std::vector<Vec3>> facesOf(const QString& shape) {
  const Vec3 a(-4.5F, 0, -3), b(4.5F, 0, -3), c(4.5F, 0, 3), d(-4.5F, 0, 3);
  if (shape == QStringLiteral("rectangle")) return {{a, b, c + Vec3(0, 2.4F, 0), d + Vec3(0, 2.4F, 0)}};
  if (shape == QStringLiteral("deck")) return {{a, b, c, d}};
  const float in = shape == QStringLiteral("hip") ? 2.6F : 0;
  const Vec3 west(-4.5F + in, 2.4F, 0), east(4.5F - in, 2.4F, 0);
  if (shape == QStringLiteral("gable")) return {{a, b, east, west}, {c, d, west, east}};
  return {{a, b, east, west}, {c, d, west, east}, {d, a, west}, {b, c, east}};
}

Vec3 own(const Points& p, std::size_t i, const Vec3& axis) { return p.orientation[i] * axis; }

float number(const Points& p, const char* name, std::size_t i) {
  float out = 0;
  return readNumbers(p, name, i, i + 1, &out) ? out : -1;
}

/// Where a place lies in the frame of the cell of point i.
Vec3 inCell(const Points& p, std::size_t i, const Vec3& at) {
  return glm::conjugate(p.orientation[i]) * (at - p.position[i]);
}

PointsPtr coursesOn(const SurfacePtr& surface, const ParamMap& params) {
  test::Bench bench;
  return bench.points("courses", test::inputs({{"surface", surface}}), params);
}

PointsPtr dressedInto(const PointsPtr& points, const ParamMap& fit) {
  test::Bench bench;
  const PointsPtr dressed = bench.points("dress", test::inputs({{"points", points}, {"kit", test::someKit()}}));
  return bench.points("size-to-fit", test::inputs({{"points", dressed}}), fit);
}

}  // namespace

class TestCourses : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void rowsCoverRoofsWithoutGaps_data() {
    QTest::addColumn<QString>("shape");
    QTest::addColumn<float>("yaw");
    QTest::addColumn<bool>("isFar");
    for (const char* shape : {"rectangle", "deck", "gable", "hip"})
      for (const float yaw : {0.0F, 37.0F, 171.0F})
        QTest::addRow("%s turned by %g", shape, static_cast<double>(yaw)) << QString(shape) << yaw << (yaw > 100);
  }
  void rowsCoverRoofsWithoutGaps() {
    QFETCH(QString, shape);
    QFETCH(float, yaw);
    QFETCH(bool, isFar);
    const Vec3 to = isFar ? Vec3(800, 30, -650) : Vec3(0);
    const SurfacePtr roof = roofOf(facesOf(shape), yaw, to);
    for (const char* run : {"level", "uphill", "longest"})
      for (const double stagger : {0.0, 50.0, 33.0}) {
        const double row = 0.23, pitch = 0.31;
        const PointsPtr p = coursesOn(roof, {{"run", std::string(run)},
                                             {"row", row},
                                             {"pitch", pitch},
                                             {"overlap", 20.0},
                                             {"stagger", stagger},
                                             {"ends", std::string("over")},
                                             {"least", 0.5}});
        QVERIFY(p->count > 500);
        // Any place of the roof lies in a cell, or nearer to one than a tenth of its sides.
        test::Bench bench;
        const PointsPtr places = bench.points("sow-on-surface", test::inputs({{"surface", roof}}), {{"density", 20.0}});
        std::size_t bare = 0;
        for (std::size_t k = 0; k < places->count; ++k) {
          bool isCovered = false;
          for (std::size_t i = 0; i < p->count && !isCovered; ++i) {
            if (glm::distance(p->position[i], places->position[k]) > 0.4F) continue;
            const Vec3 at = glm::abs(inCell(*p, i, places->position[k]));
            isCovered = at.y < 1e-3F && at.x < 0.5F * number(*p, "cell_x", i) + 0.1F * static_cast<float>(pitch) &&
                        at.z < 0.5F * number(*p, "cell_z", i) + 0.1F * static_cast<float>(row);
          }
          bare += !isCovered;
        }
        QCOMPARE(bare, 0U);
        // Rows are level to a tenth of a millimeter, and fronts look down the slope.
        if (std::string(run) != "level" || shape == QStringLiteral("deck")) continue;
        std::map<int, std::pair<float, float>> heights;  // row → lowest and highest
        for (std::size_t i = 0; i < p->count; ++i) {
          const float y = p->position[i].y - to.y;
          auto& [low,
                 high] = heights.emplace(static_cast<int>(number(*p, "row", i)), std::pair(1e9F, -1e9F)).first->second;
          low = std::min(low, y);
          high = std::max(high, y);
          QVERIFY(own(*p, i, {0, 0, 1}).y < -0.3F);
          QVERIFY(std::abs(own(*p, i, {1, 0, 0}).y) < 1e-4F);
        }
        const bool hasTwoPitches = shape == QStringLiteral("hip");  // its ends are steeper than its sides
        for (const auto& [k, range] : heights)
          if (!hasTwoPitches) QVERIFY(range.second - range.first < 1e-4F);
      }
  }

  void slopesOfAGableLapAlike() {
    const PointsPtr p = coursesOn(roofOf(facesOf("gable"), 0, Vec3(0)), {{"overlap", 40.0}});
    std::multiset<std::tuple<int, int, int>> north, south;
    for (std::size_t i = 0; i < p->count; ++i) {
      const auto rounded = [](float v) { return static_cast<int>(std::lround(v * 5000)); };
      const Vec3 at = p->position[i];
      // Turned by half about the vertical, one slope is the other.
      (at.z < 0 ? north : south).insert({rounded(at.z < 0 ? at.x : -at.x), rounded(at.y), rounded(-std::abs(at.z))});
    }
    QVERIFY(north.size() > 300);
    QVERIFY(north == south);
    for (std::size_t i = 0; i < p->count; ++i) QVERIFY(test::within(number(*p, "cell_z", i), 0.25 * 1.4, 1e-5));
  }

  void cutCellsTileARectangle_data() {
    QTest::addColumn<QString>("ends");
    QTest::addColumn<bool>("fitted");
    QTest::addColumn<double>("stagger");
    QTest::newRow("cut, staggered") << "cut" << false << 50.0;
    QTest::newRow("whole numbers") << "inside" << true << 0.0;
    QTest::newRow("whole numbers, cut") << "cut" << true << 30.0;
  }
  void cutCellsTileARectangle() {
    QFETCH(QString, ends);
    QFETCH(bool, fitted);
    QFETCH(double, stagger);
    const PointsPtr p = coursesOn(roofOf(facesOf("rectangle"), 20, Vec3(3, 1, 2)), {{"row", 0.37},
                                                                                    {"pitch", 0.53},
                                                                                    {"stagger", stagger},
                                                                                    {"fitted", fitted},
                                                                                    {"ends", ends.toStdString()},
                                                                                    {"least", 0.1}});
    double area = 0;
    std::set<std::pair<int, int>> cells;
    for (std::size_t i = 0; i < p->count; ++i) {
      area += static_cast<double>(number(*p, "cell_x", i)) * static_cast<double>(number(*p, "cell_z", i));
      QVERIFY(cells.emplace(number(*p, "row", i), number(*p, "column", i)).second);
    }
    QVERIFY(test::within(area, 9 * std::hypot(6, 2.4), 1e-3));
  }

  void endsAndRowsAreTold() {
    const PointsPtr p = coursesOn(roofOf(facesOf("hip"), 0, Vec3(0)), {});
    std::map<std::pair<int, int>, std::pair<int, int>> ends;  // side of the roof and row → firsts and lasts
    for (std::size_t i = 0; i < p->count; ++i) {
      const Vec3 front = own(*p, i, {0, 0, 1});
      const int side = static_cast<int>(std::lround(front.x * 2)) * 10 + static_cast<int>(std::lround(front.z * 2));
      auto& [firsts, lasts] = ends[{side, static_cast<int>(number(*p, "row", i))}];
      firsts += number(*p, "first-in-row", i) == 1;
      lasts += number(*p, "last-in-row", i) == 1;
    }
    QVERIFY(ends.size() > 20);
    for (const auto& [key, counts] : ends) QCOMPARE(counts, std::pair(1, 1));
    std::size_t atTheTop = 0;
    for (std::size_t i = 0; i < p->count; ++i) atTheTop += number(*p, "rows-above", i) == 0;
    QVERIFY(atTheTop > 0 && atTheTop < p->count / 5);
  }

  void aHoleStaysFree() {
    // A deck of 4 × 4 m around a hatch of 1 × 1 m.
    std::vector<std::vector<Vec3>> faces;
    for (int x = 0; x < 4; ++x)
      for (int z = 0; z < 4; ++z) {
        if (x == 1 && z == 2) continue;
        const Vec3 at(static_cast<float>(x), 0, static_cast<float>(z));
        faces.push_back({at, at + Vec3(0, 0, 1), at + Vec3(1, 0, 1), at + Vec3(1, 0, 0)});
      }
    const SurfacePtr deck = roofOf(faces, 0, Vec3(0));
    const auto countOf = [&](const char* ends) {
      return coursesOn(deck, {{"row", 0.5}, {"pitch", 0.5}, {"stagger", 0.0}, {"ends", std::string(ends)}})->count;
    };
    QCOMPARE(countOf("inside"), 60U);
    QCOMPARE(countOf("middle"), 60U);
    QCOMPARE(countOf("cut"), 60U);
  }

  void cellsAreCutAtAGateThatTheyOnlyTouch() {
    // Boards upright on a wall with a gate whose sides lie where boards meet, but for rounding: none hangs into it.
    const float gate = 1.6F + 2e-6F;
    const SurfacePtr wall = roofOf({{{0, 0, 0}, {gate, 0, 0}, {gate, 2.3F, 0}, {0, 2.4F, 0}},
                                    {{gate, 2.3F, 0}, {4.6F, 2.3F, 0}, {6.2F, 2.4F, 0}, {3.1F, 4, 0}, {0, 2.4F, 0}},
                                    {{4.6F, 0, 0}, {6.2F, 0, 0}, {6.2F, 2.4F, 0}, {4.6F, 2.3F, 0}}},
                                   0, Vec3(0));
    const PointsPtr p = coursesOn(wall, {{"run", std::string("uphill")},
                                         {"row", 0.2},
                                         {"pitch", 1.5},
                                         {"ends", std::string("cut")},
                                         {"front", std::string("along")}});
    QVERIFY(p->count > 60);
    for (std::size_t i = 0; i < p->count; ++i) {
      const float x = p->position[i].x;
      if (x > 1.65F && x < 4.55F) QVERIFY(p->position[i].y - 0.5F * number(*p, "cell_z", i) > 2.25F);
    }
  }

  void levelLinesAreLevelAndOnTheGround() {
    const SurfacePtr ground = test::hills(60, 30, 4);
    const PointsPtr p = coursesOn(ground, {{"lie", std::string("level-lines")}, {"height_step", 0.3}, {"pitch", 0.4}});
    QVERIFY(p->count > 300);
    for (std::size_t i = 0; i < p->count; ++i) {
      QVERIFY(test::within(p->position[i].y, 0.3 * static_cast<double>(number(*p, "row", i)), 1e-4));
      const UVec3 t = ground->triangles[p->groundFace[i]];
      const Vec2 w = closestWeights(p->position[i], ground->positions[t.x], ground->positions[t.y],
                                    ground->positions[t.z]);
      QVERIFY(glm::distance(ground->positionAt(p->groundFace[i], w), p->position[i]) < 1e-4F);
    }
    // Along every line, neighbors are a pitch apart, as the line runs.
    bool isTooMany = false;
    double length = 0;
    for (const LevelLine& line : levelLinesOf(*ground, *levelsByStep(*ground, 0.3F, 1e6), 1e6, isTooMany))
      length += lengthOf(line);
    QVERIFY(!isTooMany);
    QVERIFY(static_cast<double>(p->count) * 0.4 <= length && static_cast<double>(p->count) * 0.4 > 0.8 * length);
  }

  void levelLinesOfAConeAreItsCircles() {
    // A cone of 64 sides, 4 m high, 8 m wide: the line at height h is a 64-sided ring of radius 4 − h.
    Surface s;
    s.positions.edit().push_back({0, 4, 0});
    for (int k = 0; k < 64; ++k) {
      const float a = 2 * kPi * static_cast<float>(k) / 64;
      s.positions.edit().push_back({4 * std::sin(a), 0, 4 * std::cos(a)});
    }
    for (std::uint32_t k = 0; k < 64; ++k) s.triangles.edit().push_back({0, 1 + k, 1 + (k + 1) % 64});
    computeSmoothNormals(s);
    bool isTooMany = false;
    const std::vector<LevelLine> lines = levelLinesOf(s, *levelsByStep(s, 1, 1e6), 1e6, isTooMany);
    // The rim is at a level itself: its vertices count as above, and nothing there is below.
    std::map<int, double> found;
    for (const LevelLine& line : lines) {
      QVERIFY(line.isClosed);
      found[line.level] += lengthOf(line);
    }
    QCOMPARE(found.size(), 3U);
    for (const auto& [level, length] : found)
      QVERIFY(test::within(length, 64 * 2 * (4 - level) * std::sin(static_cast<double>(kPi) / 64), 1e-3));
    levelLinesOf(s, *levelsByStep(s, 0.001, 1e6), 1000, isTooMany);
    QVERIFY(isTooMany);
    QVERIFY(!levelsByStep(s, 0.001, 1000) && !levelsByDistance(s, 0.001, 1000));
    // By distance along the ground: on the cone's one slope that is the way up its sides, wherever it stands.
    for (const float lift : {0.0F, -1.5F, 7.0F}) {
      Surface lifted = s;
      for (Vec3& p : lifted.positions.edit()) p.y += lift;
      const Levels levels = *levelsByDistance(lifted, 0.7, 1e6);
      const double inner = 4 * std::cos(static_cast<double>(kPi) / 64);
      const double sine = 4 / std::hypot(4, inner);
      const double zero = lift > 0 ? static_cast<double>(lift) : 0;  // from height 0, or the end nearest to it
      QVERIFY(std::abs(static_cast<double>(levels.heights.size()) - std::hypot(4, inner) / 0.7) <= 1);
      for (std::size_t k = 0; k < levels.heights.size(); ++k)
        QVERIFY(test::within(levels.heights[k] - zero, (levels.first + static_cast<double>(k)) * 0.7 * sine, 1e-6));
    }
  }

  /// Two slopes that share their lines have them at the mean of both ways. On hills, the ground between two lines has
  /// the area of the distance times the line's length, and rows are still level.
  void levelLinesLieApartAlongTheGround() {
    Surface gable;
    gable.positions = {{-3, 0, 0}, {-3, 0, 9}, {0, 4, 0}, {0, 4, 9}, {8, 0, 0}, {8, 0, 9}};
    gable.triangles = {{0, 1, 2}, {1, 3, 2}, {2, 3, 4}, {3, 5, 4}};
    computeSmoothNormals(gable);
    const Levels levels = *levelsByDistance(gable, 0.5, 1e6);
    const double mean = 0.5 * (5.0 / 4 + std::sqrt(80.0) / 4);  // of one over the sines
    for (std::size_t k = 0; k < levels.heights.size(); ++k)
      QVERIFY(test::within(levels.heights[k], static_cast<double>(k) * 0.5 / mean, 1e-5));
    const SurfacePtr ground = test::hills(60, 30, 4);
    const double apart = 1.5;
    const auto lengthAt = [&](double height) {
      bool isTooMany = false;
      double sum = 0;
      for (const LevelLine& line : levelLinesOf(*ground, {0, {height}}, 1e6, isTooMany)) sum += lengthOf(line);
      return sum;
    };
    const Levels rows = *levelsByDistance(*ground, apart, 1e6);
    QVERIFY(rows.heights.size() > 3);
    const PointsPtr p = coursesOn(
        ground,
        {{"lie", std::string("level-lines")}, {"apart", std::string("distance")}, {"distance", apart}, {"pitch", 0.4}});
    QVERIFY(p->count > 100);
    for (std::size_t i = 0; i < p->count; ++i) {
      QVERIFY(test::within(p->position[i].y, rows.heightOf(static_cast<std::int32_t>(number(*p, "row", i))), 1e-4));
      QCOMPARE(number(*p, "cell_z", i), static_cast<float>(apart));
    }
    // The area by many cuts of every triangle, held against the distance times the length of the lines between.
    for (std::size_t k = 1; k < rows.heights.size(); ++k) {
      const double from = rows.heights[k - 1], to = rows.heights[k];
      double area = 0;
      constexpr int kCuts = 24;
      for (std::size_t f = 0; f < ground->faceCount(); ++f)
        for (int i = 0; i < kCuts; ++i)
          for (int j = 0; j < kCuts - i; ++j)
            for (const int half : {1, 2}) {
              if (half == 2 && j == kCuts - i - 1) continue;
              const Vec2 w((static_cast<float>(i) + static_cast<float>(half) / 3) / kCuts,
                           (static_cast<float>(j) + static_cast<float>(half) / 3) / kCuts);
              const auto y = static_cast<double>(ground->positionAt(f, w).y);
              if (y > from && y <= to) area += static_cast<double>(ground->faceArea(f)) / (kCuts * kCuts);
            }
      constexpr int kSteps = 60;
      double ways = 0;  // ∫ area per line, in slices: what the distance is
      double length = 0;
      for (int i = 0; i < kSteps; ++i) length += lengthAt(from + (to - from) * (i + 0.5) / kSteps) / kSteps;
      ways = area / length;
      QVERIFY2(test::within(ways, apart, 0.12 * apart), qPrintable(QString::number(ways)));
    }
  }

  void placementsFitTheLengthsAskedFor() {
    const PointsPtr cells = coursesOn(roofOf(facesOf("hip"), 11, Vec3(0)), {{"ends", std::string("cut")}});
    const double margin = 0.004;
    const PointsPtr p = dressedInto(cells, {{"y", std::string("length")}, {"y_length", 0.05}, {"margin", margin}});
    const Extents extents(*p);
    for (std::size_t i = 0; i < p->count; ++i) {
      const Box3 box = p->kit->entries[static_cast<std::size_t>(p->prop[i])].prop->surface->bounds();
      const Vec3 is = box.extent() * p->size[i];
      QVERIFY(test::within(is.x, static_cast<double>(number(*cells, "cell_x", i)) - 2 * margin, 1e-4));
      QVERIFY(test::within(is.z, static_cast<double>(number(*cells, "cell_z", i)) - 2 * margin, 1e-4));
      if (box.extent().y > 1e-6F) QVERIFY(test::within(is.y, 0.05 - 2 * margin, 1e-4));
    }
    // Kept proportion: within all, or reaching all, and one of the axes is met.
    for (const char* way : {"within", "covering"}) {
      const PointsPtr kept = dressedInto(cells, {{"proportion", std::string(way)}});
      for (std::size_t i = 0; i < kept->count; ++i) {
        QVERIFY(test::within(kept->size[i].x, kept->size[i].y, 0, 1e-5) &&
                test::within(kept->size[i].x, kept->size[i].z, 0, 1e-5));
        const Vec3 is = Extents(*kept)(i);
        const float x = is.x / number(*cells, "cell_x", i);
        const float z = is.z / number(*cells, "cell_z", i);
        QVERIFY(test::within(std::string(way) == "within" ? std::max(x, z) : std::min(x, z), 1, 1e-4));
      }
    }
  }

  void gapsAndOverlapsAreTold() {
    const SurfacePtr roof = roofOf(facesOf("gable"), 0, Vec3(0));
    const PointsPtr cells = coursesOn(roof, {{"ends", std::string("cut")}});
    const auto reportOf = [&](double margin) {
      const PointsPtr p = dressedInto(cells, {{"margin", margin}});
      return checkStanding({p}, {roof}, {}, {});
    };
    const StandingReport fine = reportOf(0);
    QCOMPARE(fine.inCourses, cells->count);
    QCOMPARE(fine.withGaps + fine.overlapping + fine.checked, 0U);
    QCOMPARE(reportOf(0.02).withGaps, cells->count);
    // Others that are put together with them are not in courses.
    const PointsPtr all = dressedInto(cells, {});
    test::Bench bench;
    const PointsPtr loose = bench.points("pattern", {}, {{"count", 20.0}});
    const PointsPtr both = bench.points("merge", [&] {
      Inputs in;
      in.links["points"] = {{all, 1},
                            {dressedInto(loose, {{"x", std::string("free")}, {"z", std::string("free")}}), 2}};
      return in;
    }());
    QCOMPARE(both->count, cells->count + 20);
    const StandingReport merged = checkStanding({both}, {roof}, {}, {});
    QCOMPARE(merged.inCourses, cells->count);
    QCOMPARE(merged.withGaps + merged.overlapping, 0U);
    QCOMPARE(reportOf(-0.02).overlapping, cells->count);
  }

  void aFitThatCannotBeIsTold() {
    const PointsPtr cells = coursesOn(roofOf(facesOf("gable"), 0, Vec3(0)), {});
    test::Bench bench;
    const auto none = bench.run("size-to-fit", test::inputs({{"points", cells}}),
                                {{"x_number", std::string("lenght")}});
    QVERIFY(!none && none.error().message.find("lenght") != std::string::npos);
    const PointsPtr kept = bench.points("size-to-fit", test::inputs({{"points", cells}}), {{"margin", 5.0}});
    QVERIFY(!bench.warnings.empty());
    for (std::size_t i = 0; i < kept->count; ++i) QVERIFY(kept->size[i] == cells->size[i]);
  }

  void sizesGoByANumberThroughARange() {
    const PointsPtr cells = coursesOn(roofOf(facesOf("gable"), 0, Vec3(0)), {});
    test::Bench bench;
    const PointsPtr p = bench.points("size-by-number", test::inputs({{"points", cells}}),
                                     {{"number", std::string("row")},
                                      {"values", std::vector<double>{2, 6}},
                                      {"way", std::string("set")},
                                      {"size", std::vector<double>{0.5, 2.5}}});
    for (std::size_t i = 0; i < p->count; ++i) {
      const float row = number(*cells, "row", i);
      QVERIFY(test::within(p->size[i].x, 0.5 + 0.5 * static_cast<double>(std::clamp(row, 2.0F, 6.0F) - 2), 1e-5));
    }
  }

  void theLargestRectangleOfAnL() {
    // 6 × 2 m and 2 × 5 m that share a corner: the larger one is 6 × 2 or 2 × 5; then an L whose inner corner is cut.
    const std::vector<std::vector<Vec3>> faces{{{0, 0, 0}, {6, 0, 0}, {6, 0, 2}, {2, 0, 2}, {0, 0, 2}},
                                               {{0, 0, 2}, {2, 0, 2}, {2, 0, 5}, {0, 0, 5}}};
    for (const float yaw : {0.0F, 25.0F}) {
      const SurfacePtr lot = roofOf(faces, yaw, Vec3(100, 3, -40));
      test::Bench bench;
      const PointsPtr p = bench.points(
          "points-of-surface", test::inputs({{"surface", lot}}),
          {{"faces_are", std::string("flat-areas")}, {"stands", std::string("rectangle")}});
      QCOMPARE(p->count, 1U);
      const float sides[] = {number(*p, "face-width", 0), number(*p, "face-length", 0)};
      QVERIFY(test::within(std::max(sides[0], sides[1]), 6, 1e-3) &&
              test::within(std::min(sides[0], sides[1]), 2, 1e-3));
      const Vec3 middle = glm::angleAxis(radians(yaw), kUp) * Vec3(3, 0, 1) + Vec3(100, 3, -40);
      QVERIFY(glm::distance(p->position[0], middle) < 1e-3F);
      const PointsPtr whole = bench.points("points-of-surface", test::inputs({{"surface", lot}}),
                                           {{"faces_are", std::string("flat-areas")}});
      QVERIFY(test::within(number(*whole, "face-width", 0) * number(*whole, "face-length", 0), 30, 1e-2));
    }
  }
};

QTEST_GUILESS_MAIN(TestCourses)
#include "tst_courses.moc"
