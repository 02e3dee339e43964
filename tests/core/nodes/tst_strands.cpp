// Ropes and roots: they hang as chains do, end where they should, and stay when others come or go.
#include "core/geometry/strand.h"
#include "core/geometry/welding.h"
#include "core/props/quantities.h"
#include "core/spatial/surface_index.h"
#include "tests/support/support.h"

#include <map>
#include <set>

using namespace arvesk;

namespace {

struct Made {
  SurfacePtr surface;
  PointsPtr points;
};

Made strandsOf(const PointsPtr& from, const ParamMap& params, const PointsPtr& to = nullptr,
               const SurfacePtr& ground = nullptr) {
  test::Bench bench;
  Inputs in = test::inputs({{"points", from}});
  if (to) in.links["to"].push_back({to, 1});
  if (ground) in.links["ground"].push_back({ground, 2});
  const auto out = bench.run("strands", in, params);
  if (!out) {
    qWarning("%s", out.error().message.c_str());
    return {};
  }
  return {std::get<SurfacePtr>((*out)[0]), std::get<PointsPtr>((*out)[1])};
}

PointsPtr posts(std::size_t count, std::uint64_t seed) {
  return std::make_shared<const Points>(test::randomPoints(count, {20, 3, 20}, 0.1F, 0.2F, seed));
}

/// The triangles by key, each with its corners.
std::map<std::uint64_t, std::array<Vec3, 3>> byKey(const Surface& s) {
  std::map<std::uint64_t, std::array<Vec3, 3>> out;
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    const UVec3 t = s.triangles[f];
    out[s.faceKey(f)] = {s.positions[t.x], s.positions[t.y], s.positions[t.z]};
  }
  return out;
}

float nearestVertex(const Surface& s, const Vec3& at) {
  float best = 1e9F;
  for (const Vec3& p : s.positions) best = std::min(best, glm::distance(p, at));
  return best;
}

}  // namespace

