// Nodes that move points over time: Timing, Overshoot and Travel, by themselves and in plans that are asked for their
// frames in any order.
#include "core/deliver/over_frames.h"
#include "core/formats/plan_file.h"
#include "core/spatial/ground.h"
#include "tests/support/kinds.h"
#include "tests/support/plans.h"

#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

PointsPtr rowOf(std::size_t count, float spacing = 1) {
  Points p;
  p.count = count;
  Array<Vec3> position(count);
  Array<std::uint64_t> id(count);
  for (std::size_t i = 0; i < count; ++i) {
    position[i] = Vec3(static_cast<float>(i) * spacing, 0, 0);
    id[i] = i + 1;
  }
  p.position = std::move(position);
  p.id = std::move(id);
  return std::make_shared<const Points>(std::move(p));
}
PointsPtr movedBy(const PointsPtr& points, const Vec3& by, float size = 1) {
  Points p = *points;
  Array<Vec3> position = p.position.copied(p.count);
  for (Vec3& v : position) v += by;
  p.position = std::move(position);
  p.size = Column<Vec3>(Vec3(size));
  return std::make_shared<const Points>(std::move(p));
}

/// Overshoot over a row of inputs, one a frame; the place, size and turn of the first point after each.
struct Track {
  std::vector<Points> at;
};
Track overshot(const std::vector<PointsPtr>& inputsPerFrame, const ParamMap& params, double rate) {
  test::Bench bench;
  Track out;
  for (std::size_t f = 0; f < inputsPerFrame.size(); ++f) {
    MemoryPtr after;
    bench.ctx.after = &after;
    bench.ctx.sinceBefore = 1 / rate;
    const NodeKind& kind = *findNodeKind("overshoot");
    const auto made = kind.evaluate(bench.ctx, inputs({{"points", inputsPerFrame[f]}}), params);
    if (!made) return {};
    out.at.push_back(*std::get<PointsPtr>(made->front()));
    bench.ctx.before = after;
  }
  return out;
}

/// What a damped oscillator that rests at −1 does when it is let go (closed form, S. S. Rao, "Mechanical Vibrations",
/// section 2.6): how far it is from rest after `t` s.
double released(double frequency, double damping, double t) {
  const double w = 2 * std::numbers::pi * frequency;
  if (damping < 1) {
    const double wd = w * std::sqrt(1 - damping * damping);
    return -std::exp(-damping * w * t) * (std::cos(wd * t) + damping * w / wd * std::sin(wd * t));
  }
  if (damping == 1) return -std::exp(-w * t) * (1 + w * t);
  const double s = std::sqrt(damping * damping - 1);
  const double a = w * (-damping + s);
  const double b = w * (-damping - s);
  return (b * std::exp(a * t) - a * std::exp(b * t)) / (a - b);
}

std::shared_ptr<DiskFileService> demoFiles() {
  return std::make_shared<DiskFileService>(sourcePath("demo/tern-cove").toStdString());
}
Evaluation evaluatedAt(Plan plan, double frame, const std::shared_ptr<DiskFileService>& files,
                       Quality quality = Quality::Final) {
  plan.frame = frame;
  EvalRequest request;
  request.quality = quality;
  return Evaluator(files).evaluate(plan, request);
}
std::vector<std::uint64_t> printAt(const Plan& plan, double frame, const std::shared_ptr<DiskFileService>& files,
                                   const std::string& uid, Quality quality = Quality::Final) {
  const Evaluation e = evaluatedAt(plan, frame, files, quality);
  const auto values = e.values.find(uid);
  return values == e.values.end() ? std::vector<std::uint64_t>() : fingerprint(values->second);
}

