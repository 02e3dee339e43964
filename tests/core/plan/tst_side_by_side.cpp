// Branches of a plan are worked on side by side: the bits are those of one thread, nodes begin after what they take
// from, what many want is made once, and what goes wrong in one stays there.
#include "core/formats/plan_file.h"
#include "tests/support/plans.h"

#include <atomic>
#include <thread>

using namespace arvesk;

namespace {

/// A kind that is made for a test: takes and gives points or surfaces as `work` says.
std::shared_ptr<const NodeKind> kindFor(std::function<Result<Outputs>(const EvalContext&, const Inputs&)> work) {
  auto kind = std::make_shared<NodeKind>();
  kind->id = "made-for-a-test";
  kind->family = Family::Ground;
  kind->label = "Made";
  kind->inputs = {{"surface", ValueType::Surface, "Surface", "Any.", true, true}};
  kind->outputs = {{"surface", ValueType::Surface, "Surface"}};
  kind->sentence = [](const ParamMap&) { return std::string("Made"); };
  kind->evaluate = [work = std::move(work)](const EvalContext& ctx, const Inputs& in, const ParamMap&) {
    return work(ctx, in);
  };
  return kind;
}

Node madeNode(const std::string& uid, const std::shared_ptr<const NodeKind>& kind,
              const std::vector<std::string>& from = {}) {
  Node n;
  n.uid = n.title = uid;
  n.kind = kind->id;
  n.made.kind = kind;
  for (const std::string& source : from) n.inputs["surface"].push_back({source, "surface", uid + source});
  return n;
}

/// `width` chains of `length` nodes that all begin at "first" and end in "last".
Plan chains(int width, int length, const std::shared_ptr<const NodeKind>& kind) {
  Plan plan;
  plan.nodes.push_back(madeNode("first", kind));
  std::vector<std::string> ends;
  for (int w = 0; w < width; ++w) {
    std::string before = "first";
    for (int i = 0; i < length; ++i) {
      const std::string uid = "c" + std::to_string(w) + "." + std::to_string(i);
      plan.nodes.push_back(madeNode(uid, kind, {before}));
      before = uid;
    }
    ends.push_back(before);
  }
  plan.nodes.push_back(madeNode("last", kind, ends));
  // Documents list nodes in any order.
  std::reverse(plan.nodes.begin(), plan.nodes.end());
  return plan;
}

Result<Outputs> aPlane(const EvalContext&, const Inputs&) {
  return Outputs{SurfacePtr(std::make_shared<const Surface>(makePlane(1, 1, 1)))};
}

/// Counts how often a file is read.
class CountingFiles final : public FileService {
 public:
  std::atomic<int> reads{0};
  Result<std::uint64_t> contentKey(const std::string&) override { return 1; }
  Result<SurfacePtr> surface(const std::string&, const Task&, std::vector<Problem>&) override {
    ++reads;
    return std::make_shared<const Surface>(makePlane(1, 1, 4));
  }
  Result<SurfacePtr> scene(const std::string& path, const Task& task, std::vector<Problem>& warnings) override {
    return surface(path, task, warnings);
  }
  Result<TablePtr> table(const std::string&, const Task&) override { return std::make_shared<const Table>(); }
  Result<VolumeFilePtr> volumes(const std::string&, const Task&, std::vector<Problem>&) override {
    return std::make_shared<const VolumeFile>();
  }
  Result<ImagePtr> image(const std::string&, const Task&) override { return std::make_shared<const Image>(); }
};

}  // namespace

