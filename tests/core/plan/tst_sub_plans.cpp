// Sub-plans: what is made of nodes gives what the nodes gave, to the bit; instances are apart; what is inside is told,
// kept and edited as what lies side by side.
#include "core/formats/plan_file.h"
#include "core/plan/making_sub_plan.h"
#include "core/plan/set_param.h"
#include "tests/support/plans.h"

using namespace arvesk;
using namespace arvesk::test;

namespace {

constexpr const char* kFolder = "demo/tern-cove";

std::shared_ptr<DiskFileService> demoFiles() {
  return std::make_shared<DiskFileService>(sourcePath(kFolder).toStdString());
}

Evaluation evaluated(const Plan& plan, Quality quality, const std::shared_ptr<DiskFileService>& files) {
  EvalRequest request;
  request.quality = quality;
  return Evaluator(files).evaluate(plan, request);
}

std::map<std::string, std::vector<std::uint64_t>> printsOf(const Evaluation& e) {
  std::map<std::string, std::vector<std::uint64_t>> out;
  for (const Node& node : e.opened->plan.nodes)
    if (const auto it = e.values.find(node.uid); it != e.values.end()) out[node.uid] = fingerprint(it->second);
  return out;
}

std::vector<Node> byUid(std::vector<Node> nodes) {
  std::sort(nodes.begin(), nodes.end(), [](const Node& a, const Node& b) { return a.uid < b.uid; });
  return nodes;
}

/// A node and some of those that it takes from and that take from it, on and on.
std::vector<std::string> randomSelection(const Plan& plan, std::mt19937& random) {
  std::set<std::string> chosen{plan.nodes[random() % plan.nodes.size()].uid};
  const std::size_t wanted = 1 + random() % 8;
  for (int tries = 0; tries < 60 && chosen.size() < wanted; ++tries) {
    const Node& node = plan.nodes[random() % plan.nodes.size()];
    for (const auto& [id, links] : node.inputs)
      for (const Link& link : links)
        if (!link.isEmpty() && (chosen.contains(link.node) || chosen.contains(node.uid)))
          chosen.insert(chosen.contains(node.uid) ? link.node : node.uid);
  }
  return {chosen.begin(), chosen.end()};
}

/// Ground, a scatter that Clearance thins, dressed and delivered; "crowd" is what sow and apart became.
struct Crowd {
  Plan plan = crowdedPlan();
  std::string instance;
  std::string subPlan;
  Crowd() {
    const auto made = makeSubPlan(plan, {"sow", "apart"}, "Crowd");
    instance = made->instance;
    subPlan = made->subPlan;
  }
  SubPlan& definition() { return *plan.findSubPlan(subPlan); }
  Node& inner(const std::string& uid) { return *const_cast<Node*>(definition().find(uid)); }
  std::string way(const char* kind) const {
    for (const Node& node : plan.findSubPlan(subPlan)->nodes)
      if (node.kind == kind) return node.uid;
    return {};
  }
  /// Another instance beside the first, with an output of its own.
  std::string another(const std::string& uid) {
    Node second = *plan.find(instance);
    second.uid = uid;
    second.title = "Another crowd";
    second.inside.reset();
    plan.nodes.push_back(second);
    plan.nodes.push_back(node("out-" + uid, "output"));
    plan.nodes.back().inputs["points"] = {{uid, way(kWayOut), uid + "-slot"}};
    return uid;
  }
  void addFront(FrontControl control) {
    definition().fronts.push_back(std::move(control));
    fitSubPlans(plan);
  }
};

FrontControl numberFront(const std::string& id, double usual) {
  FrontControl control;
  control.id = control.label = id;
  control.usual = usual;
  return control;
}

std::set<std::uint64_t> idsOf(const PointsPtr& points) {
  std::set<std::uint64_t> ids;
  for (std::size_t i = 0; points && i < points->count; ++i) ids.insert(points->id[i]);
  return ids;
}

}  // namespace

