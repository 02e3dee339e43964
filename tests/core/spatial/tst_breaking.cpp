// Closed bodies broken into cells: pieces are closed, fit each other, add up to the body, and lie where their seed is
// nearest; of any shape, with hollows, many shells, flat ones, seeds in rank and file.
#include "core/base/random.h"
#include "core/geometry/shapes.h"
#include "core/spatial/cap.h"
#include "core/spatial/cut_faces.h"
#include "tests/support/bodies.h"

#include <map>
#include <numeric>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

std::vector<DVec3> seedsIn(const Box3& box, std::size_t count, std::uint64_t seed) {
  const Draw draw(seed, 1, 2, "seeds");
  std::vector<DVec3> out;
  for (std::size_t i = 0; i < count; ++i)
    out.push_back(DVec3(box.min) +
                  DVec3(box.extent()) * DVec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2)));
  return out;
}

Shells shellsFor(const std::vector<SurfacePtr>& surfaces) {
  Shells shells = shellsOf(surfaces);
  turnOutward(shells, {});
  return shells;
}

/// Rounding has split seams and poles by a few millionths; a body is what it is once they are closed.
Surface weldedBody(const Shells& shells) {
  Surface out;
  out.positions = shells.positions;
  Array<UVec3> triangles(shells.triangles.begin(), shells.triangles.end());
  for (std::size_t t = 0; t < triangles.size(); ++t)
    if (shells.list[shells.shellOf[t]].isTurned) std::swap(triangles[t].y, triangles[t].z);
  out.triangles = std::move(triangles);
  return out;
}

Box3 boundsOf(const Shells& shells) {
  Box3 box;
  for (const Vec3& p : shells.positions) box.add(p);
  return box;
}

/// Pieces add up, each is closed by itself and has its inside inside; they meet in the same triangles.
void checkFit(const Broken& broken, const Shells& shells) {
  const double size = static_cast<double>(glm::length(boundsOf(shells).extent()));
  const double whole = volumeOf(weldedBody(shells));
  double sum = 0;
  std::map<std::pair<std::uint32_t, std::uint32_t>, double> cutOf;  // by pieces, of the first one's side
  std::map<std::array<std::uint32_t, 3>, std::vector<std::uint32_t>> cutAt;
  for (std::uint32_t p = 0; p < broken.pieces.size(); ++p) {
    const BrokenPiece& piece = broken.pieces[p];
    QVERIFY(piece.volume > 0);
    sum += piece.volume;
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> sides;
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t) {
      const BrokenTriangle& tri = broken.triangles[t];
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t a = tri.places[k];
        const std::uint32_t b = tri.places[(k + 1) % 3];
        sides[{std::min(a, b), std::max(a, b)}] += a < b ? 1 : -1;
      }
      if (tri.from == BrokenTriangle::kCut) {
        std::array<std::uint32_t, 3> sorted = tri.places;
        std::sort(sorted.begin(), sorted.end());
        cutAt[sorted].push_back(p);
        cutAt[sorted].push_back(tri.beyond);
        continue;
      }
      // What was cut out of a triangle lies where its weights say.
      UVec3 c = shells.triangles[tri.from];
      if (shells.list[shells.shellOf[tri.from]].isTurned) std::swap(c.y, c.z);
      const auto at = [&](std::uint32_t i) { return DVec3(shells.positions[i]); };
      for (std::size_t k = 0; k < 3; ++k) {
        const glm::dvec2 w(tri.weights[k].x, tri.weights[k].y);
        const DVec3 there = (1 - w.x - w.y) * at(c.x) + w.x * at(c.y) + w.y * at(c.z);
        QVERIFY(glm::length(there - broken.places[tri.places[k]]) < 1e-6 * size);
      }
    }
    for (const auto& [side, count] : sides) QCOMPARE(count, 0);
  }
  QVERIFY2(std::abs(sum - whole) < 1e-9 * whole, qPrintable(QString::number(sum / whole - 1)));
  QVERIFY(std::abs(sum - broken.volume) < 1e-12 * whole);
  // Each cut has two sides, of two pieces that name each other, with the same corners: they fit bit for bit.
  for (const auto& [corners, pieces] : cutAt) {
    QCOMPARE(pieces.size(), std::size_t{4});
    QVERIFY(pieces[0] != pieces[1] && pieces[0] == pieces[3] && pieces[1] == pieces[2]);
    const auto p = [&](int k) { return broken.places[corners[static_cast<std::size_t>(k)]]; };
    cutOf[std::minmax(pieces[0], pieces[1])] += glm::length(glm::cross(p(1) - p(0), p(2) - p(0))) / 2;
  }
  QCOMPARE(broken.contacts.size(), cutOf.size());
  for (const BrokenContact& c : broken.contacts) {
    QVERIFY(c.a < c.b);
    QVERIFY(std::abs(cutOf.at({c.a, c.b}) - c.area) <= 1e-9 * (c.area + 1));
  }
}

}  // namespace

