// What hands make: lists that share their pieces, lines in files, points that stay with their ground, and the brush,
// held against a plain search over all pairs.
#include "core/deliver/take_over.h"
#include "core/formats/plan_file.h"
#include "core/formats/plan_json.h"
#include "core/nodes/scatter/placed_by_hand.h"
#include "core/props/coloring.h"
#include "core/spatial/hand_brush.h"
#include "core/spatial/snaps.h"
#include "tests/support/plans.h"

#include <random>

using namespace arvesk;
using test::node;
using test::planOf;
using test::within;

namespace {

HandPoint anyPoint(std::mt19937& random, std::uint32_t props, std::uint32_t grounds) {
  std::uniform_real_distribution<float> unit(-1, 1);
  HandPoint p;
  p.key = static_cast<std::uint64_t>(random()) << 32 | random();
  p.isTaken = random() % 5 == 0;
  p.place = Vec3(unit(random), unit(random), unit(random)) * 300.0F;
  p.normal = directionOr({unit(random), unit(random), unit(random)}, kUp);
  p.heading = 180 * unit(random);
  p.toNormal = random() % 3 == 0 ? 0 : std::abs(unit(random));
  p.tilt = random() % 2 ? Vec2(0) : Vec2(unit(random), unit(random)) * 90.0F;
  p.size = random() % 2 ? Vec3(1) : Vec3(unit(random), 1, 2);
  p.lift = random() % 4 ? 0 : unit(random);
  p.tint = random() % 4 ? Vec3(0) : Vec3(unit(random), unit(random), unit(random));
  p.colorShare = random() % 4 ? 0 : std::abs(unit(random));
  if (p.colorShare > 0) p.color = glm::abs(Vec3(unit(random), unit(random), unit(random)));
  p.prop = static_cast<std::uint32_t>(random()) % (props + 1);
  p.ground = static_cast<std::uint32_t>(random()) % (grounds + 1);
  return p;
}

HandPoints anyPoints(std::mt19937& random, std::size_t count) {
  HandPoints out;
  for (const char* prop : {"post", "block", "tuft"}) (void)out.numberOf(prop);
  (void)out.numberOf(GroundPiece{});
  (void)out.numberOf(GroundPiece{77, {1, 2.5F, -3}, glm::angleAxis(0.7F, kUp), 1.5F});
  std::vector<HandPoint> points(count);
  for (HandPoint& p : points) p = anyPoint(random, 3, 2);
  out.list.append(points);
  return out;
}

BrushGround brushGround(const SurfacePtr& surface) { return {surface, *SurfaceIndex::of(*surface)}; }

float radiusOf(const HandPoint& p) { return 0.4F * p.size.x; }

/// Pairs that are nearer to each other than both footprints, or than the spacing; by looking at all of them.
std::size_t conflicts(const std::vector<HandPoint>& points, float spacing) {
  std::size_t out = 0;
  for (std::size_t i = 0; i < points.size(); ++i)
    for (std::size_t k = i + 1; k < points.size(); ++k)
      out += glm::distance(points[i].place, points[k].place) <
             std::max(spacing, radiusOf(points[i]) + radiusOf(points[k]));
  return out;
}

/// The ground, moved and turned pieces of it merged, a hand on them, an output.
Plan planWithHand(const HandPoints& points) {
  return planOf(
      {node("a", "shape", {{"extent", std::vector<double>{20, 1, 20}}}),
       node("b", "shape", {{"extent", std::vector<double>{20, 1, 20}}, {"move", std::vector<double>{40, 0, 0}}}),
       node("both", "merge-surfaces", {}, {{"surfaces", "a|b"}}),
       node("hand", "placed-by-hand", {{"points", points}}, {{"ground", "both"}})});
}

Evaluation evaluated(const Plan& plan, Quality quality = Quality::Final) {
  EvalRequest request;
  request.quality = quality;
  return Evaluator(std::make_shared<DiskFileService>("")).evaluate(plan, request);
}

PointsPtr pointsOf(const Evaluation& e, const char* uid, std::size_t output = 0) {
  return std::get<PointsPtr>(e.values.at(uid).at(output));
}

}  // namespace

