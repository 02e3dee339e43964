// Plans inside of plans: a kind that is made while the program runs works out a plan of its own, its nodes' identity is
// the path that leads to them, and what comes of it is what the same nodes give side by side.
#include "tests/support/kinds.h"

using namespace arvesk;

namespace {

Node named(const std::string& uid, const std::string& kind, const std::string& title) {
  Node node;
  node.uid = uid;
  node.kind = kind;
  node.title = title;
  return node;
}

/// Ground → Sow → Clearance, as a plan of its own; "ground" stands for what is given.
Plan innerPlan() {
  Plan plan;
  Node ground = named("ground", "shape", "Ground");
  Node sow = named("sow", "sow-on-surface", "Inner sow");
  sow.params["density"] = 6.0;
  sow.inputs["surface"] = {{"ground", "surface", {}}};
  Node apart = named("apart", "clearance", "Inner clearance");
  apart.inputs["points"] = {{"sow", "points", {}}};
  plan.nodes = {ground, sow, apart};
  return plan;
}

/// A kind for `inner`: takes a surface, gives what "apart" gives.
std::shared_ptr<const NodeKind> kindOfPlan(const Plan& inner, std::size_t* runs = nullptr) {
  auto kind = std::make_shared<NodeKind>();
  kind->id = "a-plan-of-its-own";
  kind->family = Family::Scatter;
  kind->label = "Own";
  kind->inputs = {{"ground", ValueType::Surface, "Ground", "Where."}};
  kind->outputs = {{"points", ValueType::Points, "Points"}};
  kind->usesSeed = true;
  kind->reachOf = [](const ParamMap&) { return Reach::whole(true); };
  kind->sentence = [](const ParamMap&) { return std::string("Own"); };
  kind->evaluate = [inner, runs](const EvalContext& ctx, const Inputs& in, const ParamMap&) -> Result<Outputs> {
    if (runs) ++*runs;
    const Inputs::Link& ground = in.many("ground").front();
    auto done = ctx.evaluateInner(inner, {{"ground", {{ground.value}, ground.key}}}, {"apart"});
    if (!done) return Failure(done.error());
    return Outputs{done->firstOf<PointsPtr>("apart")};
  };
  return kind;
}

/// A ground and `uses` nodes of the kind.
Plan outerPlan(const std::shared_ptr<const NodeKind>& kind, int uses) {
  Plan plan;
  Node ground = named("g", "shape", "Outer ground");
  ground.params["form"] = std::string("plane");
  ground.params["extent"] = std::vector<double>{12, 1, 12};
  plan.nodes.push_back(ground);
  for (int i = 0; i < uses; ++i) {
    Node own = named("own" + std::to_string(i), kind->id, "Own " + std::to_string(i));
    own.madeKind = kind;
    own.inputs["ground"] = {{"g", "surface", {}}};
    plan.nodes.push_back(own);
  }
  return plan;
}

std::set<std::uint64_t> idsOf(const Points& p) {
  std::set<std::uint64_t> ids;
  for (std::size_t i = 0; i < p.count; ++i) ids.insert(p.id[i]);
  return ids;
}

}  // namespace

class TestPaths : public QObject {
  Q_OBJECT

  std::shared_ptr<DiskFileService> m_files = std::make_shared<DiskFileService>("");

 private Q_SLOTS:
  void init() { m_files = std::make_shared<DiskFileService>(""); }

  /// Two uses of one plan are two: other ids, other places. The same use is the same again, in a fresh process too.
  void twoUsesAreTwo() {
    const auto kind = kindOfPlan(innerPlan());
    const Plan plan = outerPlan(kind, 2);
    const Evaluation e = Evaluator(m_files).evaluate(plan, {});
    const PointsPtr a = e.firstOf<PointsPtr>("own0");
    const PointsPtr b = e.firstOf<PointsPtr>("own1");
    QVERIFY(a && b && a->count > 100 && b->count > 100);
    std::set<std::uint64_t> all = idsOf(*a);
    all.merge(idsOf(*b));
    QCOMPARE(all.size(), a->count + b->count);
    QVERIFY(a->position.values() != b->position.values());
    const Evaluation again = Evaluator(std::make_shared<DiskFileService>("")).evaluate(plan, {});
    QCOMPARE(test::fingerprint(again.values.at("own0")), test::fingerprint(e.values.at("own0")));
    QCOMPARE(test::fingerprint(again.values.at("own1")), test::fingerprint(e.values.at("own1")));
  }

  /// A node's own seed draws anew inside, and only there; its title changes nothing.
  void seedsReachInside() {
    Plan plan = outerPlan(kindOfPlan(innerPlan()), 2);
    const Evaluation before = Evaluator(m_files).evaluate(plan, {});
    plan.find("own0")->title = "Another name";
    const Evaluation renamed = Evaluator(m_files).evaluate(plan, {});
    QVERIFY(renamed.reports.at("own0").isFromCache);
    plan.find("own0")->seed = 7;
    const Evaluation seeded = Evaluator(m_files).evaluate(plan, {});
    QVERIFY(test::fingerprint(seeded.values.at("own0")) != test::fingerprint(before.values.at("own0")));
    QCOMPARE(test::fingerprint(seeded.values.at("own1")), test::fingerprint(before.values.at("own1")));
    plan.settings.seed = 99;
    const Evaluation other = Evaluator(m_files).evaluate(plan, {});
    QVERIFY(test::fingerprint(other.values.at("own1")) != test::fingerprint(before.values.at("own1")));
  }

