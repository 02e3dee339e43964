// How deep places lie, what lies over ground, grids that fill bodies, what is held or kept inside; and bodies that are
// open, turned, thin, empty, tiny or huge.
#include "core/base/random.h"
#include "core/deliver/volume_look.h"
#include "core/geometry/shapes.h"
#include "core/geometry/welding.h"
#include "tests/support/bodies.h"

#include <numbers>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

VolumePtr solid(const std::vector<SurfacePtr>& surfaces) {
  auto made = makeSolid(surfaces, {}, {});
  if (!made) qFatal("%s", toLine(made.error()).c_str());
  return *made;
}

/// Distance to the skin of a box that goes from `min` to `max`, above 0 inside.
float boxDepth(const Vec3& p, const Vec3& min, const Vec3& max) {
  const Vec3 out = glm::max(min - p, p - max);
  const float inside = std::max({out.x, out.y, out.z});
  return inside <= 0 ? -inside : -glm::length(glm::max(out, Vec3(0)));
}

std::vector<Vec3> placesIn(const Box3& box, std::size_t count) {
  const Draw draw(5, 6, 7, "places");
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < count; ++i)
    out.push_back(box.min + box.extent() * Vec3(draw.unit(3 * i), draw.unit(3 * i + 1), draw.unit(3 * i + 2)));
  return out;
}

Points pointsAt(const std::vector<Vec3>& places) {
  Points p;
  p.count = places.size();
  p.position = Array<Vec3>(places.begin(), places.end());
  Array<std::uint64_t> id(p.count);
  for (std::size_t i = 0; i < p.count; ++i) id[i] = i + 1;
  p.id = std::move(id);
  return p;
}

PointsPtr pointsOnAPlane() {
  test::Bench bench;
  return bench.points("sow-on-surface", inputs({{"surface", plane(5, 2)}}));
}

}  // namespace

