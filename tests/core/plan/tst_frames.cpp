// Time: keys and formulas of it set every sort of parameter; frames come out the same in any order, and nothing
// reshuffles from one to the next.
#include "core/formats/plan_file.h"
#include "core/plan/dials.h"
#include "core/plan/key_edits.h"
#include "core/plan/making_sub_plan.h"
#include "core/plan/set_param.h"
#include "tests/support/plans.h"

#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

Keys keysOf(std::vector<Key> list, Beyond before = Beyond::Hold, Beyond after = Beyond::Hold) {
  Keys keys{{}, before, after};
  for (Key& key : list) setKey(keys, std::move(key));
  return keys;
}
double numberAt(const Keys& keys, double frame) { return std::get<double>(valueAt(keys, frame)); }

Node nodeAt(Plan plan, const std::string& uid, double frame, Quality quality = Quality::Final) {
  plan.frame = frame;
  followDials(plan, quality);
  return *plan.find(uid);
}

Evaluation evaluatedAt(Plan plan, double frame, const std::shared_ptr<DiskFileService>& files,
                       Quality quality = Quality::Final) {
  plan.frame = frame;
  EvalRequest request;
  request.quality = quality;
  return Evaluator(files).evaluate(plan, request);
}

std::map<std::string, std::vector<std::uint64_t>> printsOf(const Evaluation& e) {
  std::map<std::string, std::vector<std::uint64_t>> out;
  for (const auto& [uid, values] : e.values) out[uid] = fingerprint(values);
  return out;
}

std::map<std::uint64_t, Vec3> placesOf(const PointsPtr& points) {
  std::map<std::uint64_t, Vec3> out;
  for (std::size_t i = 0; points && i < points->count; ++i) out[points->id[i]] = points->position[i];
  return out;
}

std::shared_ptr<DiskFileService> demoFiles() {
  return std::make_shared<DiskFileService>(sourcePath("demo/tern-cove").toStdString());
}

/// The crowd grows, its ground's limit and its clearance move.
Plan movingPlan() {
  Plan plan = crowdedPlan();
  plan.settings.time = PlanTime{1, 24, 24};
  plan.find("sow")->keys["density"] = keysOf({{1, 1.0, Easing::Even}, {24, 4.0}});
  plan.find("apart")->follows["factor"] = "0.8 + 0.4 * phase";
  return plan;
}

}  // namespace

