// A part of a plan alone is that of the whole, bit for bit: every kind by what it says that it has to see, then whole
// plans in tiles of several sizes.
#include "core/formats/plan_file.h"
#include "core/plan/parts.h"
#include "core/spatial/clearance.h"
#include "tests/support/plans.h"

#include <algorithm>
#include <numeric>
#include <random>

using namespace arvesk;
using namespace arvesk::test;

namespace {

/// What is there of `whole` within the part, compared with what was worked out for it alone; nothing where they agree.
std::optional<std::string> faultOf(const Points& part, const Points& whole, const Part& where) {
  std::map<std::uint64_t, std::uint32_t> places;
  std::size_t inside = 0;
  for (std::size_t i = 0; i < whole.count; ++i) {
    places[whole.id[i]] = static_cast<std::uint32_t>(i);
    inside += where.holds(whole.position[i]);
  }
  Array<std::uint32_t> same;
  for (std::size_t i = 0; i < part.count; ++i) {
    const auto it = places.find(part.id[i]);
    if (it == places.end()) return "a point is not in the whole";
    if (!where.holds(part.position[i])) return "a point lies outside of the part";
    same.push_back(it->second);
  }
  if (inside != part.count) return std::to_string(part.count) + " of " + std::to_string(inside) + " points are there";
  return findDifference(part, gathered(whole, same));
}

Value cut(const Value& value, const Part& part) {
  const auto* points = std::get_if<PointsPtr>(&value);
  return points ? Value(pointsIn(part, *points)) : value;
}

/// Does the report say so too? Counts may be others.
bool isSaid(const Problem& problem, const NodeReport& report) {
  const auto words = [](std::string text) {
    std::erase_if(text, [](char c) { return c >= '0' && c <= '9'; });
    return text;
  };
  return std::any_of(report.problems.begin(), report.problems.end(),
                     [&](const Problem& other) { return words(other.message) == words(problem.message); });
}

/// As they come from the evaluator.
Inputs withBounds(Inputs in) {
  for (auto& [id, links] : in.links)
    for (Inputs::Link& link : links)
      if (auto* points = std::get_if<PointsPtr>(&link.value)) *points = withMost(*points, mostOf(**points));
  return in;
}

/// Sides of `size` m; tile 0, 0 begins at `from`.
Part tile(const Vec2& from, float size, int column, int row) {
  const auto side = [&](float begin, int k) {
    return static_cast<float>(static_cast<double>(begin) + static_cast<double>(size) * k);
  };
  Part part;
  part.min.x = side(from.x, column);
  part.max.x = side(from.x, column + 1);
  part.min.z = side(from.y, row);
  part.max.z = side(from.y, row + 1);
  return part;
}

}  // namespace

class TestParts : public EveryKind {
  Q_OBJECT

 private Q_SLOTS:
  /// In every way that it can work, a kind gives the same within a part when it sees no more than it asks for.
  void everyKindSeesWhatItAsksFor_data() { everyKind(); }
  void everyKindSeesWhatItAsksFor() {
    if (std::none_of(kind().outputs.begin(), kind().outputs.end(),
                     [](const OutputSpec& o) { return o.type == ValueType::Points || o.type == ValueType::Mask; }))
      return;
    for (const ParamMap& params : choicesOf(kind())) {
      seesWhatItAsksFor(kind(), params);
      if (QTest::currentTestFailed()) return;
    }
  }

  /// Chains of darts, in every way that they can go.
  void evenInEveryWay_data() {
    QTest::addColumn<ParamMap>("params");
    for (const char* where : {"thins", "fills", "widens"})
      for (const char* by : {"fixed", "mask"})
        for (const char* area : {"true", "above"})
          for (const double spacing : where == std::string("widens") ? std::vector{0.9} : std::vector{0.45, 0.9})
            QTest::newRow(qPrintable(QStringLiteral("%1, %2, %3, %4 m").arg(where, by, area).arg(spacing)))
                << ParamMap{{"way", std::string("even")},
                            {"even_where", std::string(where)},
                            {"spacing_by", std::string(by)},
                            {"area", std::string(area)},
                            {"spacing", spacing},
                            {"spacings", std::vector<double>{spacing, 2 * spacing}}};
  }
  void evenInEveryWay() {
    QFETCH(ParamMap, params);
    seesWhatItAsksFor(*findNodeKind("sow-on-surface"), params);
  }