class TestInBodies : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// A hole is shown by its edges, wherever the body lies; what would take too many voxels says why it has no facets.
  void theLookOfAVolumeTellsWhatIsWrong() {
    const SurfacePtr holed = without(published(makeBall(1, 24)), 300, 8);
    const std::size_t edges = openEdges(*holed).size();
    QVERIFY(edges > 3);
    const auto look = lookOf(solid({holed}), {});
    QCOMPARE(look->open.size(), edges);
    QVERIFY(!look->problem && look->facets->faceCount() > 100);
    test::Bench bench;
    const auto plane = bench.run("shape", {},
                                 {{"form", std::string("plane")},
                                  {"divisions", 3.0},
                                  {"extent", std::vector<double>{4, 1, 6}},
                                  {"move", std::vector<double>{0, 20, 0}}});
    const auto flat = lookOf(solid({std::get<SurfacePtr>(plane->front())}), {});
    QCOMPARE(flat->open.size(), std::size_t{12});
    for (const auto& [from, to] : flat->open)
      QVERIFY(from.y == 20 && to.y == 20 && (std::abs(from.x) == 2 || std::abs(from.z) == 3));
    SolidRule fine;
    fine.voxelSize = 4.5e-4F;
    const SurfacePtr ball = published(makeBall(1, 24));
    const auto whole = lookOf(*makeSolid({ball}, fine, {}), {});
    QVERIFY(whole->problem && whole->facets->faceCount() == ball->faceCount());  // its own triangles
    fine.grow = 0.1F;
    const auto grown = lookOf(*makeSolid({ball}, fine, {}), {});
    QVERIFY(grown->problem && !grown->facets);
    QVERIFY(grown->problem->message.find("voxels") != std::string::npos);
  }

  /// Depth is measured to the skin that the eye sees: what is buried does not count, and the cut does.
  void depthGoesToTheSkin() {
    const SurfacePtr ball = published(makeBall(2, 96));
    const auto inBall = depthOf(solid({ball}), {});
    for (const Vec3& at : placesIn({Vec3(-2.5F), Vec3(2.5F)}, 2000)) {
      const Depth d = inBall->at(at);
      QVERIFY(test::within(static_cast<double>(d.meters), 2 - static_cast<double>(glm::length(at)), 0.004));
      if (glm::length(at) > 0.3F) QVERIFY(glm::dot(d.outward, glm::normalize(at)) > 0.99F);
    }
    // Two boxes side by side, one sunk into the other over all of its width.
    const SurfacePtr a = published(makeBox({4, 2, 2}));
    const SurfacePtr b = moved(a, {2, 0, 0});
    const auto both = depthOf(solid({a, b}), {});
    for (const Vec3& at : placesIn({{-3, -1, -2}, {5, 3, 2}}, 4000)) {
      const double expected = static_cast<double>(boxDepth(at, {-2, 0, -1}, {4, 2, 1}));
      QVERIFY(test::within(static_cast<double>(both->at(at).meters), expected, 0.02));
    }
    // The same by Combine; what two share; what is left of one.
    const auto combinedOf = [&](CombineWay way) { return makeCombined({solid({a}), solid({b})}, way, 0.1F); };
    const VolumePtr together = combinedOf(CombineWay::Together);
    const VolumePtr common = combinedOf(CombineWay::Common);
    const VolumePtr without = combinedOf(CombineWay::Without);
    for (const Vec3& at : placesIn({{-3, -1, -2}, {5, 3, 2}}, 4000)) {
      const auto same = [&](const VolumePtr& v, const Vec3& min, const Vec3& max) {
        const float expected = boxDepth(at, min, max);
        return test::within(static_cast<double>(depthOf(v, {})->at(at).meters), static_cast<double>(expected), 0.02) &&
               (std::abs(expected) < 1e-3F || v->isInside(at) == (expected > 0));
      };
      QVERIFY(same(together, {-2, 0, -1}, {4, 2, 1}));
      QVERIFY(same(common, {0, 0, -1}, {2, 2, 1}));
      QVERIFY(same(without, {-2, 0, -1}, {0, 2, 1}));
    }
  }

  /// What a box's side is said to be is true of places in it, for every sort of volume.
  void sidesAreTrue() {
    const SurfacePtr stone = pebble(32);
    const SurfacePtr box = moved(published(makeBox({1, 1, 1})), {0.5F, 0, 0});
    const auto shell = *makeSolid({stone}, {true, {0.1F, 0.4F}, 0, 0.1F}, {});
    const auto air = *makeSpaceOver(hills(32, 8, 3), {0.2F, true, 1, 0, 0.1F});
    for (const VolumePtr& v : {solid({stone}), solid({stone, box}), solid({without(stone, 0, 40)}), shell, air,
                               makeCombined({solid({stone}), solid({box})}, CombineWay::Without, 0.1F),
                               makeCombined({solid({stone}), air}, CombineWay::Common, 0.1F)}) {
      std::size_t known = 0;
      const Draw draw(8, 8, 8, "boxes");
      const std::vector<Vec3> corners = placesIn({Vec3(-2), Vec3(2)}, 400);
      for (std::size_t i = 0; i < corners.size(); ++i) {
        const Box3 asked{corners[i], corners[i] + 0.6F * Vec3(draw.unit(i), draw.unit(i + 1000), draw.unit(i + 2000))};
        const Side side = v->sideOf(asked);
        if (side == Side::Mixed) continue;
        ++known;
        for (const Vec3& at : placesIn(asked, 20)) QCOMPARE(v->isInside(at), side == Side::Inside);
      }
      QVERIFY2(known > 60, qPrintable(QString::number(known)));
    }
  }

  /// Water and air: as much as the ground leaves, under arches too, and none within rocks.
  void spaceOverGround() {
    const SurfacePtr flat = plane(10, 8);
    const auto air = *makeSpaceOver(flat, {0.5F, false, 0, 2, 0.1F});
    for (const Vec3& at : placesIn({{-6, -1, -6}, {6, 3, 6}}, 4000)) {
      const double expected = static_cast<double>(boxDepth(at, {-5, 0.5F, -5}, {5, 2, 5}));
      if (std::abs(expected) < 1e-3) continue;
      QCOMPARE(air->isInside(at), expected > 0);
      QVERIFY(test::within(static_cast<double>(depthOf(air, {})->at(at).meters), expected, 0.03));
    }
    // A ground that leans 45° under water: a wedge.
    const auto water = *makeSpaceOver(leaning(8, 45), {0, true, 1, 0, 0.1F});
    for (const Vec3& at : placesIn({{-4, -4, -4}, {4, 4, 4}}, 4000)) {
      const float half = 4 / std::sqrt(2.0F);
      const bool isUnder = at.y < 1 && at.y > at.x && std::abs(at.x) < half && std::abs(at.z) < 4;
      if (std::abs(at.y - at.x) < 1e-3F || std::abs(at.y - 1) < 1e-3F || std::abs(std::abs(at.x) - half) < 1e-3F)
        continue;
      QCOMPARE(water->isInside(at), isUnder);
      if (isUnder && std::abs(at.x) < 2 && std::abs(at.z) < 2)
        QVERIFY(test::within(static_cast<double>(depthOf(water, {})->at(at).meters),
                             std::min({1 - static_cast<double>(at.y), static_cast<double>(at.x + half),
                                       static_cast<double>(at.y - at.x) / std::sqrt(2.0)}),
                             0.03));
    }
    // A rock that floats: air below and above, none inside.
    test::Bench bench;
    Inputs in;
    in.links["surfaces"] = {{flat, 1}, {moved(published(makeBall(1, 24)), {0, 2, 0}), 2}};
    const SurfacePtr ground = std::get<SurfacePtr>(bench.run("merge-surfaces", in)->front());
    const auto around = *makeSpaceOver(ground, {0, true, 5, 0, 0.1F});
    QVERIFY(around->isInside({0, 0.5F, 0}) && around->isInside({0, 3.5F, 0}) && !around->isInside({0, 2, 0}));
    // Below the ground, where it reaches there.
    const auto soil = *makeSpaceOver(flat, {-1, false, 0, -0.25F, 0.1F});
    QVERIFY(soil->isInside({1, -0.5F, 1}) && !soil->isInside({1, -0.1F, 1}) && !soil->isInside({1, -1.1F, 1}));
  }

  /// Full grids: as many as fit, as far apart as asked, as dense as the books say, and hidden ones known.
  void gridsFillBodies() {
    test::Bench bench;
    const VolumePtr box = solid({published(makeBox({4, 3, 5}))});
    const auto grid = [&](const ParamMap& params) {
      return bench.points("planting-grid-in-volume", inputs({{"volume", box}}), params);
    };
    QCOMPARE(grid({{"spacing", 0.5}})->count, std::size_t{8 * 6 * 10});
    const PointsPtr shell = grid({{"spacing", 0.5}, {"shell_only", true}});
    QCOMPARE(shell->count, std::size_t{8 * 6 * 10 - 6 * 4 * 8});
    QCOMPARE(grid({{"spacing", 0.5}, {"counts_by", std::string("share")}, {"share", 100.0}})->count,
             std::size_t{8 * 6 * 10});
    const struct {
      const char* cells;
      double density;  // of balls as wide as the spacing (Conway and Sloane, table 1.1)
      std::size_t neighbors;
    } known[] = {{"cubic", std::numbers::pi / 6, 6},
                 {"body_centered", std::numbers::pi * std::sqrt(3.0) / 8, 8},
                 {"close_packed", std::numbers::pi / std::sqrt(18.0), 12}};
    for (const auto& k : known) {
      constexpr double kSpacing = 0.21;
      const PointsPtr p = grid({{"cells", std::string(k.cells)}, {"spacing", kSpacing}, {"turn", 30.0}});
      const double ball = std::numbers::pi / 6 * kSpacing * kSpacing * kSpacing;
      QVERIFY(test::within(static_cast<double>(p->count) * ball / 60, k.density, 0, 0.05));
      const Vec3 cell = std::get<Column<Vec3>>(p->attributes.at("cell"))[0];
      QVERIFY(test::within(static_cast<double>(cell.x * cell.y * cell.z), ball / k.density, 1e-6));
      double nearest = 1;
      std::size_t most = 0;
      for (std::size_t i = 0; i < p->count; i += 50) {
        std::size_t near = 0;
        for (std::size_t j = 0; j < p->count; ++j) {
          const double d = static_cast<double>(glm::distance(p->position[i], p->position[j]));
          if (i != j) nearest = std::min(nearest, d);
          near += i != j && d < kSpacing * 1.01;
        }
        most = std::max(most, near);
      }
      QVERIFY(test::within(nearest, kSpacing, 1e-5));
      QCOMPARE(most, k.neighbors);
    }
  }

  /// Props fill their cells, whatever they measure and wherever their pivot is, and do not run into each other.
  void propsFillTheirCells() {
    test::Bench bench;
    const VolumePtr box = solid({published(makeBox({4, 3, 5}))});
    const PointsPtr grid = bench.points("planting-grid-in-volume", inputs({{"volume", box}}),
                                        {{"cells", std::string("body_centered")},
                                         {"spacing", 0.7},
                                         {"turn", 25.0},
                                         {"lattice", std::string("corner")}});
    const PointsPtr filled = bench.points("dress", inputs({{"points", grid}, {"kit", someKit()}}),
                                          {{"common_height", std::string("cell")}, {"of_cell", 90.0}});
    QVERIFY(filled->count > 100 && bench.warnings.empty());
    const Vec3 cell = std::get<Column<Vec3>>(grid->attributes.at("cell"))[0];
    for (std::size_t i = 0; i < filled->count; ++i) {
      const Box3 own = filled->kit->entries[static_cast<std::size_t>(filled->prop[i])].prop->surface->bounds();
      const Vec3 middle = filled->position[i] + filled->orientation[i] * (filled->size[i] * own.center());
      QVERIFY(glm::distance(middle, grid->position[i]) < 1e-4F);
      for (int axis = 0; axis < 3; ++axis)
        if (own.extent()[axis] > 1e-4F)
          QVERIFY(test::within(static_cast<double>(filled->size[i][axis] * own.extent()[axis]),
                               0.9 * static_cast<double>(cell[axis]), 1e-4));
    }
    // Points without cells are told, and stay as made.
    const PointsPtr bare = bench.points("dress", inputs({{"points", pointsOnAPlane()}, {"kit", someKit()}}),
                                        {{"common_height", std::string("cell")}});
    QCOMPARE(bench.warnings.size(), std::size_t{1});
    for (std::size_t i = 0; i < bare->count; ++i) QVERIFY(bare->size[i] == Vec3(1));
  }

  /// What was shifted out comes back to the skin, as near as can be, and what was deep enough does not move.
  void heldInside() {
    test::Bench bench;
    const SurfacePtr a = published(makeBox({4, 2, 2}));
    const VolumePtr bodies = solid({a, moved(a, {1, 1.5F, 0})});
    const auto depth = depthOf(bodies, {});
    const PointsPtr all = std::make_shared<const Points>(pointsAt(placesIn({{-4, -2, -3}, {5, 5, 3}}, 3000)));
    for (const double margin : {0.0, 0.3}) {
      const auto out = bench.run("hold-inside", inputs({{"points", all}, {"volume", bodies}}),
                                 {{"reach", 50.0}, {"margin", margin}});
      const Points& held = *std::get<PointsPtr>((*out)[0]);
      QVERIFY(held.count > 2900);
      for (std::size_t i = 0; i < held.count; ++i) {
        const Vec3 before = all->position[held.id[i] - 1];
        const float d = depth->at(before).meters;
        QVERIFY(static_cast<double>(depth->at(held.position[i]).meters) >= margin);
        if (static_cast<double>(d) >= margin)
          QVERIFY(held.position[i] == before);
        else if (margin == 0)
          QVERIFY(test::within(static_cast<double>(glm::distance(before, held.position[i])), -static_cast<double>(d),
                               1e-3));
      }
      const auto left = bench.run("hold-inside", inputs({{"points", all}, {"volume", bodies}}),
                                  {{"outsiders", std::string("leave_out")}, {"margin", margin}});
      std::size_t expected = 0;
      for (std::size_t i = 0; i < all->count; ++i)
        expected += static_cast<double>(depth->at(all->position[i]).meters) >= margin;
      QCOMPARE(std::get<PointsPtr>((*left)[0])->count, expected);
    }
    const auto near = bench.run("hold-inside", inputs({{"points", all}, {"volume", bodies}}), {{"reach", 0.5}});
    for (std::size_t i = 0; i < std::get<PointsPtr>((*near)[1])->count; ++i)
      QVERIFY(depth->at(std::get<PointsPtr>((*near)[1])->position[i]).meters < -0.49F);
  }

  /// Keep in and out, and the mask, go by the same depth.
  void keptByVolume() {
    test::Bench bench;
    const VolumePtr stone = solid({pebble(24)});
    const auto depth = depthOf(stone, {});
    const PointsPtr all = std::make_shared<const Points>(pointsAt(placesIn({Vec3(-1.6F), Vec3(1.6F)}, 3000)));
    for (const double margin : {0.0, 0.2, -0.2}) {
      const auto in = bench.run("keep-in", inputs({{"points", all}, {"volume", stone}}), {{"margin", margin}});
      const auto out = bench.run("keep-out", inputs({{"points", all}, {"volume", stone}}), {{"margin", margin}});
      std::size_t expected = 0;
      for (std::size_t i = 0; i < all->count; ++i)
        expected += static_cast<double>(depth->at(all->position[i]).meters) >= -margin;
      QVERIFY(expected > 100);
      QCOMPARE(std::get<PointsPtr>((*in)[0])->count, expected);
      QCOMPARE(std::get<PointsPtr>((*out)[0])->count, all->count - expected);
    }
    const auto mask = bench.run("depth", inputs({{"volume", stone}}), {{"band", std::vector<double>{0, 0.5, 9, 9}}});
    const Array<float> values = maskValues({}, *std::get<MaskPtr>(mask->front()), *all);
    for (std::size_t i = 0; i < all->count; ++i) {
      const float d = depth->at(all->position[i]).meters;
      QCOMPARE(values[i], Band({0, 0.5F, 9, 9}).weight(d));
    }
  }

  /// The skin as triangles: closed, on the skin, about as wide as a voxel and even; smoothing keeps the volume.
  void skinsBecomeSurfaces() {
    test::Bench bench;
    const SurfacePtr stone = pebble(48);
    const SurfacePtr beside = moved(stone, {0.8F, 0.2F, 0}, 0.7F);
    const VolumePtr both = solid({stone, beside});
    const auto depth = depthOf(both, {});
    const auto meshed = [&](double voxel, double rounds) {
      const auto out = bench.run("surface-of-volume", inputs({{"volume", both}}),
                                 {{"size_by", std::string("own")}, {"voxel_size", voxel}, {"smoothing", rounds}});
      return out ? std::get<SurfacePtr>(out->front()) : nullptr;
    };
    const SurfacePtr mesh = meshed(0.04, 0);
    QVERIFY(checkSurface(*mesh).has_value());
    QCOMPARE(openEdgeCount(*mesh), std::size_t{0});
    QVERIFY(volumeOf(*mesh) > 0);
    std::vector<double> smallest;
    for (std::size_t f = 0; f < mesh->faceCount(); ++f) {
      const UVec3 t = mesh->triangles[f];
      double least = 180;
      for (int k = 0; k < 3; ++k) {
        const Vec3 at = mesh->positions[t[k]];
        QVERIFY(std::abs(depth->at(at).meters) < 0.04F);
        const Vec3 a = directionOr(mesh->positions[t[(k + 1) % 3]] - at, kUp);
        const Vec3 b = directionOr(mesh->positions[t[(k + 2) % 3]] - at, kUp);
        least = std::min(least, static_cast<double>(degrees(angleBetween(a, b))));
      }
      smallest.push_back(least);
    }
    std::nth_element(smallest.begin(), smallest.begin() + static_cast<std::ptrdiff_t>(smallest.size() / 2),
                     smallest.end());
    QVERIFY2(smallest[smallest.size() / 2] > 38, qPrintable(QString::number(smallest[smallest.size() / 2])));
    // Nine times as many triangles at a third of the size; the same volume, however often smoothed.
    const SurfacePtr coarse = meshed(0.12, 0);
    QVERIFY(test::within(static_cast<double>(mesh->faceCount()), 9 * static_cast<double>(coarse->faceCount()), 0, 0.1));
    QVERIFY(test::within(volumeOf(*meshed(0.04, 12)), volumeOf(*mesh), 0, 0.01));
    // Too fine: refused before any of it is made.
    QVERIFY(meshed(0.0005, 0) == nullptr);
  }

  /// Open, thin, self-crossing, empty and far-off bodies: right, or said so; never a crash.
  void oddBodies() {
    test::Bench bench;
    const auto sow = [&](const std::vector<SurfacePtr>& surfaces,
                         const ParamMap& params = {{"amount", std::string("total")}, {"total", 500.0}}) {
      Inputs in;
      std::uint64_t slot = 1;
      for (const SurfacePtr& s : surfaces) in.links["surfaces"].push_back({s, slot++});
      const auto volume = bench.run("solid", in);
      if (!volume) return std::make_shared<const Points>();
      const auto warnings = bench.warnings;
      PointsPtr p = bench.points("sow-in-volume", inputs({{"volume", volume->front()}}), params);
      bench.warnings.insert(bench.warnings.begin(), warnings.begin(), warnings.end());
      return p;
    };
    const SurfacePtr ball = published(makeBall(1, 32));
    QCOMPARE(sow({ball})->count, std::size_t{500});
    QVERIFY(bench.warnings.empty());
    // With a hole: filled all the same, and said where.
    const PointsPtr open = sow({without(ball, 10, 6)});
    QCOMPARE(open->count, std::size_t{500});
    for (std::size_t i = 0; i < open->count; ++i) QVERIFY(glm::length(open->position[i]) < 1.001F);
    QVERIFY(bench.warnings.size() == 1 && bench.warnings.front().message.find("open edges") != std::string::npos);
    // A wall far thinner than a voxel, at both ends of the scale.
    for (const float size : {1e-4F, 1.0F, 3e4F}) {
      const PointsPtr wall = sow({published(makeBox(size * Vec3(3, 2, 0.002F)))});
      QCOMPARE(wall->count, std::size_t{500});
      for (std::size_t i = 0; i < wall->count; ++i) QVERIFY(std::abs(wall->position[i].z) <= size * 0.001001F);
    }
    // Far from the origin.
    const PointsPtr far = sow({moved(ball, {20000, -500, 70000})});
    QCOMPARE(far->count, std::size_t{500});
    // Crossing itself: a torus whose tube is wider than its ring.
    QCOMPARE(sow({published(makeTorus(1, 1.6F, 32))})->count, std::size_t{500});
    // Nothing at all.
    QCOMPARE(sow({published(Surface())})->count, std::size_t{0});
    QCOMPARE(sow({published(makePlane(2, 2, 4))})->count, std::size_t{0});
    // Too many: refused before any memory is taken, with what to do.
    const auto many = bench.run("sow-in-volume", inputs({{"volume", solid({moved(ball, Vec3(0), 100)})}}),
                                {{"density", 1e6}});
    QVERIFY(!many && many.error().code == ProblemCode::TooMany && !many.error().advice.empty());
    const auto dense = bench.run("planting-grid-in-volume", inputs({{"volume", solid({moved(ball, Vec3(0), 100)})}}),
                                 {{"spacing", 0.01}});
    QVERIFY(!dense && dense.error().code == ProblemCode::TooMany);
  }

  /// Clearance, Distance and Clumps go by distances in space: held against every pair of points in a ball.
  void roomAndDistanceAreThoseOfSpace() {
    test::Bench bench;
    const VolumePtr ball = solid({published(makeBall(3, 48))});
    const PointsPtr all = bench.points("sow-in-volume", inputs({{"volume", ball}}), {{"density", 8.0}});
    QVERIFY(all->count > 600);
    const auto apart = bench.run("clearance", inputs({{"points", all}}),
                                 {{"by", std::string("spacing")}, {"spacing", 0.45}});
    QVERIFY(apart);
    const Points& kept = *std::get<PointsPtr>(apart->at(0));
    const Points& left = *std::get<PointsPtr>(apart->at(1));
    QVERIFY(kept.count > 100 && left.count > 100);
    const auto nearest = [&](const Vec3& place, std::size_t but) {
      float least = std::numeric_limits<float>::infinity();
      for (std::size_t i = 0; i < kept.count; ++i)
        if (i != but) least = std::min(least, glm::distance(kept.position[i], place));
      return least;
    };
    bool areAbove = false;  // of each other, as seen from above
    for (std::size_t i = 0; i < kept.count; ++i) {
      QVERIFY(nearest(kept.position[i], i) >= 0.45F - 1e-5F);
      for (std::size_t k = 0; k < i && !areAbove; ++k)
        areAbove = glm::distance(Vec2(kept.position[i].x, kept.position[i].z),
                                 Vec2(kept.position[k].x, kept.position[k].z)) < 0.3F;
    }
    QVERIFY(areAbove);
    for (std::size_t i = 0; i < left.count; ++i) QVERIFY(nearest(left.position[i], kept.count) < 0.45F);

    const auto mask = bench.run("distance", inputs({{"points", std::get<PointsPtr>(apart->at(0))}}),
                                {{"band", std::vector<double>{0, 1, 1000, 1000}}, {"to", std::string("centers")}});
    QVERIFY(mask);
    Array<float> value(left.count);
    QVERIFY(std::get<MaskPtr>(mask->front())->measure(left, 0, left.count, value.data()));
    for (std::size_t i = 0; i < left.count; ++i) QVERIFY(within(value[i], nearest(left.position[i], kept.count), 1e-5));

    const auto clumps = bench.points("clumps", inputs({{"parents", std::get<PointsPtr>(apart->at(0))}}),
                                     {{"shape", std::string("ball")}, {"radius", 0.4}, {"separation", 0.12}});
    QVERIFY(clumps->count > kept.count);
    const auto* parent = columnOf<Column<std::uint64_t>>(clumps->attributes, "parent");
    QVERIFY(parent);
    std::map<std::uint64_t, Vec3> places;
    for (std::size_t i = 0; i < kept.count; ++i) places[kept.id[i]] = kept.position[i];
    float lowest = 0;
    float highest = 0;
    for (std::size_t i = 0; i < clumps->count; ++i) {
      const Vec3 off = clumps->position[i] - places.at((*parent)[i]);
      QVERIFY(glm::length(off) < 0.7F);
      lowest = std::min(lowest, off.y);
      highest = std::max(highest, off.y);
      for (std::size_t k = 0; k < i; ++k)
        QVERIFY(glm::distance(clumps->position[i], clumps->position[k]) >= 0.12F - 1e-5F);
    }
    QVERIFY(lowest < -0.25F && highest > 0.25F);  // all around
  }
};

QTEST_GUILESS_MAIN(TestInBodies)
#include "tst_in_bodies.moc"