class TestFrames : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void easingsAreAsTheyAreCalled() {
    QCOMPARE(eased({1, 0.0, Easing::Even}, 0.25), 0.25);
    QCOMPARE(eased({1, 0.0, Easing::Soft}, 0.25), 0.15625);  // 3/16 − 2/64
    QCOMPARE(eased({1, 0.0, Easing::Held}, 0.999), 0.0);
    for (double t = 0; t <= 1; t += 0.0625) {
      QVERIFY(within(eased({1, 0.0, Easing::Free, 1, 1}, t), t, 1e-12));
      QVERIFY(within(eased({1, 0.0, Easing::Free, 0, 0}, t), eased({1, 0.0, Easing::Soft}, t), 1e-12));
    }
    constexpr double h = 1e-6;
    for (const double leaves : {-1.0, 0.0, 2.5})
      for (const double reaches : {0.0, 1.5, 4.0}) {
        const Key key{1, 0.0, Easing::Free, leaves, reaches};
        QVERIFY(within(eased(key, h) / h, leaves, 1e-4));
        QVERIFY(within((1 - eased(key, 1 - h)) / h, reaches, 1e-4));
      }
  }

  void valuesBetweenAndBeyondKeys() {
    const std::vector<Key> list{{10, 2.0, Easing::Even}, {20, 4.0, Easing::Held}, {30, 0.1 + 0.2, Easing::Even}};
    const Keys held = keysOf(list);
    QCOMPARE(numberAt(held, -100), 2.0);
    QCOMPARE(numberAt(held, 15), 3.0);
    QCOMPARE(numberAt(held, 29.5), 4.0);
    QVERIFY(numberAt(held, 30) == 0.1 + 0.2 && numberAt(held, 900) == 0.1 + 0.2);  // to the bit
    const Keys loop = keysOf(list, Beyond::Loop, Beyond::Loop);
    const Keys mirror = keysOf(list, Beyond::Mirror, Beyond::Mirror);
    for (double f = 10.25; f < 30; f += 0.75)
      for (const int round : {-3, -1, 1, 4}) {
        QVERIFY(within(numberAt(loop, f + 20 * round), numberAt(held, f), 1e-9));
        QVERIFY(within(numberAt(mirror, f + 40 * round), numberAt(held, f), 1e-9));
        QVERIFY(within(numberAt(mirror, 60 - f), numberAt(held, f), 1e-9));
      }
    QCOMPARE(numberAt(keysOf({{5, 7.0}}, Beyond::Loop, Beyond::Mirror), 33), 7.0);
    // A key of the same frame gives way, whatever order they come in.
    QCOMPARE(keysOf({{3, 1.0}, {1, 2.0}, {3, 5.0}}).list.size(), std::size_t{2});
    QCOMPARE(numberAt(keysOf({{3, 1.0}, {1, 2.0}, {3, 5.0}}), 3), 5.0);
    // What cannot be mixed stays until the next key.
    const Keys texts = keysOf({{1, std::string("ball")}, {3, std::string("box")}});
    QVERIFY(std::get<std::string>(valueAt(texts, 2.9)) == "ball" && std::get<std::string>(valueAt(texts, 3)) == "box");
    const Keys uneven = keysOf({{1, std::vector<double>{1, 2}}, {3, std::vector<double>{1, 2, 3}}});
    QCOMPARE(std::get<std::vector<double>>(valueAt(uneven, 2)).size(), std::size_t{2});
  }

  /// Over all ways and places: no key is lost but one that gives way, values stay who they are, and what is stretched
  /// keeps its shares.
  void movedKeysKeepTheirOrder() {
    const Keys keys = keysOf({{1, 1.0}, {5, 2.0}, {9, 3.0}, {21, 4.0}});
    const auto framesAfter = [&](double from, double to, KeyMove how) {
      return framesOf({{"x", movedKeys(keys, from, to, how)}});
    };
    using Frames = std::vector<double>;
    QCOMPARE(framesAfter(5, 7, KeyMove::One), (Frames{1, 7, 9, 21}));
    QCOMPARE(framesAfter(5, 15, KeyMove::One), (Frames{1, 9, 15, 21}));
    QCOMPARE(framesAfter(5, 9, KeyMove::One), (Frames{1, 9, 21}));
    QCOMPARE(numberAt(movedKeys(keys, 5, 9, KeyMove::One), 9), 2.0);
    QCOMPARE(framesAfter(5, 30, KeyMove::Copy), (Frames{1, 5, 9, 21, 30}));
    QCOMPARE(framesAfter(5, 8, KeyMove::Along), (Frames{1, 8, 12, 24}));
    QCOMPARE(framesAfter(5, -40, KeyMove::Along), (Frames{1, 2, 6, 18}));
    QCOMPARE(framesAfter(21, 41, KeyMove::Stretch), (Frames{1, 9, 17, 41}));
    QCOMPARE(framesAfter(9, 5, KeyMove::Stretch), (Frames{1, 3, 5, 11}));
    QCOMPARE(framesAfter(4, 5, KeyMove::One), (Frames{1, 5, 9, 21}));
    for (const double from : {1.0, 5.0, 9.0, 21.0})
      for (double to = -30; to < 40; to += 1)
        for (const KeyMove how : {KeyMove::Along, KeyMove::Stretch}) {
          const Keys moved = movedKeys(keys, from, to, how);
          QCOMPARE(moved.list.size(), keys.list.size());
          for (std::size_t i = 0; i < moved.list.size(); ++i) {
            QVERIFY(moved.list[i].value == keys.list[i].value);
            QVERIFY(i == 0 || moved.list[i].frame >= moved.list[i - 1].frame + 1 - 1e-9);
          }
        }
  }

  /// Setting a value takes no easing away: the way there and on stays what it was.
  void aKeyThatIsPutBetweenChangesNothing() {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> slopes(-2, 4);
    for (const Easing easing : {Easing::Held, Easing::Even, Easing::Soft, Easing::Free})
      for (int round = 0; round < 20; ++round) {
        const Keys keys = keysOf({{2, 5.0, easing, slopes(random), slopes(random)},
                                  {14, -3.0, easing, slopes(random), slopes(random)},
                                  {30, 4.0}});
        const double at = 3 + round * 1.3;
        const Keys split = splitAt(keys, at);
        QCOMPARE(split.list.size(), std::size_t{4});
        for (double frame = 2; frame <= 30; frame += 0.37)
          QVERIFY2(within(numberAt(split, frame), numberAt(keys, frame), 1e-9),
                   qPrintable(QString("%1 at %2").arg(at).arg(frame)));
      }
    QVERIFY(splitAt(keysOf({{2, 5.0}, {4, 6.0}}), 4) == keysOf({{2, 5.0}, {4, 6.0}}));
  }

  void settingAValueKeepsTheEasing() {
    Keys keys = keysOf({{1, 1.0, Easing::Even}, {9, 3.0, Easing::Held}, {21, 4.0}});
    setValueAt(keys, 9, 5.0);
    QVERIFY(keys.list[1].easing == Easing::Held && keys.list[1].value == ParamValue(5.0));
    setValueAt(keys, 5, 2.0);
    QVERIFY(keys.list.size() == 4 && keys.list[1].easing == Easing::Even && keys.list[0].easing == Easing::Even);
    setValueAt(keys, -3, 2.0);
    QVERIFY(keys.list.front().frame == -3 && keys.list.front().easing == Easing::Soft);
  }

  void everySortOfParameterMoves() {
    Plan plan = planOf({node("sow", "sow-on-surface"), node("place", "region"), node("vary", "vary"),
                        node("hit", "hit"), node("slope", "slope")});
    plan.settings.time = PlanTime{1, 48, 24};
    plan.find("sow")->keys["total"] = keysOf({{1, 10.0, Easing::Even}, {11, 20.0}});
    plan.find("sow")->follows["footprint"] = "0.1 + seconds + phase";
    plan.find("place")->keys["center"] = keysOf(
        {{1, std::vector<double>{0, 0, 0}, Easing::Even}, {11, std::vector<double>{10, 20, -30}}});
    plan.find("place")->keys["extent.1"] = keysOf({{1, 1.0, Easing::Even}, {11, 3.0}});
    plan.find("place")->keys["shape"] = keysOf({{1, std::string("ball")}, {6, std::string("box")}});
    plan.find("hit")->keys["laid"] = keysOf({{1, true}, {6, false}});
    plan.find("hit")->keys["away"] = keysOf(
        {{1, std::vector<double>{0, 1}, Easing::Even}, {11, std::vector<double>{1, 3}}});
    const auto number = [&](const char* uid, const char* id, double frame) {
      return std::get<double>(nodeAt(plan, uid, frame).params.at(id));
    };
    const auto list = [&](const char* uid, const char* id, double frame) {
      return std::get<std::vector<double>>(nodeAt(plan, uid, frame).params.at(id));
    };
    QCOMPARE(number("sow", "total", 6.4), 15.0);  // whole numbers stay whole
    QVERIFY(within(number("sow", "footprint", 13), 0.1 + 0.5 + 0.25, 1e-12));
    QCOMPARE(list("place", "center", 6), (std::vector<double>{5, 10, -15}));
    const std::vector<double> extent = list("place", "extent", 6);
    QVERIFY(extent[1] == 2 && extent[0] == std::get<std::vector<double>>(
                                               kindOf(*plan.find("place"))->findParam("extent")->defaultValue)[0]);
    QCOMPARE(std::get<std::string>(nodeAt(plan, "place", 5.9).params.at("shape")), std::string("ball"));
    QCOMPARE(std::get<std::string>(nodeAt(plan, "place", 6).params.at("shape")), std::string("box"));
    QVERIFY(std::get<bool>(nodeAt(plan, "hit", 3).params.at("laid")) &&
            !std::get<bool>(nodeAt(plan, "hit", 7).params.at("laid")));
    QCOMPARE(list("hit", "away", 6), (std::vector<double>{0.5, 2}));
    // Dials move too, in both qualities, and their name comes before that of time.
    plan.dials = {{"d", "wide", 1, 2, {}, keysOf({{1, 3.0, Easing::Even}, {11, 5.0}})}, {"e", "frame", 7, 7, {}}};
    plan.find("sow")->follows["footprint"] = "wide + frame";
    for (const Quality quality : {Quality::Draft, Quality::Final})
      QCOMPARE(std::get<double>(nodeAt(plan, "sow", 6, quality).params.at("footprint")), 11.0);
    QVERIFY(!faultOfDialName(plan, "seconds", "").empty());
    // A plan without time stands at its first frame; one that says none begins where its time does.
    plan.settings.time = PlanTime{6, 9, 24};
    QVERIFY(momentOf(plan).frame == 6 && momentOf(plan).seconds == 0 && momentOf(plan).phase == 0);
    plan.settings.time.reset();
    QVERIFY(momentOf(plan).frame == 1);
  }

  /// Controls at the front have keys as parameters do; inside, time is that of the plan. Taken apart, it all moves on.
  /// Water, sun and haze of the plan; what cannot be worked out is told and keeps its own value.
  void settingsFollowTime() {
    Plan plan = movingPlan();
    plan.settings.hasWater = true;
    plan.settings.follows = {{"water_level", "frame / 2"}, {"sun_heading", "phase * 240"}};
    plan.frame = 13;
    const OpenedPlan opened = openPlan(plan, Quality::Final);
    QVERIFY(opened.problems.empty());
    QCOMPARE(opened.plan.settings.waterLevel, 6.5);
    QCOMPARE(opened.plan.settings.sunHeadingDeg, 120.0);
    const auto read = parsePlan(formatPlan(plan), "here");
    QVERIFY(read && read->settings.follows == plan.settings.follows);
    plan.settings.follows = {{"water_level", "tides"}, {"sun_height", "200"}, {"rain", "1"}};
    const OpenedPlan wrong = openPlan(plan, Quality::Final);
    QCOMPARE(wrong.problems.size(), std::size_t{3});
    QCOMPARE(wrong.plan.settings.waterLevel, plan.settings.waterLevel);
    QCOMPARE(wrong.plan.settings.sunHeightDeg, plan.settings.sunHeightDeg);
  }

  void subPlansMove() {
    Plan plan = movingPlan();
    const Plan before = plan;
    const auto made = makeSubPlan(plan, {"sow", "apart"}, "Crowd");
    QVERIFY(made);
    for (const double frame : {1.0, 9.0, 24.0})
      QCOMPARE(fingerprint(evaluatedAt(plan, frame, demoFiles()).values.at("out")),
               fingerprint(evaluatedAt(before, frame, demoFiles()).values.at("out")));
    SubPlan& definition = *plan.findSubPlan(made->subPlan);
    FrontControl control;
    control.id = control.label = "room";
    control.usual = 0.3;
    definition.fronts.push_back(control);
    for (Node& inner : definition.nodes)
      if (inner.uid == "sow") inner.follows["footprint"] = "room";
    fitSubPlans(plan);
    plan.find(made->instance)->keys["room"] = keysOf({{1, 0.2, Easing::Even}, {21, 0.6}});
    const auto footprintAt = [&](const Plan& of, double frame) {
      const Evaluation e = evaluatedAt(of, frame, demoFiles());
      return e.firstOf<PointsPtr>("sow")->footprint[0];
    };
    QVERIFY(within(footprintAt(plan, 11), 0.4, 1e-6));
    // What follows them by a formula cannot have keys of its own: it says so, and does not stand still in silence.
    Plan scaled = plan;
    for (Node& inner : scaled.findSubPlan(made->subPlan)->nodes)
      if (inner.uid == "sow") inner.follows["footprint"] = "room * 2";
    takeApart(scaled, made->instance);
    QCOMPARE(evaluatedAt(scaled, 11, demoFiles()).reports.at("sow").state, NodeState::Failed);
    Plan apart = plan;
    takeApart(apart, made->instance);
    QVERIFY(!apart.find(made->instance) && apart.find("sow")->keys.contains("footprint"));
    QVERIFY(within(footprintAt(apart, 11), 0.4, 1e-6) && within(footprintAt(apart, 16), 0.5, 1e-6));
  }

  /// Whole plans, some of whose numbers move: frames in one order, with what is kept of the others, and in another.
  void anyOrderOfFramesGivesTheSame() {
    std::mt19937 random(19);
    std::size_t moved = 0;
    for (int p = 0; p < 2; ++p) {
      Plan plan = randomPlan(random);
      plan.settings.time = PlanTime{1, 20, 24};
      for (Node& n : plan.nodes)
        for (const ParamSpec& spec : kindOf(n)->params) {
          if (spec.type != ParamType::Number || random() % 3 == 0 || !n.params.contains(spec.id)) continue;
          const double now = std::get<double>(n.params.at(spec.id));
          const auto near = [&] {
            return std::clamp(now * (0.8 + 0.4 * static_cast<double>(random() % 100) / 100), spec.hardMin,
                              spec.hardMax);
          };
          n.keys[spec.id] = keysOf({{1, now, Easing::Soft}, {9, near(), Easing::Even}, {20, near()}});
        }
      std::vector<double> frames{1, 12.5, 20};
      std::map<double, std::map<std::string, std::vector<std::uint64_t>>> first;
      const auto kept = demoFiles();
      for (const double frame : frames) first[frame] = printsOf(evaluatedAt(plan, frame, kept, Quality::Draft));
      std::shuffle(frames.begin(), frames.end(), random);
      const auto other = demoFiles();
      for (const double frame : frames)
        QVERIFY(printsOf(evaluatedAt(plan, frame, other, Quality::Draft)) == first[frame]);
      for (const double frame : frames) moved += first[frame] != first[1] ? 1 : 0;
      // At its first frame the plan is what it is without time.
      Plan still = plan;
      still.settings.time.reset();
      for (Node& n : still.nodes) n.keys.clear();
      QVERIFY(printsOf(evaluatedAt(still, 1, demoFiles(), Quality::Draft)) == first[1]);
    }
    QVERIFY(moved >= 4);
  }

  /// More come one after the other, where they will stay.
  void nothingReshuffles() {
    Plan plan = movingPlan();
    plan.find("apart")->isSkipped = true;
    const auto files = demoFiles();
    std::map<std::uint64_t, Vec3> before;
    for (int frame = 1; frame <= 24; ++frame) {
      const auto now = placesOf(evaluatedAt(plan, frame, files).firstOf<PointsPtr>("out"));
      for (const auto& [id, place] : before) QVERIFY(now.contains(id) && now.at(id) == place);
      QVERIFY(now.size() > before.size());
      before = now;
    }
    QVERIFY(before.size() > 4000);
  }

  /// However many frames are gone through, what is kept stays within its limit, and the first frame comes out again as
  /// it was.
  void manyFramesStayWithinTheCache() {
    Plan plan = movingPlan();
    plan.settings.time = PlanTime{1, 500, 24};
    plan.find("sow")->keys["density"] = keysOf({{1, 0.2, Easing::Even}, {500, 1.0}});
    plan.nodes.push_back(node("spring", "overshoot", {}, {{"points", "apart"}}));
    plan.find("spring")->inputs.at("points").front().output = findNodeKind("clearance")->outputs.front().id;
    const auto files = demoFiles();
    EvalRequest request;
    request.limits.cacheBytes = std::size_t{3} << 20;
    const auto at = [&](double frame) {
      plan.frame = frame;
      const Evaluation e = Evaluator(files).evaluate(plan, request);
      return e.values.contains("spring") ? fingerprint(e.values.at("spring")) : std::vector<std::uint64_t>();
    };
    const auto first = at(1);
    std::size_t most = 0;
    std::size_t newest = 0;  // which stays, whatever its size
    for (int frame = 2; frame <= 500; ++frame) {
      const auto print = at(frame);
      QVERIFY(!print.empty());
      newest = std::max(newest, print.size() * sizeof(std::uint64_t));
      files->memory().trim();
      most = std::max(most, files->memory().bytes());
    }
    QVERIFY2(most <= request.limits.cacheBytes + newest, qPrintable(QString::number(most)));
    QVERIFY(most > request.limits.cacheBytes / 2);  // it was used
    QVERIFY(at(1) == first);
  }

  void whatIsWrongIsTold_data() {
    QTest::addColumn<QString>("id");
    QTest::addColumn<QString>("value");
    QTest::addColumn<QString>("told");
    QTest::newRow("no such parameter") << "thickness"
                                       << "1"
                                       << "\"thickness\" has keys, but there is no such parameter";
    QTest::newRow("a file") << "file"
                            << "\"a.png\""
                            << "cannot have keys";
    QTest::newRow("out of range") << "width"
                                  << "-3"
                                  << "at frame 5";
    QTest::newRow("of another sort") << "width"
                                     << "\"wide\""
                                     << "must be a number";
    QTest::newRow("one number of one") << "width.1"
                                       << "3"
                                       << "has one number only";
  }
  void whatIsWrongIsTold() {
    QFETCH(QString, id);
    QFETCH(QString, value);
    QFETCH(QString, told);
    const auto plan = parsePlan(
        QStringLiteral(R"({"format":"arvesk-plan","version":1,"nodes":[{"uid":"t","kind":"terrain","title":"Land",)"
                       R"("keys":{"%1":{"at":[{"frame":1,"value":%2},{"frame":9,"value":%2}]}}}]})")
            .arg(id, value)
            .toStdString(),
        "here");
    QVERIFY(plan);
    const Evaluation e = evaluatedAt(*plan, 5, demoFiles());
    const auto& problems = e.reports.at("t").problems;
    QVERIFY(!problems.empty());
    QVERIFY2(QString::fromStdString(problems.front().message).contains(told), problems.front().message.c_str());
    // Whoever shows the node has a value that can be.
    const Node& land = plan->nodes.front();
    QVERIFY(!sentenceOf(*plan, land, Quality::Final).empty());
    for (const ParamSpec& spec : kindOf(land)->params)
      QCOMPARE(faultOf(spec, nodeAt(*plan, "t", 5).value(spec)), std::string());
  }

  void keysAndAFormulaAreTold() {
    Plan plan = movingPlan();
    plan.find("sow")->follows["density"] = "2";
    const auto faults = followDials(plan, Quality::Final);
    QVERIFY(faults.contains("sow") && faults.at("sow").message.find("follows a formula too") != std::string::npos);
    QCOMPARE(std::get<double>(plan.find("sow")->params.at("density")), 2.0);
    QVERIFY(!setParamByText(plan, "apart.factor=2"));
    plan.find("sow")->follows.clear();
    const auto set = setParamByText(plan, "sow.density=2");
    QVERIFY(!set && set.error().message.find("has keys") != std::string::npos);
  }

  void filesKeepThem() {
    Plan plan = movingPlan();
    plan.find("sow")->keys["footprint"] = keysOf({{-2.5, 0.2, Easing::Free, 2, -1}, {7, 0.4, Easing::Held}, {9, 0.5}},
                                                 Beyond::Mirror, Beyond::Loop);
    plan.dials = {{"d", "wide", 1, 2, {}, keysOf({{1, 3.0}, {11, 5.0}})}};
    const auto back = parsePlan(formatPlan(plan), {});
    QVERIFY(back && back->origin.problems.empty());
    QVERIFY(back->nodes == plan.nodes && back->dials == plan.dials && back->settings.time == plan.settings.time);
    QCOMPARE(formatPlan(*back), formatPlan(plan));
    // Keys of one frame: the later one stands, and that is told.
    const auto twice = parsePlan(
        R"({"format":"arvesk-plan","version":1,"nodes":[{"uid":"n","kind":"vary","keys":{"tilt":{"at":[)"
        R"({"frame":4,"value":1},{"frame":4,"value":2},{"frame":5,"value":{}}]}}}]})",
        {});
    QVERIFY(twice && twice->nodes[0].keys.at("tilt").list.size() == 1);
    QCOMPARE(twice->origin.problems.size(), std::size_t{2});
  }
};

QTEST_GUILESS_MAIN(TestFrames)
#include "tst_frames.moc"
