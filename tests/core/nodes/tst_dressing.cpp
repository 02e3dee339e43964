// Dressing: which prop a point gets, what grows on props, and props as messy as they come. Laws and worked-out answers,
// no snapshots.
#include "core/geometry/welding.h"
#include "core/picture/scene.h"
#include "core/plan/prop_check.h"
#include "core/plan/prop_making.h"
#include "core/props/baked.h"
#include "core/spatial/surface_index.h"
#include "core/spatial/unlike.h"
#include "tests/support/support.h"

#include <fmt/format.h>

#include <numeric>
#include <set>

using namespace arvesk;

namespace {

PointsPtr scattered(double density = 4, std::uint64_t uid = 5) {
  test::Bench bench;
  bench.ctx.nodeUid = uid;
  return bench.points("sow-on-surface", test::inputs({{"surface", test::hills(24, 30, 3)}}),
                      {{"density", density}, {"footprint", 0.2}});
}

/// Turned any way round and sized unevenly, mirrored ones among them.
PointsPtr tumbled(const PointsPtr& points) {
  test::Bench bench;
  const PointsPtr turned = bench.points("orient", test::inputs({{"points", points}}),
                                        {{"mode", std::string("any-way")}});
  Points p = *turned;
  Array<Vec3> size(p.count);
  for (std::size_t i = 0; i < p.count; ++i) {
    const std::uint64_t h = hashOf(p.id[i], 77ULL);
    size[i] = Vec3(0.4F + 1.2F * unitFloat(h), 0.4F + 1.2F * unitFloat(mix64(h)),
                   0.4F + 1.2F * unitFloat(mix64(mix64(h)))) *
              Vec3(i % 5 == 0 ? -1 : 1, 1, 1);
  }
  p.size = std::move(size);
  return std::make_shared<const Points>(std::move(p));
}

PointsPtr withText(const PointsPtr& points, const char* name, const std::vector<std::string>& texts) {
  Points p = *points;
  Array<std::uint32_t> index(p.count);
  for (std::size_t i = 0; i < p.count; ++i) index[i] = static_cast<std::uint32_t>(i % texts.size());
  p.attributes.insert_or_assign(name, TextColumn{std::make_shared<const std::vector<std::string>>(texts),
                                                 Column<std::uint32_t>(std::move(index))});
  return std::make_shared<const Points>(std::move(p));
}

PointsPtr dressedBy(const PointsPtr& points, const ParamMap& params, const MaskPtr& mask = nullptr,
                    const KitPtr& kit = test::someKit()) {
  test::Bench bench;
  Inputs in = test::inputs({{"points", points}, {"kit", kit}});
  if (mask) in.links["mask"].push_back({mask, 9});
  return bench.points("dress", in, params);
}

std::string propName(const Points& p, std::size_t i) {
  return p.prop[i] == kNoProp ? std::string() : p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->name;
}

Surface readProp(const char* file) {
  test::Bench bench;
  std::vector<Problem> warnings;
  const auto surface = bench.files->surface(file, {}, warnings);
  return surface ? **surface : Surface();
}

PropEntry entryOf(const char* name, const std::string& file) {
  PropEntry e;
  e.uid = e.name = name;
  e.file = file;
  return e;
}

double signedVolume(const Surface& s) {
  double sum = 0;
  for (const UVec3& t : s.triangles)
    sum += static_cast<double>(glm::dot(s.positions[t.x], glm::cross(s.positions[t.y], s.positions[t.z]))) / 6;
  return sum;
}

}  // namespace