  /// What is done inside is told by the inner nodes' names, and only what an edit touches is worked out again.
  void whatIsInsideIsToldAndKept() {
    Plan inner = innerPlan();
    Plan plan = outerPlan(kindOfPlan(inner), 1);
    const Evaluation before = Evaluator(m_files).evaluate(plan, {});
    const auto& reports = before.reports.at("own0").inner;
    QCOMPARE(reports.size(), std::size_t{3});
    QCOMPARE(reports.at("apart").given, reports.at("sow").passed.front());
    QVERIFY(!reports.at("sow").isFromCache);
    inner.find("apart")->params["gap"] = 0.2;
    auto changed = std::make_shared<NodeKind>(*kindOfPlan(inner));
    changed->version = 2;  // whoever makes kinds says when one is another
    plan.find("own0")->madeKind = changed;
    const Evaluation after = Evaluator(m_files).evaluate(plan, {});
    QVERIFY(after.reports.at("own0").inner.at("sow").isFromCache);
    QVERIFY(!after.reports.at("own0").inner.at("apart").isFromCache);
    QVERIFY(after.firstOf<PointsPtr>("own0")->count < before.firstOf<PointsPtr>("own0")->count);
  }

  /// What fails inside fails outside, with the inner node's name; what is beside goes on.
  void aFailureInsideIsNamed() {
    Plan inner = innerPlan();
    inner.find("sow")->kind = "mesh-file";
    Plan plan = outerPlan(kindOfPlan(inner), 1);
    Node beside = named("beside", "sow-on-surface", "Beside");
    beside.inputs["surface"] = {{"g", "surface", {}}};
    plan.nodes.push_back(beside);
    const Evaluation e = Evaluator(m_files).evaluate(plan, {});
    const NodeReport& report = e.reports.at("own0");
    QCOMPARE(report.state, NodeState::Failed);
    QCOMPARE(QString::fromStdString(report.problems.front().where), QStringLiteral("Inner sow"));
    QCOMPARE(report.inner.at("apart").state, NodeState::Waiting);
    QCOMPARE(e.reports.at("beside").state, NodeState::Done);
  }

  /// A plan that holds itself ends, with a message.
  void aPlanInsideOfItselfEnds() {
    auto kind = std::make_shared<NodeKind>(*kindOfPlan(innerPlan()));
    const auto held = std::make_shared<std::weak_ptr<const NodeKind>>();
    kind->evaluate = [held](const EvalContext& ctx, const Inputs& in, const ParamMap&) -> Result<Outputs> {
      const Inputs::Link& ground = in.many("ground").front();
      const Plan again = outerPlan(held->lock(), 1);
      auto done = ctx.evaluateInner(again, {{"g", {{ground.value}, ground.key}}}, {"own0"});
      if (!done) return Failure(done.error());
      return Outputs{done->firstOf<PointsPtr>("own0")};
    };
    *held = kind;
    const Evaluation e = Evaluator(m_files).evaluate(outerPlan(kind, 1), {});
    QCOMPARE(e.reports.at("own0").state, NodeState::Failed);
    QCOMPARE(e.reports.at("own0").problems.front().code, ProblemCode::Loop);
  }

  /// A cancel stops what is worked out inside.
  void aCancelReachesInside() {
    Plan inner = innerPlan();
    inner.find("sow")->params["density"] = 5e4;
    std::stop_source stop;
    EvalRequest request;
    request.task.stop = stop.get_token();
    request.started = [&](const std::string& uid) {
      if (uid == "own0") stop.request_stop();
    };
    const Evaluation e = Evaluator(m_files).evaluate(outerPlan(kindOfPlan(inner), 1), request);
    QVERIFY(e.isCancelled);
    QCOMPARE(e.reports.at("own0").state, NodeState::Waiting);
    QVERIFY(!e.values.contains("own0"));
  }

  /// Callers are told of every node once, one at a time, and what is told is what the evaluation holds.
  void everyNodeIsToldOnce() {
    const Plan plan = outerPlan(kindOfPlan(innerPlan()), 12);
    std::map<std::string, std::vector<std::uint64_t>> told;
    std::atomic<int> inside{0};
    EvalRequest request;
    request.ended = [&](const std::string& uid, const NodeReport& report, const Outputs& delivered) {
      QCOMPARE(++inside, 1);
      QVERIFY(!told.contains(uid));
      QCOMPARE(report.state, NodeState::Done);
      told[uid] = test::fingerprint(delivered);
      --inside;
    };
    const Evaluation e = Evaluator(m_files).evaluate(plan, request);
    QCOMPARE(told.size(), plan.nodes.size());
    for (const auto& [uid, print] : told) QCOMPARE(print, test::fingerprint(e.values.at(uid)));
  }
};

QTEST_GUILESS_MAIN(TestPaths)
#include "tst_paths.moc"