class TestByHand : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void listsShareWhatIsNotChanged() {
    std::mt19937 random(5);
    using Fate = SharedList<HandPoint>::Fate;
    for (int round = 0; round < 40; ++round) {
      SharedList<HandPoint> list;
      std::vector<HandPoint> plain;
      for (int step = 0; step < 30; ++step) {
        const SharedList<HandPoint> before = list;
        const std::vector<HandPoint> plainBefore = plain;
        if (random() % 2) {
          std::vector<HandPoint> some(random() % 700);
          for (HandPoint& p : some) p = anyPoint(random, 3, 2);
          list.append(some);
          plain.insert(plain.end(), some.begin(), some.end());
        } else {
          const std::uint64_t salt = random();
          const std::uint64_t most = random() % 3 == 0 ? 2000 : 7;
          const auto fate = [&](HandPoint& p) {
            const std::uint64_t lot = hashOf(p.key, salt) % most;
            if (lot == 1) p.heading += 1;
            return lot == 0 ? Fate::Goes : lot == 1 ? Fate::Changed : Fate::Stays;
          };
          list.edit(fate);
          std::erase_if(plain, [&](HandPoint& p) { return fate(p) == Fate::Goes; });
        }
        QVERIFY(list.all() == plain);
        QCOMPARE(list.size(), plain.size());
        QVERIFY(before.all() == plainBefore);  // a copy knows nothing of it
        QVERIFY(SharedList<HandPoint>(plain) == list);
        std::vector<std::uint64_t> a, b;
        list.addTo([&](std::uint64_t h) { a.push_back(h); });
        SharedList<HandPoint>(plain).addTo([&](std::uint64_t h) { b.push_back(h); });
        QVERIFY(a == b);  // keys of results do not depend on where pieces are cut
      }
    }
    SharedList<HandPoint> large(std::vector<HandPoint>(100'000));
    SharedList<HandPoint> other = large;
    other.append(std::vector<HandPoint>(1));
    QVERIFY(other.sharedWith(large) + 1 >= 100'000 / SharedList<HandPoint>::kPiece);
  }

  void turnsComeBack() {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> unit(-1, 1);
    for (int i = 0; i < 20'000; ++i) {
      HandPoint p = anyPoint(random, 0, 0);
      Quat turn = glm::normalize(Quat(unit(random), unit(random), unit(random), unit(random)));
      if (i % 7 == 0) {  // where heading and tilt are one
        p.tilt = {180 * unit(random), i % 2 ? 90.0F : -90.0F};
        turn = p.turnOn(p.normal);
      }
      p.setTurn(turn, p.normal);
      QVERIFY(std::abs(glm::dot(p.turnOn(p.normal), turn)) > 1 - 1e-6F);
    }
  }

  void plansKeepThemToTheBit() {
    std::mt19937 random(9);
    const Plan plan = planWithHand(anyPoints(random, 100'000));
    const std::string text = formatPlan(plan);
    QVERIFY(text.size() < 100'000 * 200);  // numbers without end, as no brush makes them
    QCOMPARE(std::count(text.begin(), text.end(), '\n') > 100'000, true);  // a line each
    const auto read = parsePlan(text, {});
    QVERIFY2(read, read ? "" : toLine(read.error()).c_str());
    QVERIFY(read->find("hand")->params == plan.find("hand")->params);
    QCOMPARE(formatPlan(*read), text);
    // Copied into another plan with the props that it names.
    Plan withProps = planWithHand(anyPoints(random, 3));
    for (const char* uid : {"post", "tuft", "rope"}) {
      PropEntry& prop = withProps.props.emplace_back();
      prop.uid = prop.name = uid;
      prop.file = "x.glb";
    }
    const auto part = parsePlan(formatNodes(withProps, {"hand"}), {});
    QVERIFY(part && part->props.size() == 2 && part->find("hand")->params == withProps.find("hand")->params);
  }

  /// Any line that a file may hold is one or is refused; what is refused is kept as it was and told.
  void damagedLinesAreToldAndKept() {
    std::mt19937 random(11);
    const std::string good = formatPlan(planWithHand(anyPoints(random, 5)));
    int refused = 0;
    for (int i = 0; i < 3000; ++i) {
      std::string text = good;
      const std::size_t from = text.find("\"points\": {");
      const std::size_t at = from + random() % (text.find('}', from) - from);
      const char with[] = "0123456789 .-+eE=xn\"{}[],:";
      text[at] = with[random() % (sizeof with - 1)];
      const auto plan = parsePlan(text, {});
      if (!plan) continue;  // no JSON any more
      const Node& hand = *plan->find("hand");
      if (hand.refused.empty()) {
        const auto it = hand.params.find("points");
        if (it == hand.params.end()) continue;
        std::get<HandPoints>(it->second).list.forEach([](const HandPoint& p) {
          QVERIFY(isFinite(p.place) && isFinite(p.size) && glm::length(p.normal) > 0.9F);
        });
        continue;
      }
      ++refused;
      QCOMPARE(evaluated(*plan).reports.at("hand").state, NodeState::Failed);
      const auto again = parsePlan(formatPlan(*plan), {});
      QVERIFY(again && again->find("hand")->refused == hand.refused);
    }
    QVERIFY(refused > 100);
  }

  /// By boxes and by hulls the brush lets long things lie side by side: none meets another, nor what stands there, by
  /// any pair; there are far more of them than by discs; and going on with a stroke knows what was there.
  void longThingsAreSetSideBySide() {
    const SurfacePtr ground = test::plane(12, 20);
    const PropPtr board = makeProp("board", "board", std::make_shared<const Surface>(makeBox({2, 0.3F, 0.3F})));
    const auto strokeWith = [&](RoomShape shape, const std::shared_ptr<const BrushSurroundings>& others) {
      BrushAdd how;
      how.spacing = 0.05F;
      how.size = {0.9F, 1.1F};
      how.headingDeg = {80, 100};
      how.shape = shape;
      how.gap = 0.02F;
      how.props = {{"board", 1, board->footprint, board}};
      how.propOf = [board](const HandPoint&) { return BrushProp{"board", 1, board->footprint, board}; };
      const auto radius = [&](const HandPoint& p) { return board->footprint * p.size.x; };
      HandPoints points;
      for (std::uint64_t seed = 1; seed < 3; ++seed) {
        BrushStroke stroke(brushGround(ground), others, points, radius, how, seed);
        for (float x = -3; x <= 3; x += 0.5F) (void)stroke.add({{x, 0, 0}, kUp, {1, 0, 0}, 2, 1});
        points = stroke.points();
      }
      return points;
    };
    const auto addTo = [&](Rooms& rooms, const HandPoints& points) {
      points.list.forEach([&](const HandPoint& p) {
        rooms.add(board, board->footprint, p.place + p.normal * p.lift, p.turnOn(p.normal), p.size);
      });
    };
    const std::size_t byDisc = strokeWith(RoomShape::Disc, nullptr).list.size();
    QVERIFY(byDisc > 5);
    for (const RoomShape shape : {RoomShape::Ellipse, RoomShape::Box, RoomShape::Mesh}) {
      const RoomRule rule{shape, Footprint::Spread, false, 1, 0.02F};
      auto fixed = std::make_shared<Rooms>(rule);
      for (const float x : {-2.0F, 0.0F, 2.0F})
        fixed->add(board, board->footprint, {x, 0, 0.5F}, glm::angleAxis(0.4F, kUp), Vec3(1));
      const HandPoints set = strokeWith(shape, std::make_shared<const BrushSurroundings>(fixed));
      QVERIFY2(set.list.size() > 2 * byDisc, qPrintable(QString::number(set.list.size())));
      Rooms rooms(rule);
      addTo(rooms, set);
      for (std::uint32_t a = 0; a < rooms.count(); ++a) {
        for (std::uint32_t b = 0; b < a; ++b) QVERIFY(!rooms.meet(a, b));
        for (std::uint32_t k = 0; k < fixed->count(); ++k) QVERIFY(!rooms.meets(a, *fixed, k));
      }
    }
  }

  /// Where one piece of a merged ground is moved, turned and sized, its points go along and the others stay to the bit;
  /// ids stay, and a draft has all of them.
  void pointsStayWithTheirPieceOfGround() {
    Plan plan = planWithHand({});
    const Evaluation empty = evaluated(plan);
    const SurfacePtr ground = empty.firstOf<SurfacePtr>("both");
    QCOMPARE(ground->pieces.size(), std::size_t{2});
    BrushAdd how;
    how.spacing = 0.5F;
    how.toNormal = 1;
    BrushStroke stroke(brushGround(ground), nullptr, {}, &radiusOf, how, 1);
    for (const float x : {-5.0F, 2.0F, 38.0F, 41.0F}) (void)stroke.add({{x, 0, 0}, kUp, {1, 0, 0}, 2, 1});
    QCOMPARE(stroke.points().grounds.size(), std::size_t{2});
    plan.find("hand")->params["points"] = stroke.points();
    const Evaluation before = evaluated(plan);
    const PointsPtr was = pointsOf(before, "hand");
    QCOMPARE(was->count, stroke.points().list.size());
    std::size_t i = 0;
    stroke.points().list.forEach([&](const HandPoint& p) { QCOMPARE(was->position[i++], p.place); });
    Plan moved = plan;
    moved.find("b")->params["move"] = std::vector<double>{60, 3, 5};
    moved.find("b")->params["turn"] = std::vector<double>{0, 90, 0};
    moved.find("b")->params["size"] = 0.5;
    const PointsPtr is = pointsOf(evaluated(moved), "hand");
    QCOMPARE(is->count, was->count);
    for (i = 0; i < was->count; ++i) {
      QCOMPARE(is->id[i], was->id[i]);
      if (was->position[i].x < 20) {
        QCOMPARE(is->position[i], was->position[i]);
        QCOMPARE(is->orientation[i], was->orientation[i]);
        continue;
      }
      const Vec3 own = was->position[i] - Vec3(40, 0, 0);
      const Vec3 meant = Vec3(60, 3, 5) + turnOf({0, 90, 0}) * (own * 0.5F);
      QVERIFY2(glm::distance(is->position[i], meant) < 2e-3F, qPrintable(QString::number(i)));
      const Quat turn = turnOf({0, 90, 0}) * was->orientation[i];
      QVERIFY(std::abs(glm::dot(turn, is->orientation[i])) > 1 - 1e-5F);
      QCOMPARE(is->size[i], was->size[i]);
    }
    QVERIFY(!findDifference(*is, *pointsOf(evaluated(moved, Quality::Draft), "hand")));
    // Taken away it takes its points to the left out ones, and brings them back.
    Plan without = plan;
    without.find("b")->params["move"] = std::vector<double>{400, 0, 0};
    without.find("both")->inputs.at("surfaces").pop_back();
    const Evaluation gone = evaluated(without);
    QCOMPARE(pointsOf(gone, "hand")->count + pointsOf(gone, "hand", 1)->count, was->count);
    QVERIFY(pointsOf(gone, "hand", 1)->count > 0);
    QVERIFY(gone.reports.at("hand").problems.front().message.find("find no ground") != std::string::npos);
  }

  /// A terrain of other heights: they are set down again, upright ones stay upright, on the side that they stood on.
  void changedGroundSetsThemDownAgain() {
    const SurfacePtr low = test::hills(64, 40, 3);
    const SurfacePtr high = test::hills(64, 40, 8);
    BrushAdd how;
    BrushStroke stroke(brushGround(low), nullptr, {}, &radiusOf, how, 4);
    for (int i = 0; i < 60; ++i)
      (void)stroke.add({{static_cast<float>(i % 10) * 3 - 14, 2, static_cast<float>(i / 10) * 4 - 10}, kUp, {}, 3, 1});
    QVERIFY(stroke.points().list.size() > 100);
    const HandPoints now = settled(stroke.points(), *high, **SurfaceIndex::of(*high), 100);
    QCOMPARE(now.list.size(), stroke.points().list.size());
    const auto before = stroke.points().list.all();
    const auto after = now.list.all();
    for (std::size_t i = 0; i < after.size(); ++i) {
      QCOMPARE(after[i].place.x, before[i].place.x);
      QCOMPARE(after[i].place.z, before[i].place.z);
      const auto under = groundUnder(*high, **SurfaceIndex::of(*high), after[i].place);
      QVERIFY(under && std::abs(under->position.y - after[i].place.y) < 1e-3F);
    }
    QVERIFY(settled(now, *high, **SurfaceIndex::of(*high), 100) == now);  // nothing is left to do
  }

  /// 2,000 dabs over old strokes and among others: no two that the hand set are too near, nor one to the others; full
  /// is said when it is; the same stroke gives the same.
  void theBrushLeavesNoTwoInConflict() {
    const SurfacePtr ground = test::hills(64, 40, 3);
    BrushAdd how;
    how.spacing = 0.7F;
    how.size = {0.5F, 2};
    how.props = {{"post", 1, 0.4F}, {"tuft", 3, 0.4F}};
    auto others = std::make_shared<BrushSurroundings>(0.0F);
    Array<PointGrid::Entry> standing;
    for (std::uint32_t i = 0; i < 300; ++i) {
      const float x = 30 * (unitFloat(hashOf(i, 1)) - 0.5F);
      const float z = 30 * (unitFloat(hashOf(i, 2)) - 0.5F);
      if (const auto under = groundUnder(*ground, **SurfaceIndex::of(*ground), {x, 0, z}))
        standing.push_back({under->position, 0.2F + unitFloat(hashOf(i, 3)), i});
    }
    others->others.add(standing);
    const auto run = [&](int dabs, const HandPoints& from) {
      BrushStroke stroke(brushGround(ground), others, from, &radiusOf, how, 21);
      int full = 0;
      for (int i = 0; i < dabs; ++i) {
        const float a = static_cast<float>(i) * 0.02F;
        const Vec3 at(12 * std::cos(a), 0, 12 * std::sin(a * 1.3F));
        const auto place = groundUnder(*ground, **SurfaceIndex::of(*ground), at);
        (void)stroke.add({place->position, place->normal, {1, 0, 0}, 2.5F, 1});
        full += stroke.isFull();
      }
      return std::pair(stroke.points(), full);
    };
    const auto [old, fullBefore] = run(300, {});
    const auto [points, full] = run(2000, old);
    const auto [again, fullAgain] = run(2000, old);
    QVERIFY(points == again);
    QCOMPARE(full, fullAgain);
    QVERIFY2(points.list.size() > 300 && full > 800, qPrintable(QString::number(full)));
    const std::vector<HandPoint> all = points.list.all();
    QCOMPARE(conflicts(all, how.spacing), std::size_t{0});
    std::set<std::uint64_t> keys;
    for (const HandPoint& p : all) {
      keys.insert(p.key);
      for (const PointGrid::Entry& e : standing) QVERIFY(glm::distance(p.place, e.position) >= radiusOf(p) + e.radius);
    }
    QCOMPARE(keys.size(), all.size());
    QVERIFY(old.list.sharedWith(points.list) + 1 >= old.list.size() / SharedList<HandPoint>::kPiece);
  }

  /// A wall of 5 cm: only the side that the brush lies on takes points, and they stand away from it.
  void oneSideOfThinWalls() {
    const auto wall = std::make_shared<const Surface>(makeBox({4, 4, 0.05F}));
    BrushAdd how;
    how.spacing = 0.2F;
    how.isClear = false;
    how.toNormal = 1;
    for (const float side : {1.0F, -1.0F}) {
      BrushStroke stroke(brushGround(wall), nullptr, {}, &radiusOf, how, 2);
      for (int i = 0; i < 20; ++i)
        (void)stroke.add({{0, 2 + 0.05F * static_cast<float>(i), side * 0.025F}, {0, 0, side}, {}, 1, 1});
      QVERIFY(stroke.points().list.size() > 40);
      stroke.points().list.forEach([&](const HandPoint& p) {
        QVERIFY(within(static_cast<double>(p.place.z * side), 0.025, 1e-3));
        QVERIFY(p.normal.z * side > 0.99F);
        QVERIFY((p.turnOn(p.normal) * kUp).z * side > 0.99F);
      });
    }
  }

  void adjustingAndTakingAway() {
    const auto ground = std::make_shared<const Surface>(makePlane(40, 40, 20));
    const BrushGround on = brushGround(ground);
    BrushAdd how;
    how.spacing = 0.15F;
    how.isClear = false;
    how.size = {1, 1};
    BrushStroke stroke(on, nullptr, {}, &radiusOf, how, 3);
    for (int i = 0; i < 10; ++i) (void)stroke.add({{0, 0, 0}, kUp, {}, 2, 1});
    const HandPoints crowded = stroke.points();
    const std::size_t before = conflicts(crowded.list.all(), 0);
    QVERIFY(before > 50);
    HandPoints apart = crowded;
    BrushAdjust push;
    int strokes = 0;
    while (conflicts(apart.list.all(), 0) > 0 && ++strokes < 300)
      adjust(apart, {{0, 0, 0}, kUp, {}, 12, 1}, push, on, &radiusOf);
    qInfo("%zu points, %d dabs", apart.list.size(), strokes);
    QCOMPARE(conflicts(apart.list.all(), 0), std::size_t{0});
    QCOMPARE(apart.list.size(), crowded.list.size());
    // Each effect changes what lies within, toward its limit and not beyond; nothing outside.
    for (const BrushEffect effect : {BrushEffect::Together, BrushEffect::Grow, BrushEffect::Shrink, BrushEffect::Turn,
                                     BrushEffect::Lean, BrushEffect::Raise, BrushEffect::Lower}) {
      HandPoints now = crowded;
      BrushAdjust by;
      by.effect = effect;
      by.size = {0.5F, 2};
      const BrushDab dab{{1, 0, 0}, kUp, {}, 1, 1};
      for (int i = 0; i < 300; ++i) adjust(now, dab, by, on, &radiusOf);
      const auto was = crowded.list.all();
      const auto is = now.list.all();
      std::size_t changed = 0;
      for (std::size_t i = 0; i < is.size(); ++i) {
        QCOMPARE(is[i].key, was[i].key);
        changed += !(is[i] == was[i]);
        if (glm::distance(was[i].place, dab.place) > dab.radius) QVERIFY(is[i] == was[i]);
        QVERIFY(is[i].size.x >= 0.5F && is[i].size.x <= 2 && is[i].tilt.x <= 45 && std::abs(is[i].lift) <= 2);
      }
      QVERIFY(changed > 10);
    }
    HandPoints fewer = crowded;
    const BrushDab dab{{0, 0, 0}, kUp, {}, 1, 1};
    const std::size_t gone = remove(fewer, dab, [](const HandPoint&) { return true; });
    QVERIFY(gone > 10);
    QCOMPARE(fewer.list.size() + gone, crowded.list.size());
    fewer.list.forEach([&](const HandPoint& p) { QVERIFY(glm::length(p.place) > 1); });
  }

  /// Placements that a hand takes over stand as they stood, under the same ids, whatever becomes of their rule; given
  /// back all is as it was.
  void takingOverAndGivingBack() {
    Plan plan = test::crowdedPlan();
    const auto output = std::find_if(plan.nodes.begin(), plan.nodes.end(),
                                     [](const Node& n) { return n.kind == "output"; });
    QVERIFY(output != plan.nodes.end());
    const std::string out = output->uid;
    // With colors, and a number that each carries.
    output->inputs.at("points").front().node = "paint";
    plan.nodes.push_back(node("number", "write-attribute", {{"name", std::string("depth")}}, {{"points", "dress"}}));
    plan.nodes.push_back(node("noise", "noise", {{"size", 5.0}}));
    plan.nodes.push_back(node("vary", "vary", {{"hue", std::vector<double>{-40, 40}}}, {{"points", "number"}}));
    plan.nodes.push_back(node("paint", "color", {{"share", 60.0}}, {{"points", "vary"}}));
    for (const char* uid : {"number", "vary", "paint"}) plan.find(uid)->inputs.at("points").front().output = "points";
    plan.find("number")->inputs["mask"] = {{"noise", "mask", "number-mask"}};
    const Evaluation before = evaluated(plan);
    const PointsPtr was = pointsOf(before, out.c_str());
    QVERIFY(was->count > 30);
    std::map<std::uint64_t, std::size_t> at;
    for (std::size_t i = 0; i < was->count; ++i) at[was->id[i]] = i;
    const ShownPoints meant{{out, [](std::uint64_t id) { return id % 3 == 0; }}};
    const auto taken = takenOver(plan, before, meant, {});
    QCOMPARE(taken.size(), std::size_t{1});
    Plan kept = plan;
    const auto nodes = keepTaken(kept, taken, [](Plan&, const Node&) { return node("hand", "placed-by-hand"); });
    QCOMPARE(nodes, std::vector<std::string>{"hand"});
    QVERIFY(checkPlan(kept).empty());
    std::size_t found = 0;
    const PointColors colorsWere(*was);
    QVERIFY(!colorsWere.isPlain());
    const auto* numbersWere = columnOf<Column<float>>(was->attributes, "depth");
    QVERIFY(numbersWere && !numbersWere->isConstant());
    const auto compare = [&](const Points& now, bool isAll) {
      found = 0;
      const PointColors colors(now);
      const auto* numbers = columnOf<Column<float>>(now.attributes, "depth");
      for (std::size_t k = 0; k < now.count; ++k) {
        const auto it = at.find(now.id[k]);
        if (it == at.end()) continue;
        const std::size_t i = it->second;
        const bool isTaken = now.id[k] % 3 == 0;
        found += isTaken || isAll;
        if (!isTaken && !isAll) continue;
        QVERIFY(glm::distance(now.position[k], was->position[i]) < 1e-3F);
        QVERIFY(std::abs(glm::dot(now.orientation[k], was->orientation[i])) > 1 - 1e-5F);
        QCOMPARE(now.size[k], was->size[i]);
        const Vec3 prop(0.3F, 0.5F, 0.2F);
        QVERIFY(glm::distance(colors.apply(prop, k, prop), colorsWere.apply(prop, i, prop)) < 1e-5F);
        if (isAll) QCOMPARE((*numbers)[k], (*numbersWere)[i]);  // of the rule, which makes it still
        QCOMPARE(now.kit->entries[static_cast<std::size_t>(now.prop[k])].prop->uid,
                 was->kit->entries[static_cast<std::size_t>(was->prop[i])].prop->uid);
      }
    };
    const PointsPtr is = pointsOf(evaluated(kept), out.c_str());
    QCOMPARE(is->count, was->count);
    compare(*is, true);
    QCOMPARE(found, was->count);
    const std::size_t byHand = taken.front().points.list.size();
    QVERIFY(byHand > 8);
    // Another seed: what the hand has stays, and nothing of the rule stands in it.
    Plan other = kept;
    other.settings.seed = 991;
    const PointsPtr reseeded = pointsOf(evaluated(other), out.c_str());
    QVERIFY(!findFault(*reseeded));
    compare(*reseeded, false);
    QCOMPARE(found, byHand);
    for (std::size_t k = 0; k < reseeded->count; ++k)
      for (std::size_t j = 0; j < k; ++j)
        if (at.contains(reseeded->id[k]) != at.contains(reseeded->id[j]))
          QVERIFY(glm::distance(reseeded->position[k], reseeded->position[j]) >=
                  reseeded->effectiveFootprint(k) + reseeded->effectiveFootprint(j) - 1e-4F);
    // And back.
    const Evaluation now = evaluated(kept);
    auto keys = keptByHand(kept, now, meant);
    QCOMPARE(keys.at("hand").size(), byHand);
    const auto rulesOf = [](const Plan& p) { return inputsOf(p, evaluated(p), *p.find("hand")).points(); };
    Plan back = kept;
    QCOMPARE(giveBack(*back.find("hand"), *rulesOf(kept), keys.at("hand")), std::size_t{0});
    QVERIFY(nodes::placedByHandParams(*back.find("hand")).points.list.empty());
    QVERIFY(!findDifference(*pointsOf(evaluated(back), out.c_str()), *was));
    QCOMPARE(giveBack(*other.find("hand"), Points(), keys.at("hand")), byHand);  // where the rule makes none of them
    QCOMPARE(nodes::placedByHandParams(*other.find("hand")).points.list.size(), byHand);
  }

  /// A mount point before a row before an edge, each only where it is near; known answers on a box.
  void snapsToWhatIsMeant() {
    const Surface box = makeBox({4, 2, 4});
    HandPoints own;
    std::vector<HandPoint> row(2);
    row[0].key = 1;
    row[1].key = 2;
    row[0].place = {-1.5F, 2, 0.5F};
    row[1].place = {-0.5F, 2, 0.5F};
    row[1].heading = 70;
    own.list.append(row);
    const Snaps snaps(box, {{1, 2, -1}}, own, {});
    const auto mount = snaps.near({1.2F, 2, -1}, 0.5F);
    QVERIFY(mount && mount->to == Snap::To::MountPoint && mount->place == Vec3(1, 2, -1));
    const auto next = snaps.near({0.3F, 2, 0.6F}, 0.5F);
    QVERIFY(next && next->to == Snap::To::Row && glm::distance(next->place, Vec3(0.5F, 2, 0.5F)) < 1e-5F);
    QCOMPARE(*next->headingDeg, 70.0F);
    const auto edge = snaps.near({1.9F, 2, 1.2F}, 0.5F);
    QVERIFY(edge && edge->to == Snap::To::Edge && glm::distance(edge->place, Vec3(2, 2, 1.2F)) < 1e-5F);
    QVERIFY(!snaps.near({0.9F, 2, -0.2F}, 0.3F));  // far from all: no diagonal of a side is an edge
    QVERIFY(!Snaps(box, {}, {}, {}, 3).near({1.9F, 2, 1.2F}, 0.5F));
  }

  /// Points of rules make room and keep their ids; one that a hand took over is replaced by that, under the same id.
  void rulesMakeRoom() {
    Plan plan = planOf(
        {node("g", "shape", {{"extent", std::vector<double>{20, 1, 20}}}),
         node("sow", "sow-on-surface", {{"way", std::string("free")}, {"density", 4.0}}, {{"surface", "g"}}),
         node("hand", "placed-by-hand", {{"footprint", 0.5}}, {{"points", "sow"}, {"ground", "g"}})});
    const PointsPtr sown = pointsOf(evaluated(plan), "sow");
    HandPoints points;
    HandPoint taken;
    taken.key = sown->id[7];
    taken.isTaken = true;
    taken.place = {3, 0, 3};
    taken.ground = points.numberOf(GroundPiece{});
    HandPoint own = taken;
    own.isTaken = false;
    own.key = 5;
    own.place = {0, 0, 0};
    points.list.append(std::vector{taken, own});
    for (const char* rules : {"clear", "stay"}) {
      plan.find("hand")->params["points"] = points;
      plan.find("hand")->params["rules"] = std::string(rules);
      const Evaluation e = evaluated(plan);
      const PointsPtr out = pointsOf(e, "hand");
      const PointsPtr left = pointsOf(e, "hand", 1);
      QVERIFY(!findFault(*out));
      QCOMPARE(out->count + left->count, sown->count + 1);
      std::map<std::uint64_t, Vec3> places;
      for (std::size_t i = 0; i < out->count; ++i) places[out->id[i]] = out->position[i];
      QCOMPARE(places.at(sown->id[7]), taken.place);
      std::size_t near = 0;
      for (std::size_t i = 0; i < sown->count; ++i) {
        if (i == 7) continue;
        const float room = 0.5F + sown->effectiveFootprint(i);
        const bool isNear = glm::distance(sown->position[i], taken.place) < room ||
                            glm::distance(sown->position[i], own.place) < room;
        near += isNear;
        QCOMPARE(places.contains(sown->id[i]), !isNear || std::string(rules) == "stay");
      }
      QVERIFY(near > 0);
    }
  }
};

QTEST_GUILESS_MAIN(TestByHand)
#include "tst_by_hand.moc"
