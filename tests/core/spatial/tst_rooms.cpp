// Rooms that are no discs: boxes, ellipses and hulls against each other's answers, samples and the plain greedy loop.
#include "core/base/random.h"
#include "core/deliver/meeting.h"
#include "core/geometry/shapes.h"
#include "core/spatial/clearance.h"
#include "core/spatial/rooms.h"
#include "tests/support/support.h"

#include <algorithm>
#include <random>

using namespace arvesk;
using test::within;

namespace {

PropPtr propOf(const char* name, Surface surface) {
  return makeProp(name, name, std::make_shared<const Surface>(std::move(surface)));
}

Surface moved(Surface s, const Vec3& by) {
  for (Vec3& p : s.positions.edit()) p += by;
  return s;
}

/// Places and triangles of all, side by side.
Surface joinedOf(const std::vector<Surface>& pieces) {
  Surface out;
  for (const Surface& piece : pieces) {
    const auto first = static_cast<std::uint32_t>(out.positions.size());
    for (const Vec3& p : piece.positions) out.positions.edit().push_back(p);
    for (const UVec3& t : piece.triangles) out.triangles.edit().push_back(t + UVec3(first));
  }
  return out;
}

/// Boards on legs: a piece on top and two below, with room between.
PropPtr table() {
  return propOf("table",
                joinedOf({moved(makeBox({4, 0.2F, 2}), {0, 1, 0}), moved(makeBox({0.2F, 0.95F, 2}), {-1.9F, 0, 0}),
                          moved(makeBox({0.2F, 0.95F, 2}), {1.9F, 0, 0})}));
}

/// Uneven, off its pivot.
PropPtr beam() { return propOf("beam", moved(makeBox({3, 0.4F, 0.6F}), {0.7F, 0.3F, -0.2F})); }

/// `props` by turns, turned any way and sized unevenly, some mirrored, in a cube.
Points crowd(std::size_t count, float extent, const std::vector<PropPtr>& props, unsigned seed) {
  auto kit = std::make_shared<Kit>();
  for (const PropPtr& p : props) kit->entries.push_back({p, 1});
  Points out = test::randomPoints(count, Vec3(extent), 0.1F, 0.2F, seed);
  std::mt19937 random(seed);
  std::uniform_real_distribution<float> unit(0, 1);
  Array<Quat> turn(count);
  Array<Vec3> size(count);
  Array<std::int32_t> prop(count);
  Array<float> footprint(count);
  for (std::size_t i = 0; i < count; ++i) {
    turn[i] = glm::normalize(Quat(unit(random) - 0.5F, unit(random) - 0.5F, unit(random) - 0.5F, unit(random) - 0.5F));
    size[i] = Vec3(0.3F + unit(random), 0.3F + unit(random), 0.3F + unit(random)) * (i % 7 == 0 ? -1.0F : 1.0F);
    prop[i] = static_cast<std::int32_t>(i % props.size());
    footprint[i] = props[i % props.size()]->footprint;
  }
  out.orientation = std::move(turn);
  out.size = std::move(size);
  out.prop = std::move(prop);
  out.footprint = std::move(footprint);
  out.kit = kit;
  return out;
}

Rooms roomsOf(const Points& p, const RoomRule& rule) {
  Rooms out(rule);
  out.add(p);
  return out;
}

/// Two of one prop: the first as it is, the second moved and turned about Y.
bool meets(const PropPtr& prop, const RoomRule& rule, const Vec3& by, float turnDeg = 0,
           const PropPtr& other = nullptr) {
  Rooms rooms(rule);
  rooms.add(prop, -1, Vec3(0), Quat(1, 0, 0, 0), Vec3(1));
  rooms.add(other ? other : prop, -1, by, glm::angleAxis(radians(turnDeg), kUp), Vec3(1));
  return rooms.meet(0, 1);
}

}  // namespace