class TestDressing : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void inTurnGoesThroughTheKitInOrder() {
    const PointsPtr p = dressedBy(scattered(), {{"way", std::string("cycle")}});
    QVERIFY(p->count > 1000);
    for (std::size_t i = 0; i < p->count; ++i) QCOMPARE(p->prop[i], static_cast<std::int32_t>(i % 3));
  }

  void aKitThatGrowsMovesPointsOnlyToTheNewProp_data() {
    QTest::addColumn<QString>("way");
    QTest::newRow("at random") << "chance";
    QTest::newRow("in patches") << "patches";
  }
  void aKitThatGrowsMovesPointsOnlyToTheNewProp() {
    QFETCH(QString, way);
    Kit small = *test::someKit();
    small.entries.pop_back();
    const PointsPtr points = scattered();
    const PointsPtr before = dressedBy(points, {{"way", way.toStdString()}}, nullptr,
                                       std::make_shared<const Kit>(small));
    const PointsPtr after = dressedBy(points, {{"way", way.toStdString()}});
    std::size_t moved = 0;
    for (std::size_t i = 0; i < points->count; ++i) {
      if (propName(*after, i) == "mat")
        ++moved;
      else
        QCOMPARE(propName(*after, i), propName(*before, i));
    }
    // Its weight is 3 of 6; patches are few, so their share is only near it.
    QVERIFY(test::within(static_cast<double>(moved) / static_cast<double>(points->count), 0.5,
                         way == QStringLiteral("patches") ? 0.2 : 0.04));
  }

  void unlikeNeighborsDiffer() {
    Kit kit;
    for (int k = 0; k < 7; ++k)
      kit.entries.push_back(
          {makeProp(fmt::format("rock-{}", k), fmt::format("rock {}", k), test::someProps()[0]->surface), 1.0F});
    Kit small = kit;
    small.entries.pop_back();
    const PointsPtr points = scattered(3);
    const float within = 0.7F;
    const auto dressed = [&](const Kit& k, const char* way) {
      return dressedBy(points, {{"way", std::string(way)}, {"unlike_within", static_cast<double>(within)}}, nullptr,
                       std::make_shared<const Kit>(k));
    };
    const auto equalOnes = [&](const Points& p) {
      std::size_t equal = 0;
      for (std::size_t i = 0; i < p.count; ++i)
        for (std::size_t k = 0; k < p.count; ++k)
          if (k != i && p.prop[i] == p.prop[k] && glm::distance(p.position[i], p.position[k]) <= within) {
            ++equal;
            break;
          }
      return equal;
    };
    const PointsPtr unlike = dressed(kit, "unlike");
    const std::size_t byChance = equalOnes(*dressed(kit, "chance"));
    QVERIFY(byChance > points->count / 5);
    QVERIFY(equalOnes(*unlike) * 10 < byChance);
    // A seventh prop takes about a seventh of them; who had to make way for it, and who then need not, is few more.
    const PointsPtr before = dressed(small, "unlike");
    std::size_t moved = 0;
    for (std::size_t i = 0; i < points->count; ++i) moved += propName(*before, i) != propName(*unlike, i);
    QVERIFY2(moved < points->count * 45 / 100, qPrintable(QString::number(moved)));
    // One by one, by the plain loop.
    test::Bench bench;
    const Draw order = bench.ctx.draw("order");
    const auto pick = [](std::size_t, const std::vector<float>& nearest) {
      return static_cast<std::int32_t>(std::max_element(nearest.begin(), nearest.end()) - nearest.begin());
    };
    const UnlikeNeighbors fast = chooseUnlike({}, *points, order, within, 4, pick);
    std::vector<std::size_t> turn(points->count);
    std::iota(turn.begin(), turn.end(), std::size_t{0});
    std::sort(turn.begin(), turn.end(),
              [&](std::size_t a, std::size_t b) { return order.bits(points->id[a]) < order.bits(points->id[b]); });
    std::vector<std::int32_t> slow(points->count, -1);
    for (const std::size_t i : turn) {
      std::vector<float> nearest(4, std::numeric_limits<float>::infinity());
      for (std::size_t k = 0; k < points->count; ++k)
        if (const float d = glm::distance(points->position[i], points->position[k]); slow[k] >= 0 && d <= within)
          nearest[static_cast<std::size_t>(slow[k])] = std::min(nearest[static_cast<std::size_t>(slow[k])], d);
      slow[i] = pick(i, nearest);
    }
    for (std::size_t i = 0; i < points->count; ++i) QCOMPARE(fast.kind[i], slow[i]);
  }

  /// One side of every crate, whatever way it was turned, sized and mirrored.
  void masksInTheFrameOfThePlacement() {
    const PointsPtr placements = dressedBy(tumbled(scattered(0.4)), {{"way", std::string("cycle")}});
    test::Bench bench;
    const PointsPtr on = bench.points("on-props", test::inputs({{"points", placements}}),
                                      {{"at", std::string("even")}, {"spacing", 0.3}, {"carries_place", true}});
    QVERIFY(on->count > 500);
    std::map<std::uint64_t, std::size_t> parentOf;
    for (std::size_t i = 0; i < placements->count; ++i) parentOf[placements->id[i]] = i;
    const auto* parents = columnOf<Column<std::uint64_t>>(on->attributes, "parent");
    const auto valuesOf = [&](const char* kind, ParamMap params) {
      params["frame"] = std::string("placement");
      const auto mask = bench.run(kind, {}, params);
      return maskValues({}, *std::get<MaskPtr>(mask->front()), *on);
    };
    const Array<float> east = valuesOf("facing", {{"toward", std::string("direction")},
                                                  {"direction", std::vector<double>{1, 0, 0}},
                                                  {"band", std::vector<double>{0, 0, 40, 40}}});
    const Array<float> high = valuesOf("height", {{"band", std::vector<double>{0.3, 0.3, 9, 9}}});
    const Array<float> within = valuesOf("region", {{"center", std::vector<double>{0.5, 0, 0}},
                                                    {"extent", std::vector<double>{1, 9, 9}},
                                                    {"shape", std::string("box")},
                                                    {"softness", 0.0}});
    std::size_t some = 0;
    for (std::size_t c = 0; c < on->count; ++c) {
      const std::size_t i = parentOf.at((*parents)[c]);
      const Vec3 place = (glm::conjugate(placements->orientation[i]) * (on->position[c] - placements->position[i])) /
                         placements->size[i];
      QCOMPARE(high[c] > 0.5F, place.y > 0.3F);
      if (std::abs(place.x) > 1e-3F && place.x < 0.99F) QCOMPARE(within[c] > 0.5F, place.x > 0);
      // Normals go by the inverse size: what looks east on the prop does so carried back.
      const Vec3 normal = glm::normalize(placements->size[i] *
                                         (glm::conjugate(placements->orientation[i]) * on->groundNormal[c]));
      if (std::abs(degrees(angleBetween(normal, {1, 0, 0})) - 40) > 1)
        QCOMPARE(east[c] > 0.5F, angleBetween(normal, {1, 0, 0}) < radians(40));
      some += east[c] > 0.5F;
    }
    QVERIFY(some > 20 && some < on->count / 2);
    // Points that say nothing of it: told, and nothing counts.
    bench.warnings.clear();
    const auto mask = bench.run("height", {}, {{"frame", std::string("placement")}});
    std::set<std::string> numbers, texts;
    std::get<MaskPtr>(mask->front())->addNames(numbers, texts);
    QVERIFY(numbers.contains("prop-place_x"));
    for (const float v : maskValues({}, *std::get<MaskPtr>(mask->front()), *placements)) QCOMPARE(v, 0.0F);
  }

  void patchesHoldTogether() {
    const PointsPtr p = dressedBy(scattered(6),
                                  {{"way", std::string("patches")}, {"patch_size", 8.0}, {"ragged", 0.0}});
    // A point and its near neighbor lie in one patch nearly always; by chance they would share a prop in 39 % (weights
    // 1 : 2 : 3).
    std::size_t same = 0, pairs = 0;
    for (std::size_t i = 0; i < p->count; ++i)
      for (std::size_t k = i + 1; k < std::min(i + 40, p->count); ++k)
        if (glm::distance(p->position[i], p->position[k]) < 0.5F) {
          ++pairs;
          same += p->prop[i] == p->prop[k];
        }
    QVERIFY(pairs > 300);
    QVERIFY2(static_cast<double>(same) / static_cast<double>(pairs) > 0.85,
             qPrintable(QString::number(static_cast<double>(same) / static_cast<double>(pairs))));
  }

  void rangesOfAMaskChooseAndGapsStayBare() {
    const MaskPtr mask = test::rampMask(0);  // 1 left of x = −0.5, 0 right of 0.5
    const PointsPtr p = dressedBy(
        scattered(),
        {{"way", std::string("ranges")}, {"ranges", std::string("0 to 0.2: crate; 0.6-1: float; 0.8 to 1: mat")}},
        mask);
    std::set<std::string> high;
    std::size_t bare = 0;
    for (std::size_t i = 0; i < p->count; ++i) {
      const float v = std::clamp(0.5F - p->position[i].x, 0.0F, 1.0F);
      if (v < 0.2F)
        QCOMPARE(propName(*p, i), std::string("crate"));
      else if (v < 0.6F)
        bare += propName(*p, i).empty() ? 1 : 100000;
      else if (v < 0.8F)
        QCOMPARE(propName(*p, i), std::string("float"));
      else
        high.insert(propName(*p, i));
    }
    QVERIFY(bare > 0 && bare < 100000);
    QCOMPARE(high, (std::set<std::string>{"float", "mat"}));  // where ranges overlap, weight decides
  }

  void namesChooseByRuleElseByThemselves() {
    const PointsPtr p = dressedBy(withText(scattered(), "name", {"crate", "float_03", "box.12", "unknown"}),
                                  {{"way", std::string("name")}, {"rules", std::string("box*: mat")}});
    const std::array<std::string, 4> expected{"crate", "float", "mat", ""};
    for (std::size_t i = 0; i < p->count; ++i) QCOMPARE(propName(*p, i), expected[i % 4]);
    test::Bench bench;
    const auto wrong = bench.run("dress", test::inputs({{"points", scattered()}, {"kit", test::someKit()}}),
                                 {{"way", std::string("name")}});
    QCOMPARE(wrong.error().message, std::string("the points carry no text called \"name\""));
    const NodeKind* kind = findNodeKind("dress");
    QCOMPARE(kind->findParam("rules")->check("box* mat"),
             std::string("the rule \"box* mat\" has not the form \"what: prop\""));
    QCOMPARE(kind->findParam("ranges")->check("0.2 to 3: mat"),
             std::string("\"0.2 to 3\" is not a range within 0 to 1"));
  }

  void numbersAndExpressionsCountFromOne() {
    const PointsPtr points = scattered();
    const PointsPtr p = dressedBy(
        points, {{"way", std::string("expression")}, {"expression", std::string("x < 0 ? 1 : (z < 0 ? 3 : 4)")}});
    for (std::size_t i = 0; i < p->count; ++i)
      QCOMPARE(p->prop[i], p->position[i].x < 0 ? 0 : p->position[i].z < 0 ? 2 : kNoProp);
  }

  void commonHeightMakesAllAlike() {
    const PointsPtr p = dressedBy(scattered(), {{"common_height", std::string("meters")}, {"height", 2.5}});
    for (std::size_t i = 0; i < p->count; ++i) {
      const Prop& prop = *p->kit->entries[static_cast<std::size_t>(p->prop[i])].prop;
      if (prop.name != "mat")
        QVERIFY(test::within(p->size[i].y * prop.height, 2.5, 1e-5));  // a flat prop has no height to set
    }
  }

  void onPropsEqualsDoingItByHand_data() {
    QTest::addColumn<QString>("at");
    for (const char* at : {"faces", "vertices", "even", "mounts"}) QTest::newRow(at) << at;
  }
  void onPropsEqualsDoingItByHand() {
    QFETCH(QString, at);
    auto kit = std::make_shared<Kit>(*test::someKit());
    for (KitEntry& e : kit->entries) {
      auto prop = std::make_shared<Prop>(*e.prop);
      prop->mounts = {{"mount_top", -1, {0.1F, 0.4F, 0}, glm::angleAxis(0.3F, Vec3(1, 0, 0)), Vec3(1)},
                      {"other", -1, Vec3(0), Quat(1, 0, 0, 0), Vec3(1)}};
      e.prop = prop;
    }
    const PointsPtr placed = dressedBy(tumbled(scattered(0.3)), {}, nullptr, kit);
    test::Bench bench;
    const PointsPtr grown = bench.points(
        "on-props", test::inputs({{"points", placed}}),
        {{"at", at.toStdString()}, {"spacing", 0.2}, {"spacing_in", std::string("prop")}});
    QVERIFY(!findFault(*grown));
    QVERIFY(grown->count >= placed->count);
    std::map<std::uint64_t, std::size_t> placeOf;
    for (std::size_t i = 0; i < placed->count; ++i) placeOf[placed->id[i]] = i;
    const auto& parents = *columnOf<Column<std::uint64_t>>(grown->attributes, "parent");
    float least = 1e9F;
    for (std::size_t c = 0; c < grown->count; ++c) {
      const std::size_t i = placeOf.at(parents[c]);
      const Prop& prop = *placed->kit->entries[static_cast<std::size_t>(placed->prop[i])].prop;
      // Back into the prop's space: it must lie on its mesh (or at the mount), and its up must be the mesh's normal as
      // it stands in the world.
      const Vec3 own = (glm::conjugate(placed->orientation[i]) * (grown->position[c] - placed->position[i])) /
                       placed->size[i];
      if (at == QStringLiteral("mounts")) {
        QVERIFY(glm::distance(own, Vec3(0.1F, 0.4F, 0)) < 1e-4F);
        continue;
      }
      const auto index = SurfaceIndex::of(*prop.surface);
      const SurfaceHit hit = (*index)->nearest(own, 0.01F);
      QVERIFY(hit.isHit());
      QVERIFY(glm::distance(prop.surface->positionAt(hit.face, hit.weights), own) < 1e-4F);
      if (at == QStringLiteral("faces")) {
        // A tangent of the face, carried by the placement, stays square to the normal that was carried.
        const UVec3 t = prop.surface->triangles[hit.face];
        const Vec3 tangent = placed->orientation[i] *
                             (placed->size[i] * (prop.surface->positions[t.y] - prop.surface->positions[t.x]));
        QVERIFY(std::abs(glm::dot(glm::normalize(tangent), grown->groundNormal[c])) < 2e-3F);
        QVERIFY(glm::distance(grown->orientation[c] * kUp, grown->groundNormal[c]) < 1e-3F);
      }
      if (at == QStringLiteral("even") && c > 0 && parents[c] == parents[c - 1]) {
        const Vec3 before = (glm::conjugate(placed->orientation[i]) * (grown->position[c - 1] - placed->position[i])) /
                            placed->size[i];
        least = std::min(least, glm::distance(own, before));
      }
    }
    if (at == QStringLiteral("even")) QVERIFY(least >= 0.2F - 1e-4F);
  }

  void spacingInWorldMetersHoldsWhateverTheSize() {
    Points p = *scattered(0.2);
    Array<Vec3> size(p.count);
    for (std::size_t i = 0; i < p.count; ++i) size[i] = Vec3(0.5F + 3 * unitFloat(hashOf(p.id[i], 3ULL)));
    p.size = std::move(size);
    Kit balls;
    balls.entries.push_back(test::someKit()->entries[1]);
    const PointsPtr placed = dressedBy(std::make_shared<const Points>(std::move(p)), {}, nullptr,
                                       std::make_shared<const Kit>(balls));
    test::Bench bench;
    const PointsPtr grown = bench.points("on-props", test::inputs({{"points", placed}}),
                                         {{"spacing", 0.25}, {"variants", 3.0}});
    const auto& parents = *columnOf<Column<std::uint64_t>>(grown->attributes, "parent");
    std::map<std::uint64_t, std::vector<Vec3>> byParent;
    for (std::size_t c = 0; c < grown->count; ++c) byParent[parents[c]].push_back(grown->position[c]);
    QCOMPARE(byParent.size(), placed->count);
    for (const auto& [id, places] : byParent)
      for (std::size_t a = 0; a < places.size(); ++a)
        for (std::size_t b = a + 1; b < places.size(); ++b)
          QVERIFY2(glm::distance(places[a], places[b]) >= 0.25F - 1e-4F,
                   qPrintable(QString::number(static_cast<double>(glm::distance(places[a], places[b])))));
  }

  void growthGoesSeveralLevelsDeepAndMasksSeeTheWorld() {
    const PointsPtr rocks = dressedBy(tumbled(scattered(0.3)), {});
    test::Bench bench;
    const PointsPtr first = bench.points("on-props", test::inputs({{"points", rocks}}), {{"at", std::string("faces")}});
    // Only what looks up in the world stays, however its rock is turned.
    const auto up = bench.run("slope", {}, {{"band", std::vector<double>{0, 0, 40, 40}}});
    const PointsPtr top = bench.points("keep-by-mask", test::inputs({{"points", first}, {"mask", up->front()}}));
    QVERIFY(top->count > 0 && top->count < first->count);
    for (std::size_t i = 0; i < top->count; ++i) QVERIFY(top->groundNormal[i].y > 0.76F);
    bench.ctx.nodeUid = 99;
    const PointsPtr second = bench.points("on-props", test::inputs({{"points", dressedBy(top, {})}}),
                                          {{"at", std::string("vertices")}});
    QVERIFY(second->count > top->count);
    QVERIFY(!findFault(*second));
    QVERIFY(second->attributes.contains("parent-parent"));
  }

  void aPlacementsBoundsAreThoseOfTheTransformedProp() {
    const PointsPtr placed = dressedBy(tumbled(scattered(0.5)), {});
    PictureInput input;
    input.layers.push_back({placed});
    const auto scene = PictureScene::build(std::move(input), {});
    const auto mesh = baked(*placed, true, 10'000'000, {});
    QVERIFY(scene && mesh);
    QCOMPARE((*scene)->placementCount(), placed->count);
    std::vector<Box3> boxes(placed->count);
    for (std::size_t f = 0; f < mesh->faceCount(); ++f)
      for (int k = 0; k < 3; ++k) boxes[mesh->faceParts[f]].add(mesh->positions[mesh->triangles[f][k]]);
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      // The traced box is that of the turned box: never smaller than the mesh's, and met by rays from above.
      const Box3 traced = (*scene)->instanceBounds(i);
      for (int a = 0; a < 3; ++a)
        QVERIFY(traced.min[a] <= boxes[i].min[a] + 1e-3F && traced.max[a] >= boxes[i].max[a] - 1e-3F);
    }
    QCOMPARE(std::set<std::string>(mesh->parts.begin(), mesh->parts.end()).size(),
             placed->count);  // names of their own
  }

  void bakedCopiesLookOutwardEvenWhenMirrored() {
    Kit crates;
    crates.entries.push_back(test::someKit()->entries[0]);
    const PointsPtr placed = dressedBy(tumbled(scattered(0.3)), {}, nullptr, std::make_shared<const Kit>(crates));
    const auto mesh = baked(*placed, false, 10'000'000, {});
    double volume = 0;
    for (std::size_t i = 0; i < placed->count; ++i)
      volume += 0.5 * static_cast<double>(std::abs(placed->size[i].x * placed->size[i].y * placed->size[i].z));
    QVERIFY(test::within(signedVolume(*mesh), volume, 0, 1e-3));
    for (std::size_t f = 0; f < mesh->faceCount(); f += 7)
      QVERIFY(glm::dot(mesh->faceNormal(f), mesh->normals[mesh->triangles[f].x]) > 0);
    QCOMPARE(baked(*placed, false, 100, {}).error().code, ProblemCode::TooMany);
  }

  void awkwardPropsStandRight_data() {
    QTest::addColumn<QString>("file");
    QTest::addColumn<QString>("remedy");
    QTest::newRow("Z is up") << "kit/slab-b.glb"
                             << "z_up";
    QTest::newRow("pivot in the middle") << "kit/mooring-post.glb"
                                         << "pivot";
    QTest::newRow("in centimeters") << "kit/sea-kale.glb"
                                    << "unit";
    QTest::newRow("two detached parts") << "kit/driftwood-a.glb"
                                        << "";
  }
  /// Closed bodies only, all of them together: a hollow in a body is none, cards and leaves have no inside. The demo's
  /// own props look outward.
  void facesThatLookInwardAreTold() {
    const auto isTold = [](const Surface& s) {
      PropEntry entry = entryOf("p", "p.glb");
      entry.isLargeMeant = true;
      const auto prop = makePlanProp(entry, s);
      const auto warnings = warningsOf(entry, s, **prop);
      return std::any_of(warnings.begin(), warnings.end(),
                         [](const PropWarning& w) { return w.about == PropWarning::About::InsideOut; });
    };
    const auto turned = [](Surface s) {
      for (UVec3& t : s.triangles.edit()) std::swap(t.y, t.z);
      for (Vec3& n : s.normals.edit()) n = -n;
      return s;
    };
    const auto both = [](Surface a, const Surface& b) {
      const auto base = static_cast<std::uint32_t>(a.positions.size());
      for (const Vec3& p : b.positions) a.positions.edit().push_back(p);
      for (const Vec3& n : b.normals) a.normals.edit().push_back(n);
      for (const Vec2& uv : b.uvs) a.uvs.edit().push_back(uv);
      for (const UVec3& t : b.triangles) a.triangles.edit().push_back(t + base);
      return a;
    };
    for (const Surface& s : {makeBall(1, 8), makeBox({1, 2, 3}), makeTorus(1, 0.2F, 8), makeCylinder(0.3F, 2, 8)}) {
      QVERIFY(!isTold(s));
      QVERIFY(isTold(turned(s)));
      QVERIFY(isTold(transformed(turned(s), {90, 3, -40}, Quat(1, 0, 0, 0), 0.1F)));
      QVERIFY(!isTold(both(makeBall(4, 10), turned(s))));
    }
    QVERIFY(!isTold(makePlane(1, 1, 2)) && !isTold(turned(makePlane(1, 1, 2))));
    const QDir kit(test::sourcePath("demo/tern-cove/kit"));
    for (const QString& file : kit.entryList({QStringLiteral("*.glb")}))
      QVERIFY2(!isTold(readProp(qPrintable(QStringLiteral("kit/") + file))), qPrintable(file));
  }

  void awkwardPropsStandRight() {
    QFETCH(QString, file);
    QFETCH(QString, remedy);
    const Surface surface = readProp(qPrintable(file));
    QVERIFY(surface.faceCount() > 0);
    PropEntry entry = entryOf("p", file.toStdString());
    const auto warned = [&](PropWarning::About about) -> std::optional<PropWarning> {
      const auto prop = makePlanProp(entry, surface);
      for (const PropWarning& w : warningsOf(entry, surface, **prop))
        if (w.about == about) return w;
      return std::nullopt;
    };
    if (remedy == QStringLiteral("z_up")) entry.isZUp = true;
    if (remedy == QStringLiteral("pivot")) {
      const auto w = warned(PropWarning::About::PivotOff);
      QVERIFY(w && w->apply);
      w->apply(entry);
      QVERIFY(!warned(PropWarning::About::PivotOff));
    }
    if (remedy == QStringLiteral("unit")) {
      const auto asked = makePlanProp(entry, surface);  // a 90 m cabbage
      QVERIFY(!asked && asked.error().code == ProblemCode::UnlikelySize);
      QVERIFY2(asked.error().advice.find("0.01 m makes it 0.71 m") != std::string::npos, asked.error().advice.c_str());
      entry.isLargeMeant = true;
      QVERIFY(makePlanProp(entry, surface).has_value());
      entry.isLargeMeant = false;
      entry.unitScale = 0.01;
    }
    const auto prop = makePlanProp(entry, surface);
    QVERIFY(prop);
    const Box3 box = (*prop)->surface->bounds();
    QVERIFY2(box.min.y < 0.05F * box.extent().y + 0.01F, "its base is at the pivot, not above it");
    QVERIFY2(box.min.y > -0.45F * box.extent().y, "it does not reach far below");
    QVERIFY(std::abs(box.center().x) < 0.25F * box.extent().x && std::abs(box.center().z) < 0.25F * box.extent().z);
    if (remedy == QStringLiteral("z_up")) QVERIFY(box.extent().y < box.extent().x && box.extent().y < box.extent().z);
  }

  void settingsOfAPropAreApplied() {
    const Surface box = makeBox({2, 1, 4});
    PropEntry e = entryOf("b", "b");
    e.commonHeight = 3;
    e.turnDeg = {0, 90, 0};
    e.pivot = PivotAt::Center;
    e.footprint = 0.7;
    e.tags = "rock  heavy";
    e.mounts = {{"peg", {1, 2, 3}, {0, 0, 90}}};
    const auto prop = makePlanProp(e, box);
    const Box3 bounds = (*prop)->surface->bounds();
    QVERIFY(test::within(static_cast<double>(glm::length(bounds.extent() - Vec3(12, 3, 6))), 0,
                         1e-4));  // three times, a quarter turn swaps x and z
    QVERIFY(glm::length(bounds.center()) < 1e-4F);
    QCOMPARE((*prop)->footprint, 0.7F);
    QCOMPARE((*prop)->tags, (std::vector<std::string>{"rock", "heavy"}));
    QCOMPARE((*prop)->mounts.back().position, Vec3(1, 2, 3));
    QVERIFY(glm::distance((*prop)->mounts.back().turn * Vec3(1, 0, 0), Vec3(0, 1, 0)) < 1e-5F);
  }

  void aMillionTrianglesGetAMassing() {
    const auto ball = std::make_shared<const Surface>(makeBall(1, 710));  // a scan's twin, made here
    QVERIFY(ball->faceCount() > 1'000'000);
    PropEntry e = entryOf("scan", "scan");
    const auto heavy = makePlanProp(e, *ball);
    const auto warnings = warningsOf(e, *ball, **heavy);
    const auto it = std::find_if(warnings.begin(), warnings.end(),
                                 [](const PropWarning& w) { return w.about == PropWarning::About::Heavy; });
    QVERIFY(it != warnings.end());
    it->apply(e);
    const auto light = makePlanProp(e, *ball);
    QVERIFY((*light)->massing.isShown);
    const SurfacePtr massing = massingOf(**light);
    QVERIFY2(massing->faceCount() <= 3000, qPrintable(QString::number(massing->faceCount())));
    QVERIFY(test::within(signedVolume(*massing), 4.18879, 0, 0.05));  // 4/3 π of the unit ball
    PictureInput input;
    Points one;
    one.count = 1;
    one.kit = std::make_shared<const Kit>(Kit{{{*light, 1}}});
    one.prop = Column<std::int32_t>(0);
    input.layers.push_back({std::make_shared<const Points>(std::move(one))});
    const auto scene = PictureScene::build(std::move(input), {});
    QVERIFY((*scene)->triangleCount() <= 3000);
  }

  void creasesKeepEdgesHardAndCurvesSmooth() {
    const Surface box = withCreases(makeBox({1, 1, 1}), 40);
    for (std::size_t f = 0; f < box.faceCount(); ++f)
      for (int k = 0; k < 3; ++k) QVERIFY(glm::distance(box.normals[box.triangles[f][k]], box.faceNormal(f)) < 1e-5F);
    const Surface ball = withCreases(makeBall(1, 24), 40);
    for (std::size_t v = 0; v < ball.positions.size(); ++v)
      QVERIFY(glm::dot(ball.normals[v], glm::normalize(ball.positions[v])) > 0.98F);
    QCOMPARE(openEdgeCount(makeBox({1, 1, 1})), std::size_t{0});
    QCOMPARE(openEdgeCount(makePlane(1, 1, 3)), std::size_t{12});
  }

  void markersKeepTheirPlaceTurnAndIds() {
    test::Bench bench;
    const PointsPtr all = bench.points("markers", {},
                                       {{"file", std::string("jetty.glb")}, {"under", std::string("layout")}});
    const PointsPtr posts = bench.points("markers", {},
                                         {{"file", std::string("jetty.glb")},
                                          {"names", std::string("post_*")},
                                          {"turn", std::vector<double>{0, 90, 0}},
                                          {"move", std::vector<double>{0, 1, 0}}});
    QVERIFY(all->count > posts->count && posts->count == 18);
    std::map<std::uint64_t, std::size_t> placeOf;
    for (std::size_t i = 0; i < all->count; ++i) placeOf[all->id[i]] = i;
    const auto& names = *columnOf<TextColumn>(posts->attributes, "name");
    for (std::size_t i = 0; i < posts->count; ++i) {
      QVERIFY(QString::fromStdString(names.at(i)).startsWith(QStringLiteral("post_")));
      const std::size_t k = placeOf.at(
          posts->id[i]);  // the same placeholder, whatever else is taken and wherever the whole is moved
      const Vec3 p = all->position[k];
      QVERIFY(glm::distance(posts->position[i], Vec3(p.z, p.y + 1, -p.x)) < 1e-3F);
    }
    QCOMPARE(bench.run("markers", {}, {{"file", std::string("jetty.glb")}, {"under", std::string("nobody")}})
                 .error()
                 .message,
             std::string("no node is called \"nobody\""));
  }

  void namedPartsBecomePropsOfTheirOwn() {
    test::Bench bench;
    Surface two = makeBox({1, 1, 1});
    const Surface other = transformed(makeBall(0.3F, 6), {2, 0, 0}, Quat(1, 0, 0, 0), 1);
    two.parts = {"body"};
    two.faceParts.edit().assign(two.faceCount(), 0);
    const auto base = static_cast<std::uint32_t>(two.positions.size());
    for (const Vec3& p : other.positions) two.positions.edit().push_back(p);
    for (const Vec3& n : other.normals) two.normals.edit().push_back(n);
    two.uvs.clear();
    two.faceMaterials.clear();
    two.materials.clear();
    two.parts.emplace_back("knob");
    for (const UVec3& t : other.triangles) {
      two.triangles.edit().push_back(t + UVec3(base));
      two.faceParts.edit().push_back(1);
    }
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({makeProp("door", "door", std::make_shared<const Surface>(two)), 1});
    const PointsPtr doors = bench.points(
        "vary", test::inputs({{"points", dressedBy(tumbled(scattered(0.2)), {}, nullptr, kit)}}),
        {{"size_by", std::string("per-axis")},
         {"size_x", std::vector<double>{-2, -0.5}},
         {"size_y", std::vector<double>{0.5, 3}}});
    const PointsPtr knobs = bench.points("on-props", test::inputs({{"points", doors}}),
                                         {{"at", std::string("parts")}, {"names", std::string("knob")}});
    QCOMPARE(knobs->count, doors->count);
    QCOMPARE(propName(*knobs, 0), std::string("door/knob"));
    const Surface& piece = *knobs->kit->entries[0].prop->surface;
    QCOMPARE(piece.faceCount(), other.faceCount());
    // The pivot is the piece's own middle, where masks and sizes take hold of it, and its home is where it was.
    QVERIFY(glm::length(piece.bounds().center()) < 1e-6F);
    const auto& home = *columnOf<Column<Vec3>>(knobs->attributes, "home");
    for (std::size_t i = 0; i < knobs->count; ++i) {
      QVERIFY(glm::distance(home[i], other.bounds().center()) < 1e-5F);
      QVERIFY(knobs->size[i] == doors->size[i]);
      // Every vertex of it stands where the whole has it, also mirrored and uneven.
      for (std::size_t c = 0; c < piece.faceCount() * 3; ++c) {
        const auto corner = static_cast<int>(c % 3);
        const Vec3 own = piece.positions[piece.triangles[c / 3][corner]];
        const Vec3 there = knobs->position[i] + knobs->orientation[i] * (knobs->size[i] * own);
        const Vec3 made = other.positions[other.triangles[c / 3][corner]];
        const Vec3 whole = doors->position[i] + doors->orientation[i] * (doors->size[i] * made);
        QVERIFY(glm::distance(there, whole) < 1e-4F);
      }
    }
  }
};

QTEST_GUILESS_MAIN(TestDressing)
#include "tst_dressing.moc"