class TestSubPlans : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// Random selections of random plans, in both qualities: nothing is worked out anew, what comes is the same to the
  /// bit in a process that knows nothing, a file keeps it, and taken apart the nodes are who they were.
  /// What is wrong inside of a sub-plan is told, whether something uses it or not.
  void faultsInsideAreTold() {
    Crowd crowd;
    QVERIFY(checkPlan(crowd.plan).empty());
    for (Node& inner : crowd.plan.findSubPlan(crowd.subPlan)->nodes)
      if (inner.uid == "sow") inner.params["density"] = -4.0;
    std::erase_if(crowd.plan.nodes, [](const Node& n) { return n.isInstance(); });
    const auto problems = checkPlan(crowd.plan);
    QVERIFY(std::any_of(problems.begin(), problems.end(), [](const Problem& p) {
      return p.where.starts_with("Crowd › ") && p.code == ProblemCode::BadParameter;
    }));
  }

  void makingAndTakingApartChangeNothing() {
    std::mt19937 random(17);
    int made = 0;
    int deepest = 0;
    for (int p = 0; p < 10; ++p) {
      Plan plan = randomPlan(random);
      plan.dials = {{"d", "wide", 0.5, 0.7, {}}};
      for (const char* sow : {"sow0", "sow1"})
        if (Node* n = plan.find(sow)) n->follows["footprint"] = "wide / 2 + 0.1";
      for (Node& n : plan.nodes) n.version = kindOf(n)->version;
      plan = *parsePlan(formatPlan(plan), {});  // as files have it
      plan.origin = {};
      const Plan before = plan;
      const auto files = demoFiles();
      const Evaluation draft = evaluated(plan, Quality::Draft, files);
      const Evaluation final = evaluated(plan, Quality::Final, files);
      std::vector<std::string> instances;
      for (int k = 0; k < 8; ++k) {
        const auto done = makeSubPlan(plan, randomSelection(plan, random), "Made");
        if (!done) {
          QCOMPARE(done.error().code, ProblemCode::Loop);
          continue;
        }
        instances.push_back(done->instance);
        ++made;
      }
      const auto reread = parsePlan(formatPlan(plan), "again");
      QVERIFY(reread && *reread == plan);
      QVERIFY2(checkPlan(*reread).empty(),
               checkPlan(*reread).empty() ? "" : toLine(checkPlan(*reread).front()).c_str());
      for (const Evaluation* first : {&draft, &final}) {
        const Quality quality = first == &draft ? Quality::Draft : Quality::Final;
        const Evaluation now = evaluated(*reread, quality, files);
        QCOMPARE(now.opened->plan.nodes.size(), before.nodes.size());
        for (const Node& node : now.opened->plan.nodes) {
          deepest = std::max(deepest,
                             static_cast<int>(QString::fromStdString(node.liesIn.titles).count(QChar(0x203a))));
          const NodeReport& report = now.reports.at(node.uid);
          QVERIFY2(report.isFromCache || report.state != NodeState::Done, node.uid.c_str());
          QCOMPARE(report.passed, first->reports.at(node.uid).passed);
        }
      }
      if (p % 4 == 0) QCOMPARE(printsOf(evaluated(*reread, Quality::Draft, demoFiles())), printsOf(draft));
      for (auto it = instances.rbegin(); it != instances.rend(); ++it)
        if (plan.find(*it)) QVERIFY(takeApart(plan, *it));
      tidyPlaces(plan);
      QVERIFY(plan.subPlans.empty());
      QVERIFY(byUid(plan.nodes) == byUid(before.nodes));
    }
    QVERIFY2(made > 10 && deepest > 0, qPrintable(QStringLiteral("%1 made, %2 deep").arg(made).arg(deepest)));
  }

  /// Everything that the demo and its examples have, one after the other.
  void shippedPlans_data() { committedPlans(); }
  void shippedPlans() {
    QFETCH(QString, file);
    auto plan = loadPlan(sourcePath(qPrintable(file)).toStdString());
    QVERIFY(plan);
    const Plan before = *plan;
    const auto files = std::make_shared<DiskFileService>(folderOf(file));
    const Evaluation first = evaluated(*plan, Quality::Draft, files);
    std::mt19937 random(3);
    std::vector<std::string> instances;
    for (int k = 0; k < 12; ++k)
      if (const auto done = makeSubPlan(*plan, randomSelection(*plan, random), "Made"))
        instances.push_back(done->instance);
    const Evaluation now = evaluated(*plan, Quality::Draft, files);
    for (const Node& node : now.opened->plan.nodes) {
      const NodeReport& report = now.reports.at(node.uid);
      QVERIFY2(report.isFromCache || report.state != NodeState::Done, node.uid.c_str());
    }
    for (auto it = instances.rbegin(); it != instances.rend(); ++it)
      if (plan->find(*it)) QVERIFY(takeApart(*plan, *it));
    tidyPlaces(*plan);
    QVERIFY(byUid(plan->nodes) == byUid(before.nodes));
  }

  void fiveDeepIsAsFlat() {
    Plan plan = crowdedPlan();
    const auto files = demoFiles();
    const auto flat = printsOf(evaluated(plan, Quality::Final, files));
    std::string inside = "sow";
    std::vector<std::string> instances;
    for (int deep = 0; deep < 5; ++deep) {
      const auto made = makeSubPlan(plan, {inside}, "Deep");
      QVERIFY(made);
      inside = made->instance;
      instances.push_back(inside);
    }
    const Evaluation e = evaluated(plan, Quality::Final, demoFiles());
    QCOMPARE(printsOf(e), flat);
    QCOMPARE(QString::fromStdString(e.opened->plan.find("sow")->where()),
             QStringLiteral("Deep › Deep 2 › Deep › Deep 2 › Deep › sow"));
    // One that is another use is five deep as well, and apart from the first.
    Node second = *plan.find(inside);
    second.uid = "second";
    second.inside.reset();
    plan.nodes.push_back(second);
    const Evaluation both = evaluated(plan, Quality::Final, files);
    const PointsPtr a = both.firstOf<PointsPtr>(inside);
    const PointsPtr b = both.firstOf<PointsPtr>("second");
    QVERIFY(a && b && a->count > 100 && b->count > 100);
    std::set<std::uint64_t> all = idsOf(a);
    all.merge(idsOf(b));
    QCOMPARE(all.size(), a->count + b->count);
  }

  /// No id and no draw is shared; what each is set to is its own; the definition is of both. Names and places change
  /// nothing.
  void instancesAreApart() {
    Crowd crowd;
    crowd.inner("apart").follows["gap"] = "gap";
    crowd.addFront(numberFront("gap", 0));
    crowd.another("b");
    const std::string a = crowd.instance;
    const auto files = demoFiles();
    const Evaluation first = evaluated(crowd.plan, Quality::Final, files);
    const auto print = [](const Evaluation& e, const std::string& uid) { return fingerprint(e.values.at(uid)); };
    std::set<std::uint64_t> all = idsOf(first.firstOf<PointsPtr>(a));
    all.merge(idsOf(first.firstOf<PointsPtr>("b")));
    QCOMPARE(all.size(), first.firstOf<PointsPtr>(a)->count + first.firstOf<PointsPtr>("b")->count);
    QVERIFY(first.firstOf<PointsPtr>(a)->position.values() != first.firstOf<PointsPtr>("b")->position.values());

    Plan renamed = crowd.plan;
    renamed.find("b")->title = "Otherwise";
    renamed.find("b")->x += 400;
    std::swap(renamed.nodes[0], renamed.nodes.back());
    const Evaluation same = evaluated(renamed, Quality::Final, files);
    for (const Node& node : same.opened->plan.nodes) QVERIFY(same.reports.at(node.uid).isFromCache);

    Plan set = crowd.plan;
    QVERIFY(setParamByText(set, "b.gap=0.3"));
    const Evaluation own = evaluated(set, Quality::Final, files);
    QVERIFY(print(own, a) == print(first, a) && print(own, "b") != print(first, "b"));
    QVERIFY(own.reports.at("b/sow").isFromCache && !own.reports.at("b/apart").isFromCache);  // only what depends on it

    Plan seeded = crowd.plan;
    seeded.find("b")->seed = 7;
    const Evaluation other = evaluated(seeded, Quality::Final, files);
    QVERIFY(print(other, a) == print(first, a) && print(other, "b") != print(first, "b"));
    // Taken apart it is what it was, under its seed too.
    QVERIFY(takeApart(seeded, "b"));
    QCOMPARE(fingerprint(evaluated(seeded, Quality::Final, demoFiles()).firstOf<PointsPtr>("b/apart")),
             fingerprint(other.firstOf<PointsPtr>("b")));

    crowd.inner("sow").params["density"] = 2.0;
    const Evaluation edited = evaluated(crowd.plan, Quality::Final, files);
    for (const std::string& uid : {a, std::string("b")})
      QVERIFY(edited.firstOf<PointsPtr>(uid)->count < first.firstOf<PointsPtr>(uid)->count);
  }

  /// Controls of every sort, as they are and by formulas; instances follow dials; files keep all of it.
  void controlsDriveParameters() {
    Crowd crowd;
    crowd.inner("sow").follows = {
        {"density", "much * 2"}, {"footprint", "room_2"}, {"way", "way"}, {"where_counts", "1"}};
    crowd.inner("sow").follows.erase("where_counts");
    crowd.inner("apart").follows = {{"gap", "room_1 + extra"}};
    FrontControl room = frontLike(ParamSpec(), "room", std::vector<double>{0.05, 0.25});
    room.type = ParamType::Range;
    room.label = "Room";
    FrontControl way = frontLike(*findNodeKind("sow-on-surface")->findParam("way"), "way", std::string("even"));
    for (FrontControl& control : {std::ref(room), std::ref(way)}) crowd.addFront(control);
    crowd.addFront(numberFront("much", 1.5));
    crowd.addFront(numberFront("extra", 0));
    crowd.plan.dials = {{"d", "dial", 0.1, 0.2, {}}};
    crowd.plan.find(crowd.instance)->follows["extra"] = "dial";
    const auto params = [&](const Plan& plan, Quality quality) {
      const OpenedPlan opened = openPlan(plan, quality);
      return std::pair(opened.plan.find("sow")->params, opened.plan.find("apart")->params);
    };
    const auto reread = parsePlan(formatPlan(crowd.plan), {});
    QVERIFY(reread && *reread == crowd.plan && reread->origin.problems.empty());
    for (const Plan* plan : std::initializer_list<const Plan*>{&crowd.plan, &*reread}) {
      const auto [sow, apart] = params(*plan, Quality::Final);
      QCOMPARE(std::get<double>(sow.at("density")), 3.0);
      QCOMPARE(std::get<double>(sow.at("footprint")), 0.25);
      QCOMPARE(std::get<std::string>(sow.at("way")), std::string("even"));
      QCOMPARE(std::get<double>(apart.at("gap")), 0.25);
      QCOMPARE(std::get<double>(params(*plan, Quality::Draft).second.at("gap")), 0.15);
    }
    Plan apart = *reread;  // formulas over dials stay ones
    QVERIFY(takeApart(apart, crowd.instance));
    QCOMPARE(apart.find("apart")->follows.at("gap"), std::string("(0.050000000000000003) + dial"));
    QCOMPARE(std::get<double>(apart.find("sow")->params.at("density")), 3.0);
    const auto files = demoFiles();
    QCOMPARE(printsOf(evaluated(apart, Quality::Draft, files)), printsOf(evaluated(*reread, Quality::Draft, files)));

    // What cannot be is told where it is, and nothing else is taken in its place.
    Plan wrong = crowd.plan;
    wrong.find(crowd.instance)->params["way"] = std::string("sideways");
    const Evaluation refused = evaluated(wrong, Quality::Final, files);
    QCOMPARE(refused.reports.at(crowd.instance).state, NodeState::Failed);
    QVERIFY(refused.reports.at(crowd.instance).problems.front().message.find("sideways") != std::string::npos);
    QCOMPARE(refused.reports.at("dress").state, NodeState::Waiting);
    wrong = crowd.plan;
    const_cast<Node*>(wrong.findSubPlan(crowd.subPlan)->find("sow"))->follows["density"] = "mush * 2";
    const Evaluation unknown = evaluated(wrong, Quality::Final, files);
    const Problem& told = unknown.reports.at(crowd.instance).problems.front();
    QCOMPARE(QString::fromStdString(told.where), QStringLiteral("Crowd › sow"));
    QVERIFY(told.message.find("no front control \"mush\"") != std::string::npos);
  }

  /// What comes in: needed, with a fallback, several; and what goes straight through.
  void waysInAndOut() {
    Crowd crowd;
    const std::string in = crowd.way(kWayIn);
    const auto files = demoFiles();
    const auto fed = fingerprint(evaluated(crowd.plan, Quality::Final, files).values.at("dress"));
    Plan plan = crowd.plan;
    plan.find(crowd.instance)->inputs.clear();
    const auto way = [&]() -> Node& { return *const_cast<Node*>(plan.findSubPlan(crowd.subPlan)->find(in)); };
    way().params["words"] = std::string("A crowd needs a place to stand");
    Evaluation e = evaluated(plan, Quality::Final, files);
    QCOMPARE(e.reports.at(crowd.instance).problems.front().message, std::string("A crowd needs a place to stand"));
    QCOMPARE(e.reports.at("dress").state, NodeState::Waiting);

    auto& nodes = plan.findSubPlan(crowd.subPlan)->nodes;
    nodes.push_back(node("own-ground", "shape", {{"extent", std::vector<double>{5, 1, 5}}}));
    way().inputs[kWayInFallback] = {{"own-ground", "surface", "s"}};
    fitSubPlans(plan);
    e = evaluated(plan, Quality::Final, files);
    QVERIFY(e.firstOf<PointsPtr>(crowd.instance)->count > 10);
    QVERIFY(e.firstOf<PointsPtr>(crowd.instance)->count < 100);
    QVERIFY(kindOf(*plan.find(crowd.instance))->inputs.front().isOptional);
    plan.find(crowd.instance)->inputs = crowd.plan.find(crowd.instance)->inputs;
    e = evaluated(plan, Quality::Final, files);
    QCOMPARE(fingerprint(e.values.at("dress")), fed);
    QVERIFY(!e.reports.contains("own-ground"));  // nobody needs it

    // Skipped, what comes in first passes where it is of the same type; here it is not.
    plan.find(crowd.instance)->isSkipped = true;
    e = evaluated(plan, Quality::Final, files);
    QCOMPARE(e.reports.at(crowd.instance).state, NodeState::Skipped);
    QVERIFY(!e.reports.contains("sow"));
    Plan passing = crowdedPlan();
    const auto thin = makeSubPlan(passing, {"apart"}, "Thin");
    passing.find(thin->instance)->isSkipped = true;
    e = evaluated(passing, Quality::Final, files);
    QCOMPARE(e.firstOf<PointsPtr>("dress")->count, e.firstOf<PointsPtr>("sow")->count);

    // Several: places keep their names, so that ids stay while one is taken away.
    Plan several = planOf({node("ground", "shape", {{"extent", std::vector<double>{9, 1, 9}}}),
                           node("s1", "sow-on-surface", {}, {{"surface", "ground"}}),
                           node("s2", "sow-on-surface", {}, {{"surface", "ground"}}),
                           node("s3", "sow-on-surface", {}, {{"surface", "ground"}}),
                           node("all", "merge", {}, {{"points", "s1"}}),
                           node("out", "output", {}, {{"points", "all"}})});
    const auto made = makeSubPlan(several, {"all"}, "Together");
    SubPlan& together = *several.findSubPlan(made->subPlan);
    for (Node& n : together.nodes)
      if (n.kind == kWayIn) {
        n.params["many"] = true;
        several.find(made->instance)->inputs[n.uid] = {
            {"s1", "points", "1"}, {"s2", "points", "2"}, {"s3", "points", "3"}};
      }
    fitSubPlans(several);
    e = evaluated(several, Quality::Final, files);
    const auto whole = idsOf(e.firstOf<PointsPtr>(made->instance));
    QCOMPARE(whole.size(), idsOf(e.firstOf<PointsPtr>("s1")).size() * 0 + e.firstOf<PointsPtr>("s1")->count +
                               e.firstOf<PointsPtr>("s2")->count + e.firstOf<PointsPtr>("s3")->count);
    several.find(made->instance)->inputs.begin()->second[1] = {{}, {}, "2"};
    const auto without = idsOf(evaluated(several, Quality::Final, files).firstOf<PointsPtr>(made->instance));
    QVERIFY(without.size() < whole.size());
    QVERIFY(std::includes(whole.begin(), whole.end(), without.begin(), without.end()));
  }

  /// What fails inside is told outside by its name, and what does not need it goes on.
  void whatFailsInsideIsNamed() {
    Crowd crowd;
    crowd.another("b");
    crowd.inner("sow").kind = "mesh-file";
    crowd.inner("sow").inputs.clear();
    fitSubPlans(crowd.plan);
    const Evaluation e = evaluated(crowd.plan, Quality::Final, demoFiles());
    QCOMPARE(e.reports.at("b").state, NodeState::Failed);
    QCOMPARE(QString::fromStdString(e.reports.at("b").problems.front().where), QStringLiteral("Another crowd › sow"));
    QCOMPARE(e.reports.at("out-b").state, NodeState::Waiting);
    QCOMPARE(e.reports.at("ground").state, NodeState::Done);
  }

  /// What would never end, or be two things under one name, fails with words.
  void whatCannotBeIsRefused() {
    const auto files = demoFiles();
    Crowd crowd;  // in itself
    Node itself = *crowd.plan.find(crowd.instance);
    itself.uid = "itself";
    itself.inside.reset();
    itself.inputs.clear();
    crowd.definition().nodes.push_back(itself);
    QVERIFY(wouldLieInItself(crowd.plan, crowd.subPlan, crowd.subPlan));
    fitSubPlans(crowd.plan);
    Evaluation e = evaluated(crowd.plan, Quality::Final, files);
    QVERIFY(e.reports.at(crowd.instance).problems.front().message.find("inside of itself") != std::string::npos);
    QVERIFY(parsePlan(formatPlan(crowd.plan), {}));

    Crowd looped;  // its output comes in again
    looped.plan.find(looped.instance)->inputs.begin()->second.front() = {looped.instance, looped.way(kWayOut), "x"};
    e = evaluated(looped.plan, Quality::Final, files);
    QCOMPARE(e.reports.at("apart").state, NodeState::Failed);
    SubPlan through;  // and straight through
    through.uid = "through";
    through.nodes = {node("in", kWayIn), node("out", kWayOut)};
    through.nodes[1].inputs[kWayValue] = {{"in", kWayValue, "s"}};
    Plan ring = planOf({node("a", "sub-plan"), node("out", "output")});
    ring.subPlans = {through};
    ring.nodes[0].subPlan = "through";
    ring.nodes[0].inputs["in"] = {{"a", "out", "s"}};
    ring.nodes[1].inputs["points"] = {{"a", "out", "s"}};
    fitSubPlans(ring);
    e = evaluated(ring, Quality::Final, files);
    QVERIFY(e.reports.at("a").problems.front().message.find("come from itself") != std::string::npos);

    Crowd twice;  // two that say that their nodes are the same
    twice.another("b");
    twice.plan.find("b")->inside = "";
    e = evaluated(twice.plan, Quality::Final, files);
    QCOMPARE(e.reports.at(twice.instance).state, NodeState::Done);
    QVERIFY(e.reports.at("b").problems.front().message.find("under the same uid") != std::string::npos);

    Crowd gone;
    gone.plan.subPlans.clear();
    fitSubPlans(gone.plan);
    e = evaluated(gone.plan, Quality::Final, files);
    QCOMPARE(e.reports.at(gone.instance).problems.front().code, ProblemCode::UnknownKind);
    const auto reread = parsePlan(formatPlan(gone.plan), {});
    QVERIFY(reread && *reread == gone.plan);

    Plan between = crowdedPlan();
    const auto refused = makeSubPlan(between, {"sow", "dress"}, "No");
    QVERIFY(!refused && refused.error().message.find("apart lies between") != std::string::npos);
    QVERIFY(between == crowdedPlan());
  }

  /// A cancel stops what is worked out inside; every node is told once.
  void whatIsInsideIsToldAndCancelled() {
    Crowd crowd;
    std::set<std::string> told;
    EvalRequest request;
    request.ended = [&](const std::string& uid, const NodeReport&, const Outputs&) {
      QVERIFY(told.insert(uid).second);
    };
    const Evaluation e = Evaluator(demoFiles()).evaluate(crowd.plan, request);
    QCOMPARE(told.size(), e.opened->plan.nodes.size());
    QVERIFY(told.contains("apart"));
    std::stop_source stop;
    request = {};
    request.task.stop = stop.get_token();
    request.started = [&](const std::string& uid) {
      if (uid == "sow") stop.request_stop();
    };
    QVERIFY(Evaluator(demoFiles()).evaluate(crowd.plan, request).isCancelled);
    // Only what is wanted is worked out, inside too.
    request = {};
    request.wanted = {crowd.instance};
    const Evaluation some = Evaluator(demoFiles()).evaluate(crowd.plan, request);
    QVERIFY(some.firstOf<PointsPtr>(crowd.instance) && !some.values.contains("dress"));
  }
};

QTEST_GUILESS_MAIN(TestSubPlans)
#include "tst_sub_plans.moc"