/// The crowd's sizes swing while a key makes them larger and a limit lets more of them in.
Plan swingingPlan() {
  Plan plan = crowdedPlan();
  plan.settings.time = PlanTime{1, 40, 24};
  Keys keys;
  setKey(keys, {1, 1.0, Easing::Even});
  setKey(keys, {20, 4.0, Easing::Held});
  plan.find("sow")->keys["density"] = keys;
  Node vary = node("bigger", "vary", {{"size", std::vector<double>{1, 1}}}, {{"points", "apart"}});
  setKey(vary.keys["size.0"], {1, 1.0, Easing::Held});
  setKey(vary.keys["size.0"], {6, 2.0, Easing::Held});
  setKey(vary.keys["size.1"], {1, 1.0, Easing::Held});
  setKey(vary.keys["size.1"], {6, 2.0, Easing::Held});
  const auto append = [&](Node added) {
    Link& link = added.inputs.at("points").front();
    link.output = findNodeKind(plan.find(link.node)->kind)->outputs.front().id;
    plan.nodes.push_back(std::move(added));
  };
  append(vary);
  append(node("spring", "overshoot", {{"starts", std::string("from-nothing")}}, {{"points", "bigger"}}));
  return plan;
}

}  // namespace

class TestTimeNodes : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  // --- Overshoot -------------------------------------------------------------------------------

  void aSpringIsAsKnown_data() {
    QTest::addColumn<double>("frequency");
    QTest::addColumn<double>("damping");
    for (const double f : {0.5, 2.0, 6.0})
      for (const double d : {0.0, 0.1, 0.5, 1.0, 2.5}) QTest::addRow("%g Hz, %g", f, d) << f << d;
  }
  void aSpringIsAsKnown() {
    QFETCH(double, frequency);
    QFETCH(double, damping);
    constexpr double kRate = 24;
    // The target moves evenly from 0 to 1 m between the first two frames and stays: the motion after that is the
    // difference of two ramps, each the integral of a release.
    const PointsPtr points = rowOf(3);
    std::vector<PointsPtr> in{points};
    for (int f = 0; f < 48; ++f) in.push_back(movedBy(points, {0, 1, 0}));
    const Track track = overshot(in, {{"frequency", frequency}, {"damping", damping}}, kRate);
    QCOMPARE(track.at.size(), in.size());
    const auto ramp = [&](double t) {  // how far it has come t s after the target began to move at 1 m per frame
      constexpr int kSteps = 20000;
      double sum = 0;
      for (int k = 0; k < kSteps; ++k) sum += 1 + released(frequency, damping, (k + 0.5) * t / kSteps);
      return sum * t / kSteps * kRate;
    };
    for (const std::size_t f : {1, 2, 5, 12, 30, 48}) {
      const double t = static_cast<double>(f) / kRate;
      const double expected = ramp(t) - ramp(t - 1 / kRate);
      for (std::size_t i = 0; i < 3; ++i) {
        const double y = static_cast<double>(track.at[f].position[i].y);
        QVERIFY2(within(y, expected, 1e-3), qPrintable(QString("frame %1: %2, not %3").arg(f).arg(y).arg(expected)));
      }
    }
  }

  void turnsAndSizesSwingAlike() {
    // The same swing in three ways: 1 m, a radian, a size that grows by one.
    const PointsPtr points = rowOf(2);
    Points turned = *movedBy(points, {0, 1, 0}, 2);
    turned.orientation = Column<Quat>(glm::angleAxis(1.0F, Vec3(0, 1, 0)));
    const auto target = std::make_shared<const Points>(std::move(turned));
    const Track track = overshot({points, target, target, target, target, target, target}, {}, 24);
    for (const Points& at : track.at) {
      const float y = at.position[1].y;
      QVERIFY(within(static_cast<double>(at.size[1].x - 1), static_cast<double>(y), 1e-4));
      const float angle = 2 * std::atan2(at.orientation[1].y, at.orientation[1].w);
      QVERIFY(within(static_cast<double>(angle), static_cast<double>(y), 1e-4));
    }
    QVERIFY(track.at.back().position[1].y != 1);
  }

  void restIsRest() {
    const PointsPtr points = movedBy(rowOf(20), {3, 5, 7}, 1.7F);
    const Track track = overshot({points, points, points}, {}, 24);
    for (const Points& at : track.at) QVERIFY2(!findDifference(*points, at), findDifference(*points, at)->c_str());
  }

  void pointsComeAndGo() {
    // By their ids, in whatever order: those that were not there spring up, the others go on.
    const PointsPtr all = movedBy(rowOf(6), Vec3(0), 1);
    Array<std::uint32_t> some;
    for (const std::uint32_t i : {4U, 1U, 3U}) some.push_back(i);
    const auto few = std::make_shared<const Points>(gathered(*all, some));
    const Track track = overshot({few, all, movedBy(all, {0, 1, 0})}, {{"starts", std::string("from-nothing")}}, 24);
    for (std::size_t i = 0; i < 6; ++i) {
      const bool wasThere = i == 1 || i == 3 || i == 4;
      QCOMPARE(track.at[1].isGone(i), !wasThere);
      QCOMPARE(track.at[2].size[i].x > 0.99F, wasThere);
      QVERIFY(track.at[2].size[i].x > 0.01F);
      QVERIFY(track.at[2].position[i].y > 0 && track.at[2].position[i].y < 1);
    }
  }

  void anyFrameFirst_data() {
    QTest::addColumn<bool>("isDraft");
    QTest::newRow("final") << false;
    QTest::newRow("draft") << true;
  }
  void anyFrameFirst() {
    QFETCH(bool, isDraft);
    const Quality quality = isDraft ? Quality::Draft : Quality::Final;
    const Plan plan = swingingPlan();
    std::map<double, std::vector<std::uint64_t>> inOrder;
    const auto files = demoFiles();
    for (const double frame : {1.0, 2.0, 3.5, 7.0, 8.0, 8.5, 24.0, 40.0, 43.0}) {
      const auto e = evaluatedAt(plan, frame, files, quality);
      QCOMPARE(static_cast<int>(e.reports.at("spring").state), static_cast<int>(NodeState::Done));
      inOrder[frame] = printAt(plan, frame, files, "spring", quality);
    }
    for (const double frame : {24.0, 8.5, 43.0, 7.0, 1.0, 3.5})  // each without anything known before
      QVERIFY(printAt(plan, frame, demoFiles(), "spring", quality) == inOrder.at(frame));
    const auto others = demoFiles();
    for (const double frame : {40.0, 2.0, 24.0, 8.0, 0.0})
      QVERIFY(printAt(plan, frame, others, "spring", quality) == inOrder[frame == 0.0 ? 1.0 : frame]);
    // With a cache that keeps nearly nothing.
    Plan at = plan;
    at.frame = 24;
    EvalRequest request;
    request.quality = quality;
    request.limits.cacheBytes = 1000;
    const Evaluation small = Evaluator(demoFiles()).evaluate(at, request);
    QVERIFY(fingerprint(small.values.at("spring")) == inOrder.at(24.0));
    // Something moves at all: frame 8 is not what came in.
    const Evaluation eight = evaluatedAt(plan, 8, files, quality);
    QVERIFY(fingerprint(eight.values.at("spring")) != fingerprint(eight.values.at("bigger")));
  }

  void memoriesAreOfThePlanTheyAreOf() {
    // Whatever is set otherwise upstream, with all that is cached: the same as without anything cached.
    const auto files = demoFiles();
    Plan plan = swingingPlan();
    const auto first = printAt(plan, 12, files, "spring");
    const std::vector<std::function<void(Plan&)>> edits = {
        [](Plan& p) { p.settings.seed = 9; },
        [](Plan& p) { p.settings.time->rate = 12; },
        [](Plan& p) { p.settings.time->first = 4; },
        [](Plan& p) { p.find("bigger")->keys["size.0"].list[1].frame = 8; },
        [](Plan& p) { p.find("bigger")->keys["size.1"].list[0].value = 1.5; },
        [](Plan& p) { p.find("spring")->params["frequency"] = 1.0; },
        [](Plan& p) { p.find("spring")->follows["damping"] = "phase"; },
        [](Plan& p) { p.find("apart")->isSkipped = true; },
    };
    std::set<std::vector<std::uint64_t>> prints{first};
    for (const auto& edit : edits) {
      Plan other = plan;
      edit(other);
      const auto warm = printAt(other, 12, files, "spring");
      QVERIFY(warm == printAt(other, 12, demoFiles(), "spring"));
      QVERIFY(prints.insert(warm).second);  // and it is another one each time
    }
    plan.find("spring")->title = "Otherwise called";
    QVERIFY(printAt(plan, 12, files, "spring") == first);
  }

  void whatFailedBeforeIsTold() {
    Plan plan = swingingPlan();
    // A frame at which the size is beyond what it can be.
    setKey(plan.find("bigger")->keys["size.1"], {10, -5e6, Easing::Held});
    setKey(plan.find("bigger")->keys["size.1"], {11, 2.0, Easing::Held});
    const auto files = demoFiles();
    QCOMPARE(static_cast<int>(evaluatedAt(plan, 9, files).reports.at("spring").state),
             static_cast<int>(NodeState::Done));
    const Evaluation e = evaluatedAt(plan, 14, files);
    const NodeReport& report = e.reports.at("spring");
    QCOMPARE(static_cast<int>(report.state), static_cast<int>(NodeState::Failed));
    QVERIFY2(report.problems.front().message.find("at frame 10") == 0, report.problems.front().message.c_str());
  }

  /// Where more room is wanted all of a sudden, all slide there no faster than the pace, and end where they would be
  /// without.
  void whoMakesRoomSlides() {
    Plan plan = crowdedPlan();
    plan.settings.time = PlanTime{1, 60, 24};
    Node& sow = *plan.find("sow");
    sow.params["density"] = 1.5;
    plan.find("apart")->isSkipped = true;
    Node room = node("room", "make-room",
                     {{"by", std::string("spacing")}, {"spacing", 0.2}, {"most", 0.4}, {"slides", true}, {"pace", 0.5}},
                     {{"points", "apart"}});
    room.inputs.at("points").front().output = findNodeKind("clearance")->outputs.front().id;
    setKey(room.keys["spacing"], {1, 0.2, Easing::Held});
    setKey(room.keys["spacing"], {5, 0.9, Easing::Held});
    plan.nodes.push_back(room);
    Plan without = plan;
    without.find("room")->params["slides"] = false;
    const auto files = demoFiles();
    const auto at = [&](const Plan& p, double frame) {
      return evaluatedAt(p, frame, files).firstOf<PointsPtr>("room");
    };
    float longest = 0;
    PointsPtr before = at(plan, 4);
    QVERIFY(!findDifference(*before, *at(without, 4)));
    QVERIFY(findDifference(*at(plan, 5), *at(without, 5)));  // there it would jump
    for (int frame = 5; frame <= 40; ++frame) {
      const PointsPtr now = at(plan, frame);
      QCOMPARE(now->count, before->count);
      for (std::size_t i = 0; i < now->count; ++i)
        longest = std::max(longest, glm::distance(now->position[i], before->position[i]));
      before = now;
    }
    QVERIFY2(longest > 0.01F && longest <= 0.5F / 24 + 1e-4F, qPrintable(QString::number(longest)));
    const PointsPtr end = at(without, 40);
    for (std::size_t i = 0; i < end->count; ++i) QVERIFY(glm::distance(end->position[i], before->position[i]) < 1e-4F);
  }

  /// A separation that grows at once: members slide to where it wants them, all of them, and none jumps or goes.
  void clumpsSlideApart() {
    Plan plan = crowdedPlan();
    plan.settings.time = PlanTime{1, 60, 24};
    plan.find("sow")->params["density"] = 0.05;
    Node clumps = node("tufts", "clumps",
                       {{"crowded", std::string("slide")}, {"separation", 0.05}, {"pace", 0.4}, {"count", 15.0}},
                       {{"parents", "sow"}, {"ground", "ground"}});
    setKey(clumps.keys["separation"], {1, 0.05, Easing::Held});
    setKey(clumps.keys["separation"], {3, 0.4, Easing::Held});
    clumps.inputs.at("parents").front().output = "points";
    clumps.inputs.at("ground").front().output = "surface";
    plan.nodes.push_back(clumps);
    const auto files = demoFiles();
    const auto at = [&](double frame) { return evaluatedAt(plan, frame, files).firstOf<PointsPtr>("tufts"); };
    const auto nearOnes = [](const Points& p) {
      std::size_t near = 0;
      for (std::size_t i = 0; i < p.count; ++i)
        for (std::size_t k = 0; k < i; ++k) {
          const Vec3 apart = p.position[i] - p.position[k];
          near += std::hypot(apart.x, apart.z) < 0.25F && std::abs(apart.y) < 0.2F;
        }
      return near;
    };
    PointsPtr before = at(2);
    QVERIFY(before && before->count > 100);
    const std::size_t crowded = nearOnes(*before);
    float longest = 0;
    for (int frame = 3; frame <= 50; ++frame) {
      const PointsPtr now = at(frame);
      QCOMPARE(now->count, before->count);
      for (std::size_t i = 0; i < now->count; ++i) {
        QCOMPARE(now->id[i], before->id[i]);
        Vec3 step = now->position[i] - before->position[i];
        step.y = 0;
        longest = std::max(longest, glm::length(step));
      }
      before = now;
    }
    QVERIFY2(longest > 0.01F && longest <= 0.4F / 24 + 1e-4F, qPrintable(QString::number(longest)));
    QVERIFY2(nearOnes(*before) * 4 < crowded, qPrintable(QString::number(nearOnes(*before))));
    // Which frame is opened first does not matter.
    QVERIFY(!findDifference(*before, *evaluatedAt(plan, 50, demoFiles()).firstOf<PointsPtr>("tufts")));
    // Without, some go at once.
    plan.find("tufts")->params["crowded"] = std::string("go");
    QVERIFY(at(3)->count < at(2)->count);
  }

  /// What lies a million frames away is not worked out, and told.
  void framesFarAwayAreTold() {
    for (const double frame : {3e6, 1e18, 1e300}) {
      const Evaluation e = evaluatedAt(swingingPlan(), frame, demoFiles());
      const NodeReport& report = e.reports.at("spring");
      QVERIFY(report.state == NodeState::Failed && !report.problems.empty());
      QVERIFY2(report.problems.front().message.find("after the first one") != std::string::npos,
               report.problems.front().message.c_str());
    }
  }

  void aPlanWithoutTimeRests() {
    Plan plan = swingingPlan();
    plan.settings.time.reset();
    const Evaluation e = evaluatedAt(plan, 8, demoFiles());
    QVERIFY(fingerprint(e.values.at("spring")) == fingerprint(e.values.at("bigger")));
    const NodeReport& report = e.reports.at("spring");
    QVERIFY(!report.problems.empty() && report.problems.front().message.find("no time") != std::string::npos);
  }

  // --- whole plans ---------------------------------------------------------------------------

  /// The examples that move: nothing fails, no order of frames matters, nothing flickers, ids live on.
  void examplesPlay_data() {
    QTest::addColumn<QString>("name");
    QTest::newRow("tide") << "tide";
    QTest::newRow("regatta") << "regatta";
    QTest::newRow("swell") << "swell";
  }
  void examplesPlay() {
    QFETCH(QString, name);
    const QString path = sourcePath(qPrintable(QStringLiteral("demo/examples/%1.arvesk").arg(name)));
    const auto plan = loadPlan(path.toStdString());
    QVERIFY2(plan, plan ? "" : toLine(plan.error()).c_str());
    const auto filesOf = [] { return std::make_shared<DiskFileService>(sourcePath("demo/examples").toStdString()); };
    const auto files = filesOf();
    OverFrames over;
    std::map<int, std::map<std::string, std::vector<std::uint64_t>>> prints;
    const auto printsOf = [](const Evaluation& e) {
      std::map<std::string, std::vector<std::uint64_t>> out;
      for (const Node& node : e.opened->plan.nodes)
        if (node.kind == "output")
          if (const auto it = e.values.find(node.uid); it != e.values.end()) out[node.uid] = fingerprint(it->second);
      return out;
    };
    for (int frame = 20; frame <= 50; ++frame) {
      const Evaluation e = evaluatedAt(*plan, frame, files, Quality::Draft);
      QVERIFY(e.opened->problems.empty());
      for (const auto& [uid, report] : e.reports)
        QVERIFY2(report.state == NodeState::Done,
                 qPrintable(QString("%1 at %2").arg(QString::fromStdString(uid)).arg(frame)));
      std::vector<ExportLayer> layers;
      for (const Node& node : e.opened->plan.nodes)
        if (const PointsPtr points = node.kind == "output" ? e.firstOf<PointsPtr>(node.uid) : nullptr)
          layers.push_back({node.title, points, nullptr});
      QVERIFY(layers.size() >= 3);
      over.add(frame, layers, 1e9F, {});
      if (frame % 10 == 0) prints[frame] = printsOf(e);
    }
    QCOMPARE(over.flickerCount(), std::size_t{0});
    QVERIFY(!over.steps().empty());
    // Each of three frames alone, in another order, with nothing known.
    for (const int frame : {50, 20, 30}) {
      const Evaluation alone = evaluatedAt(*plan, frame, filesOf(), Quality::Draft);
      QVERIFY2(printsOf(alone) == prints.at(frame), qPrintable(QString::number(frame)));
    }
  }

  // --- Timing ----------------------------------------------------------------------------------

  void eachHasItsOwnTime() {
    // By hand: 10 m at a spread of 40 frames over 20 m is 20 frames late.
    const PointsPtr points = rowOf(30);
    test::Bench bench;
    ParamMap params{{"place", std::vector<double>{0, 0, 0}},
                    {"reach", 20.0},
                    {"begins", 5.0},
                    {"spread", 40.0},
                    {"takes", std::vector<double>{10, 10}},
                    {"ease", std::string("even")},
                    {"from", std::vector<double>{0, -2, 0}}};
    for (const double frame : {1.0, 5.0, 10.0, 27.5, 80.0}) {
      bench.ctx.now.frame = frame;
      const PointsPtr out = bench.points("timing", inputs({{"points", points}}), params);
      const auto* progress = columnOf<Column<float>>(out->attributes, "progress");
      QVERIFY(progress);
      for (std::size_t i = 0; i < 30; ++i) {
        const double expected = std::clamp((frame - (5 + static_cast<double>(i) / 20 * 40)) / 10, 0.0, 1.0);
        QVERIFY(within(static_cast<double>((*progress)[i]), expected, 1e-5));
        QVERIFY(within(static_cast<double>(out->position[i].y), -2 * (1 - expected), 1e-4));
        QVERIFY(within(static_cast<double>(out->size[i].x), std::max(expected, 1e-4), 1e-5));
        QCOMPARE(out->isGone(i), expected == 0);
      }
    }
    // Whoever is there, and in whatever order: a point's time is its own.
    bench.ctx.now.frame = 30;
    for (const char* by : {"place", "number", "mask", "chance"}) {
      params["by"] = std::string(by);
      params["number"] = std::string("x");
      params["values"] = std::vector<double>{0, 30};
      const Inputs all = inputs({{"points", points}, {"mask", rampMask(12)}});
      const PointsPtr whole = bench.points("timing", all, params);
      Array<std::uint32_t> some;
      for (const std::uint32_t i : {20U, 3U, 11U}) some.push_back(i);
      const PointsPtr few = bench.points(
          "timing",
          inputs({{"points", std::make_shared<const Points>(gathered(*points, some))}, {"mask", rampMask(12)}}),
          params);
      QVERIFY2(!findDifference(gathered(*whole, some), *few), by);
    }
  }

  void whatGoesIsWhatComesBackward() {
    const PointsPtr points = rowOf(20);
    test::Bench bench;
    const ParamMap params{{"takes", std::vector<double>{7, 30}}, {"ease", std::string("even")}};
    ParamMap goes = params;
    goes["does"] = std::string("goes");
    const PointsPtr come = bench.points("timing", inputs({{"points", points}}), params);
    const PointsPtr go = bench.points("timing", inputs({{"points", points}}), goes);
    for (std::size_t i = 0; i < 20; ++i) QVERIFY(within(static_cast<double>(come->size[i].x + go->size[i].x), 1, 3e-4));
  }

  void sizeNothingIsNotThere() {
    // Output leaves out what is gone, and keeps it on wish.
    const PointsPtr points = rowOf(30);
    test::Bench bench;
    bench.ctx.now.frame = 20;
    const PointsPtr timed = bench.points("timing", inputs({{"points", points}}), {{"spread", 40.0}});
    std::size_t there = 0;
    for (std::size_t i = 0; i < 30; ++i) there += !timed->isGone(i);
    QVERIFY(there > 3 && there < 27);
    QCOMPARE(bench.points("output", inputs({{"points", timed}}))->count, there);
    QCOMPARE(bench.points("output", inputs({{"points", timed}}), {{"keep_gone", true}})->count, std::size_t{30});
    // A factor of 0 makes anything gone, large or mirrored.
    Points large = *points;
    large.size = Column<Vec3>(Vec3(-500, 500, 500));
    const PointsPtr sized = bench.points(
        "size-by-mask",
        inputs({{"points", std::make_shared<const Points>(std::move(large))}, {"mask", rampMask(1000)}}),
        {{"size", std::vector<double>{0, 0}}});
    for (std::size_t i = 0; i < 30; ++i) QVERIFY(sized->isGone(i) && sized->size[i].x < 0);
  }

  // --- Travel ----------------------------------------------------------------------------------

  void waysOverAPlaneAreStraight() {
    // On a slope of 30° the way along the ground is the distance, whatever the heading.
    const SurfacePtr plane = leaning(60, 30);
    Array<Vec3> position;
    Array<std::uint64_t> id;
    for (int i = 0; i < 8; ++i) {
      position.push_back(Vec3(static_cast<float>(i) - 4, 0, static_cast<float>(i % 3)));
      id.push_back(static_cast<std::uint64_t>(i) + 1);
    }
    Points raw;
    raw.count = position.size();
    raw.position = std::move(position);
    raw.id = std::move(id);
    test::Bench bench;
    const PointsPtr points = bench.points(
        "set-down", inputs({{"points", std::make_shared<const Points>(std::move(raw))}, {"ground", plane}}));
    for (const char* way : {"heading", "front", "downhill"})
      for (const double heading : {0.0, 73.0, 200.0}) {
        const PointsPtr out = bench.points(
            "travel", inputs({{"points", points}, {"ground", plane}}),
            {{"way", std::string(way)}, {"heading", heading}, {"distance", 3.3}, {"step", 0.4}});
        QCOMPARE(out->count, points->count);
        for (std::size_t i = 0; i < out->count; ++i) {
          QVERIFY(within(static_cast<double>(glm::distance(out->position[i], points->position[i])), 3.3, 2e-3));
          if (QLatin1String(way) == "downhill") QVERIFY(out->position[i].y < points->position[i].y - 1.6F);
        }
      }
  }

  void aLongerWayBeginsWithTheShorterOne() {
    // In small steps of distance nothing jumps, and all stay on the ground, whichever way they go.
    test::Bench bench;
    Array<std::uint32_t> some;
    for (std::uint32_t i = 0; i < pointsOnGround()->count; i += 40) some.push_back(i);
    const auto points = std::make_shared<const Points>(gathered(*pointsOnGround(), some));
    const auto index = SurfaceIndex::of(*ground());
    for (const char* way : {"heading", "front", "downhill"}) {
      std::map<std::uint64_t, Vec3> before;
      for (double distance = 0; distance <= 4; distance += 0.1) {
        const PointsPtr out = bench.points("travel", inputs({{"points", points}, {"ground", ground()}}),
                                           {{"way", std::string(way)}, {"distance", distance}});
        QCOMPARE(out->count, points->count);
        for (std::size_t i = 0; i < out->count; ++i) {
          const auto under = groundUnder(*ground(), **index, out->position[i]);
          QVERIFY(!under || glm::distance(under->position, out->position[i]) < 0.02F);
          if (const auto it = before.find(out->id[i]); it != before.end()) {
            const float step = glm::distance(it->second, out->position[i]);
            QVERIFY2(step < 0.2F, qPrintable(QString("%1 at %2 m: %3 m").arg(way).arg(distance).arg(step)));
            if (QLatin1String(way) == "downhill")
              QVERIFY2(out->position[i].y <= it->second.y + 0.01F,
                       qPrintable(QString::number(out->position[i].y - it->second.y)));
          }
          before[out->id[i]] = out->position[i];
        }
      }
    }
  }

  void endsAreAsWished() {
    const SurfacePtr plane = leaning(20, 0);
    float edge = 0;
    for (const Vec3& p : plane->positions) edge = std::max(edge, p.x);
    test::Bench bench;
    const PointsPtr points = bench.points("set-down", inputs({{"points", rowOf(4)}, {"ground", plane}}));
    const Inputs in = inputs({{"points", points}, {"ground", plane}});
    const double beyond = static_cast<double>(edge) + 1;
    const auto gone = [&](const char* end, double distance) {
      return bench.run("travel", in, {{"distance", distance}, {"at_end", std::string(end)}});
    };
    const auto stopped = gone("stops", beyond);
    const PointsPtr there = std::get<PointsPtr>(stopped->front());
    QCOMPARE(there->count, std::size_t{4});
    for (std::size_t i = 0; i < 4; ++i) QVERIFY(there->position[i].x > edge - 0.3F);
    const auto left = gone("left-out", beyond);
    QCOMPARE(std::get<PointsPtr>(left->front())->count, std::size_t{0});
    QCOMPARE(std::get<PointsPtr>((*left)[1])->count, std::size_t{4});
    const auto again = gone("begins-again", beyond);
    const PointsPtr round = std::get<PointsPtr>(again->front());
    for (std::size_t i = 0; i < 4; ++i) {
      const float length = there->position[i].x - points->position[i].x;
      const float expected = points->position[i].x + static_cast<float>(std::fmod(beyond, static_cast<double>(length)));
      QVERIFY(within(static_cast<double>(round->position[i].x), static_cast<double>(expected), 0.02));
    }
  }

  void linesAreFollowed() {
    // Around a corner; two strands, each for those that are nearest to it.
    Points line;
    line.position = Array<Vec3>{Vec3(0, 0, 0), Vec3(4, 0, 0), Vec3(4, 0, 4), Vec3(0, 10, 0), Vec3(8, 10, 0)};
    line.count = 5;
    line.id = Array<std::uint64_t>{1, 2, 3, 4, 5};
    line.attributes["along"] = Column<float>(Array<float>{0, 0.5F, 1, 0, 1});
    Points raw;
    raw.position = Array<Vec3>{Vec3(3, 0.5F, 0), Vec3(2, 9, 1)};
    raw.count = 2;
    raw.id = Array<std::uint64_t>{1, 2};
    test::Bench bench;
    const Inputs in = inputs(
        {{"points", std::make_shared<const Points>(raw)}, {"line", std::make_shared<const Points>(line)}});
    const auto place = [&](double distance, const char* end, std::size_t i) {
      const PointsPtr out = bench.points(
          "travel", in, {{"way", std::string("line")}, {"distance", distance}, {"at_end", std::string(end)}});
      return i < out->count ? out->position[i] : Vec3(-1);
    };
    QVERIFY(glm::distance(place(3, "stops", 0), Vec3(4, 0.5F, 2)) < 1e-4F);
    QVERIFY(glm::distance(place(30, "stops", 0), Vec3(4, 0.5F, 4)) < 1e-4F);
    QVERIFY(glm::distance(place(7, "begins-again", 0), Vec3(2, 0.5F, 0)) < 1e-4F);
    QVERIFY(glm::distance(place(3, "stops", 1), Vec3(5, 9, 1)) < 1e-4F);
    QVERIFY(glm::distance(place(-1, "stops", 1), Vec3(1, 9, 1)) < 1e-4F);
    QCOMPARE(place(6.5, "left-out", 0), Vec3(-1));
  }
};

QTEST_GUILESS_MAIN(TestTimeNodes)
#include "tst_time_nodes.moc"