class TestSideBySide : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void theBitsAreThoseOfOneThread_data() { test::committedPlans(); }
  void theBitsAreThoseOfOneThread() {
    QFETCH(QString, file);
    const auto plan = loadPlan(test::sourcePath(qPrintable(file)).toStdString());
    QVERIFY(plan);
    EvalRequest request;
    request.quality = file.contains(QStringLiteral("tern-cove")) ? Quality::Draft : Quality::Final;
    const auto with = [&](int threads) {
      Evaluation e;
      withThreads(threads, [&] {
        e = Evaluator(std::make_shared<DiskFileService>(test::folderOf(file))).evaluate(*plan, request);
      });
      return e;
    };
    const Evaluation one = with(1);
    const Evaluation many = with(5);
    QCOMPARE(many.values.size(), one.values.size());
    for (const auto& [uid, values] : one.values)
      QVERIFY2(test::fingerprint(many.values.at(uid)) == test::fingerprint(values), uid.c_str());
    for (const auto& [uid, report] : one.reports) {
      QCOMPARE(many.reports.at(uid).passed, report.passed);
      QCOMPARE(many.reports.at(uid).given, report.given);
    }
  }

  /// A node begins when all that it takes from has ended; everything begins once.
  void nodesBeginAfterWhatTheyTakeFrom() {
    std::mutex mutex;
    std::vector<std::string> log;
    const auto kind = kindFor(&aPlane);
    const Plan plan = chains(8, 6, kind);
    EvalRequest request;
    request.started = [&](const std::string& uid) {
      const std::lock_guard lock(mutex);
      log.push_back("+" + uid);
    };
    request.ended = [&](const std::string& uid, const NodeReport&, const Outputs&) {
      const std::lock_guard lock(mutex);
      log.push_back("-" + uid);
    };
    std::atomic<float> share{0};
    request.task.progress = [&](float now) {
      QVERIFY(now >= share);
      share = now;
    };
    withThreads(4, [&] { (void)Evaluator(std::make_shared<CountingFiles>()).evaluate(plan, request); });
    QCOMPARE(log.size(), 2 * plan.nodes.size());
    QCOMPARE(share.load(), 1.0F);
    const auto at = [&](const std::string& what) { return std::find(log.begin(), log.end(), what) - log.begin(); };
    for (const Node& n : plan.nodes)
      for (const auto& [input, links] : n.inputs)
        for (const Link& link : links) QVERIFY(at("-" + link.node) < at("+" + n.uid));
  }

  /// Branches really run at the same time: each of two waits until the other has begun.
  void branchesMeet() {
    std::atomic<int> inside{0};
    std::atomic<int> most{0};
    const auto kind = kindFor([&](const EvalContext& ctx, const Inputs& in) -> Result<Outputs> {
      if (!in.many("surface").empty() && in.many("surface").size() == 1) {
        most = std::max(most.load(), ++inside);
        for (int wait = 0; wait < 2000 && most < 2; ++wait) std::this_thread::sleep_for(std::chrono::milliseconds(5));
        --inside;
      }
      return aPlane(ctx, in);
    });
    withThreads(2, [&] { (void)Evaluator(std::make_shared<CountingFiles>()).evaluate(chains(2, 1, kind), {}); });
    QCOMPARE(most.load(), 2);
  }

  /// What several nodes derive from one value is made once, also when they ask at the same time.
  void whatManyWantIsMadeOnce() {
    struct Derivative {
      int value = 7;
    };
    std::atomic<int> made{0};
    const auto kind = kindFor([&](const EvalContext& ctx, const Inputs& in) -> Result<Outputs> {
      for (const Inputs::Link& link : in.many("surface")) {
        const auto& surface = std::get<SurfacePtr>(link.value);
        const auto derived = surface->derived.get<Derivative>([&] {
          ++made;
          std::this_thread::sleep_for(std::chrono::milliseconds(20));
          return std::make_shared<const Derivative>();
        });
        if (derived->value != 7) return fail(ProblemCode::Internal, "half made");
      }
      return aPlane(ctx, in);
    });
    const Plan plan = chains(12, 1, kind);
    Evaluation e;
    withThreads(4, [&] { e = Evaluator(std::make_shared<CountingFiles>()).evaluate(plan, {}); });
    for (const auto& [uid, report] : e.reports) QCOMPARE(report.state, NodeState::Done);
    QCOMPARE(made.load(), 13);  // of "first" once for twelve, and of each of the twelve for "last"
  }

  /// What a node throws ends there: memory that ran out, or anything else.
  void whatIsThrownStaysThere() {
    const auto good = kindFor(&aPlane);
    Plan plan = chains(6, 3, good);
    plan.find("c2.1")->made.kind = kindFor(
        [](const EvalContext&, const Inputs&) -> Result<Outputs> { throw std::bad_alloc(); });
    plan.find("c4.0")->made.kind = kindFor(
        [](const EvalContext&, const Inputs&) -> Result<Outputs> { throw std::runtime_error("something inside"); });
    Evaluation e;
    withThreads(4, [&] { e = Evaluator(std::make_shared<CountingFiles>()).evaluate(plan, {}); });
    QVERIFY(!e.isCancelled);
    std::map<NodeState, int> states;
    for (const auto& [uid, report] : e.reports) ++states[report.state];
    QCOMPARE(states[NodeState::Failed], 2);
    QCOMPARE(states[NodeState::Waiting], 1 + 2 + 1);  // after each of them, and the last
    QCOMPARE(states[NodeState::Done], static_cast<int>(plan.nodes.size()) - 6);
    QVERIFY(e.reports.at("c4.0").problems.front().message.find("something inside") != std::string::npos);
  }

  /// A cancel while many nodes are at work: every node is told, none is half done, and the next run is whole.
  void aCancelWhileManyWork() {
    std::stop_source stop;
    std::atomic<int> begun{0};
    const auto kind = kindFor([&](const EvalContext& ctx, const Inputs& in) -> Result<Outputs> {
      if (++begun == 9) stop.request_stop();
      if (ctx.task.isCancelled()) return Failure(cancelled());
      return aPlane(ctx, in);
    });
    const Plan plan = chains(6, 4, kind);
    const auto files = std::make_shared<CountingFiles>();
    EvalRequest request;
    request.task.stop = stop.get_token();
    Evaluation e;
    withThreads(4, [&] { e = Evaluator(files).evaluate(plan, request); });
    QVERIFY(e.isCancelled);
    QCOMPARE(e.reports.size(), plan.nodes.size());
    for (const auto& [uid, report] : e.reports) {
      QVERIFY(report.state == NodeState::Done || report.state == NodeState::Waiting);
      QCOMPARE(e.values.contains(uid), report.state == NodeState::Done);
    }
    const Evaluation whole = Evaluator(files).evaluate(plan, {});
    for (const auto& [uid, report] : whole.reports) QCOMPARE(report.state, NodeState::Done);
  }

  /// One file that many nodes ask for at once is read by one of them; the others wait and share it.
  void aFileIsReadOnceForAll() {
    QTemporaryDir cache;
    const auto files = std::make_shared<DiskFileService>(
        test::sourcePath("demo/tern-cove").toStdString(),
        FilePlaces{QFileInfo(test::binPath("arvesk-import-mesh")).absolutePath().toStdString(),
                   cache.path().toStdString(),
                   {}});
    std::vector<SurfacePtr> got(8);
    {
      std::vector<std::jthread> askers;
      for (SurfacePtr& mine : got)
        askers.emplace_back([&] {
          std::vector<Problem> warnings;
          if (auto surface = files->surface("kit/boulder-a.glb", {}, warnings)) mine = *surface;
        });
    }
    QVERIFY(got[0]);
    for (const SurfacePtr& mine : got) QCOMPARE(mine.get(), got[0].get());
  }

  /// A long chain waits for nobody but itself, whatever else the plan holds; deep plans do not run out of room.
  void longChainsEnd() {
    const auto kind = kindFor(&aPlane);
    const Plan plan = chains(2, 400, kind);
    const Evaluation e = Evaluator(std::make_shared<CountingFiles>()).evaluate(plan, {});
    QCOMPARE(e.reports.at("last").state, NodeState::Done);
    QCOMPARE(e.reports.size(), plan.nodes.size());
  }
};

QTEST_GUILESS_MAIN(TestSideBySide)
#include "tst_side_by_side.moc"