  /// A kind that says how far it carries points carries none farther.
  void nobodyIsCarriedFarther_data() { everyKind(); }
  void nobodyIsCarriedFarther() {
    if (!kind().carriesOf || kind().inputs.front().type != ValueType::Points) return;
    const Inputs in = inputsFor(kind(), pointsOnGround());
    const PointsPtr before = std::get<PointsPtr>(in.links.at(kind().inputs.front().id).front().value);
    std::map<std::uint64_t, Vec3> places;
    for (std::size_t i = 0; i < before->count; ++i) places[before->id[i]] = before->position[i];
    for (const ParamMap& params : choicesOf(kind())) {
      const auto carries = kind().carriesOf(params);
      Bench bench;
      const auto out = bench.run(kind().id, in, params);
      if (!carries || !out) continue;
      for (const Value& value : *out)
        if (const auto* points = std::get_if<PointsPtr>(&value))
          for (std::size_t i = 0; i < (*points)->count; ++i) {
            const auto was = places.find((*points)->id[i]);
            if (was == places.end()) continue;
            const Vec3 moved = (*points)->position[i] - was->second;
            QVERIFY(std::hypot(moved.x, moved.z) <= carries->across + 1e-3);
            QVERIFY(std::abs(moved.y) <= carries->up + 1e-3);
          }
    }
  }

  /// A kind that says how much room its points have at most makes none larger, and filters and the like give away what
  /// came in: bounds that are wrong would be tiles that are wrong.
  void nobodyIsLargerThanSaid_data() { everyKind(); }
  void nobodyIsLargerThanSaid() {
    const Inputs in = withBounds(inputsFor(kind(), pointsOnGround()));
    std::vector<ParamMap> all = choicesOf(kind());
    std::mt19937 random(11);
    for (int round = 0; round < 8 && kind().mostOf && kind().inputs.front().type == ValueType::Points; ++round) {
      all.push_back(all[random() % all.size()]);
      for (const ParamSpec& spec : kind().params)
        if (spec.type == ParamType::Number || spec.type == ParamType::Range)
          all.back()[spec.id] = *anotherValue(spec, spec.defaultValue, random);
    }
    for (const ParamMap& params : all) {
      const auto most = kind().most(params, in);
      if (!most) continue;
      Bench bench;
      const auto out = bench.run(kind().id, in, params);
      if (!out) continue;
      for (const Value& value : *out)
        if (const auto* points = std::get_if<PointsPtr>(&value); points && *points) {
          const Most made = mostOf(**points);
          QVERIFY2(made.footprint <= most->footprint && made.size <= most->size,
                   qPrintable(QStringLiteral("%1 m, × %2 beside %3 m, × %4")
                                  .arg(made.footprint)
                                  .arg(made.size)
                                  .arg(most->footprint)
                                  .arg(most->size)));
        }
    }
  }