class TestStrands : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void aLineHangsAsAChainDoes() {
    // Many ends and lengths: as long as asked for, even steps, both ends; and where forces hang in balance: the change
    // of the slope from step to step is the same weight over the same pull (the catenary's law dy/dx = s/a).
    for (std::uint64_t seed = 1; seed <= 60; ++seed) {
      const auto u = [&](std::uint64_t k) { return static_cast<float>(unitFloat(hashOf(seed, k))); };
      const Vec3 a(10 * u(1), 6 * u(2), 10 * u(3));
      const Vec3 b = a + Vec3(8 * u(4) + 0.3F, 6 * u(5) - 3, 8 * u(6));
      const double length = static_cast<double>(glm::distance(a, b)) * (1.001 + 1.5 * static_cast<double>(u(7)));
      const std::vector<Vec3> line = hangingLine(a, b, length, 400);
      QVERIFY(line.front() == a && line.back() == b);
      QVERIFY2(test::within(lengthOfLine(line), length, 0, 1e-3), qPrintable(QString::number(seed)));
      std::vector<double> slopes;
      for (std::size_t i = 1; i < line.size(); ++i) {
        const Vec3 step = line[i] - line[i - 1];
        QVERIFY(test::within(static_cast<double>(glm::length(step)), length / 400, 0, 0.02));
        slopes.push_back(static_cast<double>(step.y) /
                         std::hypot(static_cast<double>(step.x), static_cast<double>(step.z)));
      }
      const double per = (slopes.back() - slopes.front()) / static_cast<double>(slopes.size() - 1);
      for (std::size_t i = 40; i < slopes.size(); i += 40)
        QVERIFY(test::within(slopes[i] - slopes[i - 40], 40 * per, 0.02, 0.03));
    }
  }

  void oddEndsHangToo() {
    // Straight above each other, at one place, shorter than the way, one segment, very long.
    for (const auto& [to, length] : std::vector<std::pair<Vec3, double>>{
             {{0, 3, 0}, 8}, {{0, 0, 0}, 4}, {{3, 0, 0}, 1}, {{3, 1, 0}, 3000}, {{1e-5F, 2, 0}, 2.5}}) {
      for (const std::size_t segments : {std::size_t{1}, std::size_t{64}}) {
        const std::vector<Vec3> line = hangingLine(Vec3(0), to, length, segments);
        QCOMPARE(line.size(), segments + 1);
        QVERIFY(line.front() == Vec3(0) && line.back() == to);
        for (const Vec3& p : line) QVERIFY(isFinite(p));
        if (segments > 1 && length > 4) QVERIFY(test::within(lengthOfLine(line), length, 0, 0.05));
      }
    }
  }

  void theyEndAtTheirPointsAndAreClosed() {
    const PointsPtr from = posts(40, 3);
    const PointsPtr to = posts(25, 4);
    for (const char* between : {"nearest", "within"}) {
      const Made made = strandsOf(from, {{"between", std::string(between)}, {"reach", 9.0}, {"edge", 0.05}}, to);
      QVERIFY(made.surface && made.surface->faceCount() > 1000);
      QCOMPARE(openEdgeCount(*made.surface), 0U);
      std::size_t starts = 0;
      for (std::size_t i = 0; i < from->count; ++i) {
        float nearest = 1e9F;
        for (std::size_t k = 0; k < to->count; ++k)
          nearest = std::min(nearest, glm::distance(from->position[i], to->position[k]));
        const bool isJoined = nearestVertex(*made.surface, from->position[i]) < 0.03F;
        QCOMPARE(isJoined, nearest <= 9);
        starts += isJoined;
      }
      QVERIFY(starts > 10);
      for (const Vec2& uv : made.surface->uvs) QVERIFY(uv.x >= 0 && uv.x <= 1 && uv.y >= 0);
    }
  }

  void aPairIsOneStrandAndStays() {
    const PointsPtr all = posts(60, 7);
    const ParamMap params{{"between", std::string("within")},    {"reach", 5.0},    {"wander", 6.0},
                          {"slack", std::vector<double>{5, 40}}, {"branches", 3.0}, {"spacing", 0.5}};
    const Made whole = strandsOf(all, params);
    std::set<std::pair<std::uint64_t, std::uint64_t>> pairs;
    for (std::size_t i = 0; i < all->count; ++i)
      for (std::size_t k = i + 1; k < all->count; ++k)
        if (glm::distance(all->position[i], all->position[k]) <= 5) pairs.emplace(all->id[i], all->id[k]);
    test::Bench bench;
    std::set<std::uint64_t> strands;
    for (const auto& [key, corners] : byKey(*whole.surface)) strands.insert(key >> 32);
    QCOMPARE(strands.size(), pairs.size() * 4);  // each with its three branches
    // Without every third point, what is left is as it was, to the bit.
    Array<std::uint32_t> some;
    for (std::uint32_t i = 0; i < all->count; ++i)
      if (i % 3 != 0) some.push_back(i);
    const Made fewer = strandsOf(std::make_shared<const Points>(gathered(*all, some)), params);
    const auto before = byKey(*whole.surface);
    for (const auto& [key, corners] : byKey(*fewer.surface)) {
      const auto it = before.find(key);
      QVERIFY(it != before.end() && it->second == corners);
    }
    QVERIFY(fewer.surface->faceCount() * 3 < whole.surface->faceCount() * 2);
    std::map<std::uint64_t, Vec3> placeOf;
    for (std::size_t i = 0; i < whole.points->count; ++i) placeOf[whole.points->id[i]] = whole.points->position[i];
    QCOMPARE(placeOf.size(), whole.points->count);
    for (std::size_t i = 0; i < fewer.points->count; ++i)
      QVERIFY(placeOf.at(fewer.points->id[i]) == fewer.points->position[i]);
  }

  /// Whichever end finds the other, and in whatever order points come, a strand starts at the same one; what is left
  /// out is told.
  void aStrandStartsAtTheSameEnd() {
    const PointsPtr all = posts(50, 21);
    const ParamMap params{
        {"between", std::string("nearest")}, {"count", 2.0}, {"radius", std::vector<double>{0.01, 0.1}}};
    Array<std::uint32_t> back;
    for (std::uint32_t i = 0; i < all->count; ++i) back.push_back(static_cast<std::uint32_t>(all->count) - 1 - i);
    const auto before = byKey(*strandsOf(all, params).surface);
    const auto after = byKey(*strandsOf(std::make_shared<const Points>(gathered(*all, back)), params).surface);
    QVERIFY(before.size() > 1000 && before == after);
    test::Bench bench;
    QVERIFY(bench.run("strands", test::inputs({{"points", posts(200, 5)}}),
                      {{"between", std::string("within")}, {"reach", 100.0}, {"edge", 5.0}}));
    QCOMPARE(bench.warnings.size(), 1U);
  }

  void pointsLieAlongThem() {
    // Two posts 6 m apart, 20 % of slack: 7.2 m of rope.
    Points two = test::randomPoints(2, {1, 1, 1}, 0.1F, 0.1F, 1);
    Array<Vec3> at{Vec3(0, 4, 0), Vec3(6, 4, 0)};
    two.position = std::move(at);
    const Made made = strandsOf(std::make_shared<const Points>(two), {{"slack", std::vector<double>{20, 20}},
                                                                      {"spacing", 0.5},
                                                                      {"edge", 0.01},
                                                                      {"radius", std::vector<double>{0.02, 0.06}}});
    QCOMPARE(made.points->count, 14U);
    float lowest = 9;
    for (std::size_t i = 0; i < made.points->count; ++i) {
      const Vec3& p = made.points->position[i];
      lowest = std::min(lowest, p.y);
      QVERIFY(std::abs(p.z) < 1e-4F && p.x > 0 && p.x < 6);
      float along = 0;
      float length = 0;
      QVERIFY(readNumbers(*made.points, "along", i, i + 1, &along));
      QVERIFY(readNumbers(*made.points, "strand-length", i, i + 1, &length));
      QVERIFY(test::within(static_cast<double>(length), 7.2, 0.01));
      QVERIFY(test::within(static_cast<double>(along), (0.1 + 0.25 + 0.5 * static_cast<double>(i)) / 7.2, 0.002) ||
              test::within(1 - static_cast<double>(along), (0.1 + 0.25 + 0.5 * static_cast<double>(i)) / 7.2, 0.002));
      const Vec3 up = made.points->orientation[i] * Vec3(0, 1, 0);
      QVERIFY(up.y > 0.3F);
      // The tube is as thick there as its radius says.
      const float radius = 0.02F + 0.04F * along;
      QVERIFY(test::within(static_cast<double>(nearestVertex(*made.surface, p)), static_cast<double>(radius), 0.006));
    }
    QVERIFY(lowest < 2.6F);
  }

  void byTextByOrderAndToGround() {
    const PointsPtr from = posts(30, 11);
    Points named = *from;
    Array<std::uint32_t> index(named.count);
    for (std::size_t i = 0; i < named.count; ++i) index[i] = static_cast<std::uint32_t>(i % 3);
    named.attributes.insert_or_assign(
        "line", TextColumn{std::make_shared<const std::vector<std::string>>(std::vector<std::string>{"a", "b", "c"}),
                           Column<std::uint32_t>(std::move(index))});
    const auto countOf = [](const Made& m) {
      std::set<std::uint64_t> strands;
      for (std::size_t f = 0; f < m.surface->faceCount(); ++f) strands.insert(m.surface->faceKey(f) >> 32);
      return strands.size();
    };
    const auto lines = std::make_shared<const Points>(named);
    // Three lines over ten posts each have nine strands each.
    QCOMPARE(
        countOf(strandsOf(lines, {{"between", std::string("name")}, {"name", std::string("line")}, {"reach", 100.0}})),
        27U);
    QCOMPARE(countOf(strandsOf(lines, {{"between", std::string("order")}})), 29U);
    test::Bench bench;
    const auto none = bench.run("strands", test::inputs({{"points", lines}}),
                                {{"between", std::string("name")}, {"name", std::string("lines")}});
    QVERIFY(!none && none.error().message.find("lines") != std::string::npos);
    // To ground: every end lies on it, and nothing hangs below it.
    const SurfacePtr ground = test::hills(80, 60, 2);
    Points high = *from;
    Array<Vec3> lifted(high.count);
    for (std::size_t i = 0; i < high.count; ++i) lifted[i] = high.position[i] + Vec3(0, 6, 0);
    high.position = std::move(lifted);
    const auto over = std::make_shared<const Points>(high);
    const Made down = strandsOf(
        over, {{"between", std::string("ground")}, {"lands", std::string("below")}, {"reach", 50.0}}, nullptr, ground);
    QCOMPARE(countOf(down), 30U);
    const Made roots = strandsOf(
        over, {{"reach", 30.0}, {"slack", std::vector<double>{60, 90}}, {"above_ground", true}, {"spacing", 0.2}},
        nullptr, ground);
    const auto surface = SurfaceIndex::of(*ground);
    for (std::size_t i = 0; i < roots.points->count; ++i) {
      const SurfaceHit hit = (*surface)->first(roots.points->position[i] + Vec3(0, 0.12F, 0), -kUp, 100);
      QVERIFY(hit.isHit());
    }
    QVERIFY(!bench.run("strands", test::inputs({{"points", lines}}), {{"between", std::string("ground")}}));
  }
};

QTEST_GUILESS_MAIN(TestStrands)
#include "tst_strands.moc"