class TestBreaking : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void piecesAddUpAndFit_data() {
    QTest::addColumn<int>("body");
    QTest::addColumn<int>("seeds");
    QTest::addColumn<double>("factor");
    const char* names[] = {"box", "ball", "torus", "plate", "two shells", "hollow", "rod", "overlong ball"};
    for (int body = 0; body < 8; ++body)
      for (const int seeds : {1, 2, 7, 60, 700})
        for (const double factor : {1.0, 6.0})
          QTest::addRow("%s, %d, %g", names[body], seeds, factor) << body << seeds << factor;
  }
  void piecesAddUpAndFit() {
    QFETCH(int, body);
    QFETCH(int, seeds);
    QFETCH(double, factor);
    const std::vector<std::vector<SurfacePtr>> bodies{
        {published(makeBox({2, 1, 3}))},
        {published(makeBall(1.3F, 24))},
        {published(makeTorus(2, 0.4F, 40))},
        {published(makeBox({4, 0.01F, 3}))},
        {moved(published(makeBall(1, 16)), {5, 2, 0}), moved(published(makeBox({1, 1, 1})), {-3, 0, 7})},
        {published(makeBall(2, 20)), turnedRound(moved(published(makeBall(1, 12)), {0.2F, 0.1F, 0}))},
        {published(makeCylinder(0.02F, 30, 12))},
        {moved(published(makeBall(1, 40)), {1000, -300, 2000}, 0.05F)},
    };
    const Shells shells = shellsFor(bodies[static_cast<std::size_t>(body)]);
    const CellShape shape{glm::normalize(DVec3(0.3, 1, 0.2)), factor};
    const Box3 box = boundsOf(shells);
    const std::vector<DVec3> at = seedsIn(box, static_cast<std::size_t>(seeds), 4);
    const auto broken = breakUp(shells, at, shape);
    QVERIFY2(broken, broken ? "" : broken.error().message.c_str());
    checkFit(*broken, shells);
    if (QTest::currentTestFailed()) return;
    // Every place of a cell is as near to its seed as to any other.
    for (const BrokenPiece& piece : broken->pieces)
      for (std::uint32_t t = piece.first; t < piece.first + piece.count && seeds <= 60; ++t)
        for (const std::uint32_t place : broken->triangles[t].places) {
          const auto far = [&](const DVec3& s) {
            const DVec3 d = broken->places[place] - s;
            return glm::length(d + (1 / factor - 1) * glm::dot(d, shape.along) * shape.along);
          };
          const double own = far(at[piece.seed]);
          for (const DVec3& other : at)
            QVERIFY(own <= far(other) + 1e-9 * static_cast<double>(glm::length(box.extent())));
        }
    // The body's own places are as they were.
    for (std::size_t i = 0; i < shells.positions.size(); ++i) QVERIFY(Vec3(broken->places[i]) == shells.positions[i]);
  }

  /// Seeds in rank and file, and two at one place, make corners of more than four cells.
  void seedsInRankAndFile() {
    const Shells shells = shellsFor({published(makeBox({2, 2, 2}))});
    std::vector<DVec3> seeds;
    for (int x = 0; x < 4; ++x)
      for (int y = 0; y < 4; ++y)
        for (int z = 0; z < 4; ++z) seeds.push_back({-0.75 + 0.5 * x, 0.25 + 0.5 * y, -0.75 + 0.5 * z});
    const auto broken = breakUp(shells, seeds, {});
    QVERIFY(broken);
    QCOMPARE(broken->pieces.size(), std::size_t{64});
    for (const BrokenPiece& p : broken->pieces) QVERIFY(std::abs(p.volume - 0.125) < 1e-3);
    seeds.push_back(seeds.front());
    const auto twice = breakUp(shells, seeds, {});
    QVERIFY(twice);
    double sum = 0;
    for (const BrokenPiece& p : twice->pieces) sum += p.volume;
    QVERIFY(std::abs(sum - 8) < 1e-8);
  }

  /// One more seed takes its cell out of its neighbors and changes no other piece.
  void oneMoreSeedSplitsWhatItIsIn() {
    const Shells shells = shellsFor({published(makeTorus(2, 0.5F, 30))});
    std::vector<DVec3> seeds = seedsIn(boundsOf(shells), 80, 9);
    const auto shapeOf = [](const Broken& b, const BrokenPiece& piece) {
      std::set<std::array<double, 3>> at;
      for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t)
        for (const std::uint32_t p : b.triangles[t].places) at.insert({b.places[p].x, b.places[p].y, b.places[p].z});
      return at;
    };
    const auto before = breakUp(shells, seeds, {});
    seeds.push_back({2, 0, 0});
    const auto after = breakUp(shells, seeds, {});
    QVERIFY(before && after);
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::set<std::array<double, 3>>> had;
    for (const BrokenPiece& p : before->pieces) had[{p.seed, p.part}] = shapeOf(*before, p);
    std::size_t same = 0;
    for (const BrokenPiece& p : after->pieces) {
      const auto found = had.find({p.seed, p.part});
      same += found != had.end() && found->second == shapeOf(*after, p) ? 1 : 0;
    }
    QVERIFY2(same > before->pieces.size() * 3 / 4 && same < before->pieces.size(), qPrintable(QString::number(same)));
  }

  /// Rough cuts of fine triangles fit as flat ones do, the skin stays, and no side of a cut is too long.
  void roughCutsFit() {
    for (int round = 0; round < 12; ++round) {
      const SurfacePtr body = round % 3 == 0   ? published(makeBox({2, 1, 1}))
                              : round % 3 == 1 ? pebble(20)
                                               : published(makeTorus(1, 0.3F, 24));
      const Shells shells = shellsFor({body});
      auto broken = breakUp(shells, seedsIn(boundsOf(shells), 4 + 12 * static_cast<std::size_t>(round), 7), {});
      QVERIFY(broken);
      const std::vector<DVec3> before = broken->places;
      std::set<std::uint32_t> onSkin;
      for (const BrokenTriangle& t : broken->triangles)
        if (t.from != BrokenTriangle::kCut) onSkin.insert(t.places.begin(), t.places.end());
      const CutRule rule{0.08, round % 2 == 0 ? 0.0 : 0.01, 0.3, 5, {}};
      QVERIFY(shapeCuts(*broken, rule, 10'000'000));
      checkFit(*broken, shells);
      if (QTest::currentTestFailed()) return;
      double moved = 0;
      for (std::size_t p = 0; p < before.size(); ++p) {
        const double by = glm::length(broken->places[p] - before[p]);
        moved = std::max(moved, by);
        if (onSkin.contains(static_cast<std::uint32_t>(p))) QCOMPARE(by, 0.0);
      }
      QCOMPARE(moved > 0, rule.roughness > 0);
      QVERIFY(moved <= 1.8 * rule.roughness);  // in three directions
      for (const BrokenTriangle& t : broken->triangles)
        for (std::size_t k = 0; k < 3 && t.from == BrokenTriangle::kCut; ++k)
          QVERIFY(glm::length(broken->places[t.places[k]] - broken->places[t.places[(k + 1) % 3]]) <=
                  rule.longest + 4 * rule.roughness);
    }
    const Shells shells = shellsFor({published(makeBox({2, 1, 1}))});
    auto broken = breakUp(shells, seedsIn(boundsOf(shells), 20, 7), {});
    const auto tooMany = shapeCuts(*broken, {0.001, 0, 0.3, 5, {}}, 100'000);
    QVERIFY(!tooMany && tooMany.error().code == ProblemCode::TooMany);
  }

  void whatCannotBeBrokenIsSaid() {
    const auto open = breakUp(shellsFor({published(makePlane(1, 1, 3))}), {DVec3(0)}, {});
    QVERIFY(!open && open.error().code == ProblemCode::WrongInput);
    QVERIFY(open.error().message.find("not closed") != std::string::npos);
    const Shells crossing = shellsFor(
        {published(makeBox({2, 2, 2})), moved(published(makeBox({2, 2, 2})), {0.7F, 0.6F, 0.5F})});
    const auto crossed = breakUp(crossing, seedsIn(boundsOf(crossing), 200, 3), {});
    QVERIFY(!crossed && crossed.error().message.find("crosses itself") != std::string::npos);
  }

  /// Faces with holes, corners on one line, and loops there and back: as many triangles as there must be, and, where
  /// the loops are sound, as much area.
  void loopsAreFilled() {
    const Draw draw(3, 1, 2, "loops");
    std::uint64_t n = 0;
    for (int round = 0; round < 300; ++round) {
      std::vector<Loop> loops;
      std::vector<std::vector<glm::dvec2>> at;
      std::uint32_t place = 0;
      double area = 0;
      const auto add = [&](const glm::dvec2& middle, double size, bool isHole) {
        const int corners = 3 + static_cast<int>(draw.unit(n++) * 20);
        Loop loop;
        std::vector<glm::dvec2> flat;
        for (int k = 0; k < corners; ++k) {
          const double angle = (isHole ? -k : k) * 6.283185307179586 / corners;
          const double far = size * (0.3 + 0.7 * static_cast<double>(draw.unit(n++)));
          flat.push_back(middle + far * glm::dvec2(std::cos(angle), std::sin(angle)));
          loop.push_back(place++);
        }
        for (std::size_t k = 0; k < flat.size(); ++k) {
          const glm::dvec2& a = flat[k];
          const glm::dvec2& b = flat[(k + 1) % flat.size()];
          area += (a.x * b.y - a.y * b.x) / 2;
        }
        loops.push_back(loop);
        at.push_back(flat);
      };
      const int holes = static_cast<int>(draw.unit(n++) * 6);
      add({0, 0}, 10 / 0.3, false);
      for (int h = 0; h < holes; ++h) add(glm::dvec2(4.0 * (h % 3) - 4, 4.0 * (h / 3) - 2), 1.9, true);
      const auto triangles = fillLoops(loops, at);
      QCOMPARE(triangles.size(), static_cast<std::size_t>(place) + 2 * static_cast<std::size_t>(holes) - 2);
      std::vector<glm::dvec2> where;
      for (const auto& l : at) where.insert(where.end(), l.begin(), l.end());
      double sum = 0;
      for (const auto& t : triangles) {
        const glm::dvec2 u = where[t[1]] - where[t[0]];
        const glm::dvec2 v = where[t[2]] - where[t[0]];
        const double twice = u.x * v.y - u.y * v.x;
        QVERIFY(twice > -1e-9);
        sum += twice / 2;
      }
      QVERIFY2(std::abs(sum - area) < 1e-9 * area, qPrintable(QString::number(sum / area)));
    }
  }
};

QTEST_GUILESS_MAIN(TestBreaking)
#include "tst_breaking.moc"