class TestRooms : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void greedyEqualsThePlainLoop_data() {
    QTest::addColumn<int>("shape");
    QTest::addColumn<bool>("fromAbove");
    QTest::addColumn<float>("gap");
    const std::array names{"disc", "ellipse", "box", "mesh"};
    for (int shape = 0; shape < 4; ++shape)
      for (const bool above : {false, true})
        for (const float gap : {0.0F, 0.1F, -0.1F})
          QTest::addRow("%s, %s, gap %g", names[static_cast<std::size_t>(shape)], above ? "from above" : "in space",
                        static_cast<double>(gap))
              << shape << above << gap;
  }
  void greedyEqualsThePlainLoop() {
    QFETCH(int, shape);
    QFETCH(bool, fromAbove);
    QFETCH(float, gap);
    // Ten thousand; the loop over all before is slow, so hulls and shadows are asked for fewer.
    const std::size_t count = shape == 3 ? 1500 : gap == 0 ? 10'000 : 3000;
    const Points p = crowd(count, fromAbove ? 60.0F : 22.0F, {beam(), table(), propOf("ball", makeBall(0.5F, 8))}, 3);
    const Rooms rooms = roomsOf(p, {static_cast<RoomShape>(shape), Footprint::Spread, fromAbove, 0.9F, gap});
    const Array<PointGrid::Entry> balls = rooms.balls();
    Array<std::uint32_t> order(count);
    for (std::size_t i = 0; i < count; ++i) order[i] = static_cast<std::uint32_t>((i * 7919) % count);
    std::vector<std::uint32_t> stays;
    Array<std::uint8_t> expected;
    expected.assign(count, 0);
    for (const std::uint32_t i : order) {
      if (std::any_of(stays.begin(), stays.end(), [&](std::uint32_t k) { return rooms.meet(i, k); })) continue;
      stays.push_back(i);
      expected[i] = 1;
    }
    QVERIFY(stays.size() > 20 && stays.size() < count);
    const ConflictRule rule{1, 0, {}, fromAbove, &rooms};
    for (const int threads : {1, 2})
      withThreads(threads, [&] { QVERIFY(keepByPriority({}, balls, order, KeptPoints(rule), rule) == expected); });
  }

  /// The box's own answer and that of the hull through its corners come from two programs.
  void boxesAgreeWithTheirHulls() {
    for (const bool fromAbove : {false, true}) {
      const Points p = crowd(400, fromAbove ? 12.0F : 7.0F, {beam()}, 11);
      const auto with = [&](RoomShape shape, float gap) {
        return roomsOf(p, {shape, Footprint::Spread, fromAbove, 1, gap});
      };
      const Rooms hulls = with(RoomShape::Mesh, 0);
      const Rooms boxes = with(RoomShape::Box, 0);
      const Rooms smaller = with(RoomShape::Box, -0.004F);
      const Rooms larger = with(RoomShape::Box, 0.004F);
      std::size_t meeting = 0;
      for (std::uint32_t a = 0; a < p.count; ++a)
        for (std::uint32_t b = 0; b < a; ++b) {
          QCOMPARE(boxes.meet(a, b), boxes.meet(b, a));
          if (smaller.meet(a, b) != larger.meet(a, b)) continue;  // they just touch
          QCOMPARE(hulls.meet(a, b), boxes.meet(a, b));
          meeting += boxes.meet(a, b);
        }
      QVERIFY(meeting > 300 && meeting < 60'000);
    }
  }

  /// Where a place of one lies in the other they meet; where one grown by a tenth does not, they do not.
  void ellipsesAgreeWithPlacesInThem() {
    for (const bool fromAbove : {false, true}) {
      const Points p = crowd(120, 4, {beam()}, 5);
      const Rooms rooms = roomsOf(p, {RoomShape::Ellipse, Footprint::Spread, fromAbove});
      const Surface ball = makeBall(1, 40);
      const Prop& prop = *p.kit->entries[0].prop;
      const Box3 box = prop.surface->bounds();
      // Of the ellipsoid of `i`, place of the unit ball → world.
      const auto world = [&](std::uint32_t i, const Vec3& v, float grown) {
        return p.position[i] + p.orientation[i] * (p.size[i] * (box.center() + grown * 0.5F * box.extent() * v));
      };
      const auto holds = [&](std::uint32_t i, const Vec3& place) {
        const Vec3 own = glm::inverse(p.orientation[i]) * (place - p.position[i]) / p.size[i];
        return glm::length((own - box.center()) / (0.5F * box.extent())) < 1;
      };
      // From above: does any place of the column lie in it?
      const auto holdsColumn = [&](std::uint32_t i, const Vec3& place) {
        for (float y = -5; y < 10; y += 0.02F)
          if (holds(i, {place.x, y, place.z})) return true;
        return false;
      };
      std::size_t meeting = 0;
      for (std::uint32_t a = 0; a < (fromAbove ? 24U : 120U); ++a)
        for (std::uint32_t b = 0; b < a; ++b) {
          bool sharesPlace = false;
          for (const float layer : {0.01F, 0.5F, 0.98F})
            for (std::size_t k = 0; k < ball.positions.size() && !sharesPlace; k += fromAbove ? 17 : 1) {
              const Vec3 place = world(a, ball.positions[k], layer);
              sharesPlace = fromAbove ? holdsColumn(b, place) : holds(b, place);
            }
          if (sharesPlace) QVERIFY(rooms.meet(a, b));
          meeting += rooms.meet(a, b);
        }
      QVERIFY2(meeting > 20, qPrintable(QString::number(meeting)));
    }
    // Balls have their distance: 0.5 and 0.5.
    const PropPtr ball = propOf("ball", moved(makeBall(0.5F, 24), {0, 0.5F, 0}));
    for (const bool fromAbove : {false, true}) {
      const RoomRule rule{RoomShape::Ellipse, Footprint::Spread, fromAbove};
      QVERIFY(meets(ball, rule, {0.999F, 0, 0}));
      QVERIFY(!meets(ball, rule, {1.0F, 0, 0}));
      QCOMPARE(meets(ball, rule, {0, 3, 0}), fromAbove);
    }
    const PropPtr log = propOf("log", makeBox({4, 0.4F, 0.4F}));
    QVERIFY(!meets(log, {RoomShape::Ellipse}, {1, 0, 0.41F}) && meets(log, {RoomShape::Ellipse}, {1, 0, 0.38F}));
    QVERIFY(meets(log, {RoomShape::Ellipse}, {0, 0, 2.1F}, 90));
    QVERIFY(!meets(log, {RoomShape::Ellipse}, {0.5F, 0, 2.2F}, 90));
  }

  void longThingsLieSideBySide() {
    const PropPtr log = propOf("log", makeBox({4, 0.4F, 0.4F}));
    for (const RoomShape shape : {RoomShape::Box, RoomShape::Mesh})
      for (const bool fromAbove : {false, true}) {
        const RoomRule rule{shape, Footprint::Spread, fromAbove};
        QVERIFY(!meets(log, rule, {0, 0, 0.4F}));  // touching
        QVERIFY(!meets(log, rule, {4, 0, 0}));
        QVERIFY(meets(log, rule, {0, 0, 0.39F}));
        QVERIFY(meets(log, rule, {0, 0, 1.5F}, 90));
        QVERIFY(!meets(log, rule, {0, 0, 2.2F}, 90));
        QCOMPARE(meets(log, rule, {0, 0.4F, 0}), fromAbove);  // one on the other
        // A gap is room between them, and below 0 lets them overlap by it.
        QVERIFY(meets(log, {shape, Footprint::Spread, fromAbove, 1, 0.2F}, {0, 0, 0.59F}));
        QVERIFY(!meets(log, {shape, Footprint::Spread, fromAbove, 1, 0.2F}, {0, 0, 0.6F}));
        QVERIFY(!meets(log, {shape, Footprint::Spread, fromAbove, 1, -0.2F}, {0, 0, 0.2F}));
        QVERIFY(meets(log, {shape, Footprint::Spread, fromAbove, 1, -0.2F}, {0, 0, 0.19F}));
        QVERIFY(!meets(log, {shape, Footprint::Spread, fromAbove, 0.5F}, {0, 0, 0.2F}));
        QVERIFY(meets(log, {shape, Footprint::Spread, fromAbove, 0.5F}, {0, 0, 0.19F}));
        QVERIFY(!meets(log, {shape, Footprint::Spread, fromAbove, 0}, Vec3(0)));
      }
    QVERIFY(meets(log, {RoomShape::Disc}, {0, 0, 3.9F}));
  }

  void whatStandsUnderATableStays() {
    const PropPtr crate = propOf("crate", makeBox(Vec3(0.8F)));
    QVERIFY(meets(table(), {RoomShape::Box}, {0.5F, 0, 0}, 20, crate));
    QVERIFY(!meets(table(), {RoomShape::Mesh}, {0.5F, 0, 0}, 20, crate));
    QVERIFY(meets(table(), {RoomShape::Mesh}, {1.6F, 0, 0}, 20, crate));   // at the leg
    QVERIFY(meets(table(), {RoomShape::Mesh}, {0, 0.3F, 0}, 20, crate));   // into the top
    QVERIFY(!meets(table(), {RoomShape::Mesh}, {0, 1.2F, 0}, 20, crate));  // on it
    QVERIFY(meets(table(), {RoomShape::Mesh, Footprint::Spread, true}, {0.5F, 0, 0}, 20, crate));
    // By their bases the legs alone count, so the middle is free in space.
    QVERIFY(!meets(table(), {RoomShape::Mesh, Footprint::Base}, {0.5F, 0, 0}, 20, crate));
  }

  /// What is within the base is within all of it: whatever meets by bases meets by spreads.
  void basesLieWithinSpreads() {
    const Points p = crowd(300, 8, {beam(), table(), propOf("ball", makeBall(0.7F, 12))}, 8);
    for (const RoomShape shape : {RoomShape::Box, RoomShape::Mesh})
      for (const bool fromAbove : {false, true}) {
        Points based = p;
        based.footprint = withFootprints(std::make_shared<const Points>(p), Footprint::Base)->footprint;
        const Rooms base = roomsOf(based, {shape, Footprint::Base, fromAbove});
        const Rooms spread = roomsOf(p, {shape, Footprint::Spread, fromAbove});
        std::size_t meeting = 0;
        for (std::uint32_t a = 0; a < p.count; ++a)
          for (std::uint32_t b = 0; b < a; ++b) {
            if (!base.meet(a, b)) continue;
            QVERIFY(spread.meet(a, b));
            ++meeting;
          }
        QVERIFY(meeting > 10);
      }
  }

  void manyPiecesBecomeFewHullsThatHoldThem() {
    std::vector<Surface> pieces;
    std::mt19937 random(2);
    std::uniform_real_distribution<float> unit(-3, 3);
    for (int k = 0; k < 500; ++k)
      pieces.push_back(moved(makeBox(Vec3(0.1F)), {unit(random), unit(random), unit(random)}));
    const PropPtr prop = propOf("heap", joinedOf(pieces));
    const PropPtr pin = propOf("pin", moved(makeBox(Vec3(0.12F)), {0, -0.06F, 0}));
    Rooms rooms({RoomShape::Mesh});
    rooms.add(prop, -1, Vec3(0), Quat(1, 0, 0, 0), Vec3(1));
    for (std::size_t k = 0; k < prop->surface->positions.size(); k += 24) {
      rooms.add(pin, -1, prop->surface->positions[k], Quat(1, 0, 0, 0), Vec3(1));
      QVERIFY(rooms.meet(0, rooms.count() - 1));
    }
  }

  void depthIsTheWayOut() {
    const PropPtr crate = propOf("crate", makeBox(Vec3(1)));
    const auto depthAt = [&](const Vec3& by, float turnDeg) {
      Rooms rooms({RoomShape::Mesh});
      rooms.add(crate, -1, Vec3(0), Quat(1, 0, 0, 0), Vec3(1));
      rooms.add(crate, -1, by, glm::angleAxis(radians(turnDeg), kUp), Vec3(1));
      return static_cast<double>(rooms.depth(0, 1));
    };
    QVERIFY(within(depthAt({0.8F, 0.1F, 0.2F}, 0), 0.2, 2e-3));
    QVERIFY(within(depthAt({0.3F, 0.7F, 0.2F}, 30), 0.3, 2e-3));
    // A corner that points at a side.
    QVERIFY(within(depthAt({0.5F + 0.70711F - 0.25F, 0, 0}, 45), 0.25, 2e-3));
    QCOMPARE(depthAt({1.01F, 0, 0}, 0), 0.0);
  }

  void whatReachesIntoWhatIsCountedWorstFirst() {
    const PropPtr crate = propOf("crate", makeBox(Vec3(1)));
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({crate, 1});
    Points p;
    p.count = 6;
    Array<Vec3> at(6);
    at[0] = {0, 0, 0};
    at[1] = {1, 0, 0};  // touches
    at[2] = {10, 0, 0};
    at[3] = {10.7F, 0, 0};  // 0.3 m
    at[4] = {20, 0, 0};
    at[5] = {20.1F, 0.9F, 0};  // 0.1 m
    Array<std::uint64_t> id(6);
    for (std::size_t i = 0; i < 6; ++i) id[i] = 100 + i;
    p.position = std::move(at);
    p.id = std::move(id);
    p.footprint = Column<float>(crate->footprint);
    p.prop = Column<std::int32_t>(std::int32_t{0});
    p.kit = kit;
    const auto report = checkMeetings({std::make_shared<const Points>(p)}, 0.02F, {});
    QCOMPARE(report.checked, std::size_t{6});
    QCOMPARE(report.pairs, std::size_t{2});
    QCOMPARE(report.placements, std::size_t{4});
    QVERIFY(within(static_cast<double>(report.worst[0].depth), 0.3, 3e-3));
    QVERIFY(within(static_cast<double>(report.worst[1].depth), 0.1, 3e-3));
    QCOMPARE(std::min(report.worst[0].smaller.point, report.worst[0].larger.point), 2U);
    QCOMPARE(checkMeetings({std::make_shared<const Points>(p)}, 0.2F, {}).pairs, std::size_t{1});
    // What grows on a prop belongs to it.
    Points child = gathered(p, {3});
    child.attributes.insert_or_assign("parent", Column<std::uint64_t>(std::uint64_t{102}));
    const auto grown = checkMeetings(
        {std::make_shared<const Points>(gathered(p, {2})), std::make_shared<const Points>(std::move(child))}, 0.02F,
        {});
    QCOMPARE(grown.pairs, std::size_t{0});
    QCOMPARE(grown.grown, std::size_t{1});
  }
};

QTEST_GUILESS_MAIN(TestRooms)
#include "tst_rooms.moc"