  /// Whoever is said to stay or to go does so in the whole too; near the middle nobody hangs on what is not there.
  void whoIsDecidedIsSoInTheWhole() {
    std::mt19937 random(7);
    for (int round = 0; round < 12; ++round) {
      const Points all = randomPoints(20'000, {60, 1, 60}, 0.1F, 0.5F, static_cast<std::uint64_t>(round));
      ConflictRule rule;
      rule.fixedSpacing = 0.8F;
      const auto stays = [&](const Points& points, const Part& known) {
        Array<PointGrid::Entry> entries;
        Array<std::uint32_t> order;
        Array<std::uint8_t> unsure;
        for (std::uint32_t i = 0; i < points.count; ++i) {
          entries.push_back({points.position[i], 0.4F, i});
          order.push_back(i);
          unsure.push_back(known.isNearRim(points.position[i], 0.8F));
        }
        const auto rank = [&](std::uint32_t i) {
          return round % 2 ? static_cast<double>(points.position[i].x)  // a smooth order: long chains
                           : static_cast<double>(mix64(points.id[i]));
        };
        std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) { return rank(a) < rank(b); });
        return keepByPriority({}, entries, order, KeptPoints(rule), rule, unsure);
      };
      const Array<std::uint8_t> whole = stays(all, {});
      std::map<std::uint64_t, std::uint8_t> of;
      for (std::size_t i = 0; i < all.count; ++i) of[all.id[i]] = whole[i];
      Box3 box;
      for (std::size_t i = 0; i < all.count; ++i) box.add(all.position[i]);
      const Vec3 middle = box.center();
      const Part known = tile({middle.x - 12, middle.z - 12}, 24, 0, 0);
      const PointsPtr some = pointsIn(known, std::make_shared<const Points>(all));
      const Array<std::uint8_t> part = stays(*some, known);
      std::size_t open = 0;
      for (std::size_t i = 0; i < some->count; ++i) {
        const float rim = std::min({some->position[i].x - known.min.x, known.max.x - some->position[i].x,
                                    some->position[i].z - known.min.z, known.max.z - some->position[i].z});
        if (part[i] != kOpen) QCOMPARE(part[i], of[some->id[i]]);
        if (round % 2 == 0 && rim > 0.8F * 5.7F) QVERIFY(part[i] != kOpen);
        open += part[i] == kOpen;
      }
      QVERIFY(open > 0 && open < some->count);
    }
  }

  void tilesAreTheWhole_data() { committedPlans(); }
  void tilesAreTheWhole() {
    QFETCH(QString, file);
    const auto plan = loadPlan(sourcePath(qPrintable(file)).toStdString());
    QVERIFY(plan);
    compare(*plan, folderOf(file), hashText(file.toStdString()), file.toStdString());
  }

  /// What is passed on by a skipped node comes from one that others ask for more.
  void whatSkippedNodesPassOnIsCutToo() {
    std::vector<Node> nodes = crowdedPlan().nodes;
    for (Node& n : nodes)
      if (n.uid == "apart") n.params["by"] = std::string("spacing");
    nodes.push_back(node("passes", "vary", {}, {{"points", "sow"}}));
    nodes.back().isSkipped = true;
    const Plan plan = planOf(std::move(nodes));
    QVERIFY(plan.find("apart") && plan.find("apart")->inputs.at("points").front().node == "sow");
    compare(plan, sourcePath("demo/tern-cove").toStdString(), 3, "crowded");
  }

  void tilesOfRandomPlans_data() {
    QTest::addColumn<int>("seed");
    for (int seed = 100; seed < 110; ++seed) QTest::addRow("plan %d", seed) << seed;
  }
  void tilesOfRandomPlans() {
    QFETCH(int, seed);
    std::mt19937 random(static_cast<unsigned>(seed));
    Plan plan = randomPlan(random);
    for (int edit = 0; edit < 2; ++edit) {
      compare(plan, sourcePath("demo/tern-cove").toStdString(), static_cast<std::uint64_t>(seed + edit),
              "plan " + std::to_string(seed));
      if (QTest::currentTestFailed()) return;
      randomEdit(plan, random, "demo/tern-cove");
    }
  }

 private:
  static void seesWhatItAsksFor(const NodeKind& kind, const ParamMap& params) {
    const Inputs in = withBounds(inputsFor(kind, pointsOnGround()));
    Bench whole;
    const auto all = whole.run(kind.id, in, params);
    if (!all) return;
    for (const Part& part : {tile({-7, -9}, 11, 0, 0), tile({-20, 2}, 7, 0, 0), tile({500, 500}, 5, 0, 0)}) {
      const auto begins = kind.beginsWith ? kind.beginsWith(params) : std::nullopt;
      const bool isOfPoints = !kind.inputs.empty() && kind.inputs.front().type == ValueType::Points;
      Bench bench;
      std::optional<Result<Outputs>> some;
      double wider = roomNeeded(kind, params, in);
      for (double asked = 1; asked > 0;) {  // as the evaluator does
        asked = 0;
        Inputs seen = in;
        for (const InputSpec& input : kind.inputs)
          for (Inputs::Link& link : seen.links[input.id])
            link.value = cut(link.value, neededAt(kind, params, input, part, wider));
        if (kind.makesParts && kind.makesParts(params)) bench.ctx.part = part;
        bench.ctx.wanted = part;
        bench.ctx.known = isOfPoints ? neededAt(kind, params, kind.inputs.front(), part, wider)
                          : begins   ? part.grown(*begins + wider, Part::kAll)
                                     : Part{};
        bench.ctx.wider = &asked;
        some = bench.run(kind.id, seen, params);
        QVERIFY2(*some, *some ? "" : some->error().message.c_str());
        if (bench.ctx.known.isAll()) break;
        wider += asked;
      }
      for (std::size_t o = 0; o < all->size(); ++o) {
        if (const auto* points = std::get_if<PointsPtr>(&(**some)[o])) {
          const auto fault = faultOf(*pointsIn(part, *points), *std::get<PointsPtr>((*all)[o]), part);
          QVERIFY2(!fault, fault ? fault->c_str() : "");
        }
        if (const auto* mask = std::get_if<MaskPtr>(&(**some)[o])) {
          const PointsPtr at = pointsIn(part, pointsOnGround());
          QVERIFY(at->count > 50 || part.min.x == 500);
          QVERIFY(maskValues({}, **mask, *at) == maskValues({}, *std::get<MaskPtr>((*all)[o]), *at));
        }
      }
    }
  }

  /// Tiles of 7, 64 and 300 m from a random corner, some of them, in random order, on one thread and on two.
  static void compare(const Plan& plan, const std::string& folder, std::uint64_t seed, const std::string& what) {
    const auto files = std::make_shared<DiskFileService>(folder);
    Evaluator evaluator(files);
    const Evaluation whole = evaluator.evaluate(plan, {});
    Box3 box;
    for (const auto& [uid, outputs] : whole.values)
      for (const Value& value : outputs)
        if (const auto* points = std::get_if<PointsPtr>(&value); points && *points)
          for (std::size_t i = 0; i < (*points)->count; ++i) box.add((*points)->position[i]);
    if (box.isEmpty()) return;
    std::mt19937 random(static_cast<unsigned>(seed));
    std::uniform_real_distribution<float> unit(0, 1);
    for (const float size : {300.0F, 64.0F, 7.0F}) {
      const Vec2 from(box.min.x - unit(random) * size, box.min.z - unit(random) * size);
      const int columns = static_cast<int>((box.max.x - from.x) / size) + 1;
      const int rows = static_cast<int>((box.max.z - from.y) / size) + 1;
      std::vector<int> tiles(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows));
      std::iota(tiles.begin(), tiles.end(), 0);
      std::shuffle(tiles.begin(), tiles.end(), random);
      constexpr std::size_t kMost = 3;  // a size
      const bool isAll = tiles.size() <= kMost;
      tiles.resize(std::min(kMost, tiles.size()));
      std::map<std::string, std::size_t> counts;
      int threads = 1;
      for (const int t : tiles) {
        threads = 3 - threads;
        EvalRequest request;
        request.part = tile(from, size, t % columns, t / columns);
        Evaluation part;
        withThreads(threads, [&] { part = evaluator.evaluate(plan, request); });
        for (const auto& [uid, report] : part.reports)  // what is said of a part is said of the whole
          for (const Problem& p : report.problems)
            QVERIFY2(isSaid(p, whole.reports.at(uid)), (what + ", " + uid + ": " + toLine(p)).c_str());
        for (const Node& node : plan.nodes) {
          const std::string where = what + ", " + node.title + " (" + node.kind + ") in a tile of " +
                                    std::to_string(static_cast<int>(size)) + " m: ";
          QVERIFY2(part.reports.at(node.uid).state == whole.reports.at(node.uid).state,
                   (where + "another state").c_str());
          const auto values = whole.values.find(node.uid);
          if (values == whole.values.end()) continue;
          for (std::size_t o = 0; o < values->second.size(); ++o) {
            const auto* w = std::get_if<PointsPtr>(&values->second[o]);
            if (!w || !*w) continue;
            const PointsPtr p = std::get<PointsPtr>(part.values.at(node.uid)[o]);
            const auto fault = faultOf(*p, **w, request.part);
            QVERIFY2(!fault, (where + fault.value_or("")).c_str());
            counts[node.uid + std::to_string(o)] += p->count;
          }
        }
      }
      for (const auto& [uid, outputs] : whole.values)  // no point is in two of them or in none
        for (std::size_t o = 0; isAll && plan.find(uid) && o < outputs.size(); ++o)
          if (const auto* w = std::get_if<PointsPtr>(&outputs[o]); w && *w)
            QCOMPARE(counts[uid + std::to_string(o)], (*w)->count);
    }
  }
};

QTEST_GUILESS_MAIN(TestParts)
#include "tst_parts.moc"
