// The evaluator under random edits: what comes from the cache is what a fresh evaluation gives, whatever was asked,
// cancelled or thrown out before, in draft and final, for one thread and two.
#include "core/formats/plan_file.h"
#include "tests/support/plans.h"

#include <chrono>
#include <random>
#include <thread>

using namespace arvesk;

namespace {

std::map<std::string, std::vector<std::uint64_t>> resultsOf(const Evaluation& e) {
  std::map<std::string, std::vector<std::uint64_t>> out;
  for (const auto& [uid, values] : e.values)
    if (e.reports.at(uid).state == NodeState::Done) out[uid] = test::fingerprint(values);
  return out;
}

}  // namespace

class TestEvaluator : public QObject {
  Q_OBJECT

  static std::shared_ptr<DiskFileService> files() {
    return std::make_shared<DiskFileService>(test::sourcePath("demo/examples").toStdString());
  }

 private Q_SLOTS:
  void cachedResultsAreFreshResults_data() {
    QTest::addColumn<QString>("file");
    QTest::addColumn<qulonglong>("cache");
    for (const char* file : {"one-slope", "from-your-mesh", "deck", "growth"})
      for (const qulonglong cache : {qulonglong{1} << 30, qulonglong{300'000}})
        QTest::addRow("%s, %llu bytes of cache", file, cache) << QString::fromLatin1(file) << cache;
    QTest::newRow("one slope, no room to speak of") << "one-slope" << qulonglong{1};
  }
  void cachedResultsAreFreshResults() {
    QFETCH(QString, file);
    QFETCH(qulonglong, cache);
    std::mt19937 random(static_cast<unsigned>(qHash(file)));
    auto plan = loadPlan(test::sourcePath("demo/examples/%1.arvesk").arg(file).toStdString());
    QVERIFY(plan);
    Evaluator kept(files());
    std::size_t reused = 0;
    std::size_t largest = 0;  // of what one node or file holds: the newest stays, whatever its size
    for (int step = 0; step < 8; ++step) {
      for (int edits = 0; edits <= step % 3; ++edits) test::randomEdit(*plan, random, "demo/examples");
      EvalRequest request;
      request.quality = random() % 2 ? Quality::Draft : Quality::Final;
      request.limits.cacheBytes = static_cast<std::size_t>(cache);
      // Half of the time something was begun and given up before, or asked of one node only.
      if (random() % 2) {
        EvalRequest partial = request;
        std::stop_source stop;
        partial.task.stop = stop.get_token();
        if (random() % 2) partial.wanted = {plan->nodes[random() % plan->nodes.size()].uid};
        std::jthread stopper([&stop, wait = random() % 20] {
          std::this_thread::sleep_for(std::chrono::milliseconds(wait));
          stop.request_stop();
        });
        (void)kept.evaluate(*plan, partial);
      }
      const Evaluation cached = kept.evaluate(*plan, request);
      QVERIFY(!cached.isCancelled);
      Evaluator fresh(files());
      Evaluation again;
      withThreads(step % 2 ? 1 : 2, [&] { again = fresh.evaluate(*plan, request); });
      QCOMPARE(cached.reports.size(), plan->nodes.size());
      for (const auto& [uid, outputs] : cached.values) {
        ByteCounter counter;
        for (const Value& v : outputs) countBytes(v, counter);
        largest = std::max(largest, counter.bytes() + 4096);
      }
      for (const PropPtr& prop : cached.props) {
        ByteCounter counter;
        prop->countBytes(counter);
        largest = std::max(largest, counter.bytes() + 4096);
      }
      const auto a = resultsOf(cached);
      const auto b = resultsOf(again);
      QCOMPARE(a.size(), b.size());
      for (const auto& [uid, print] : a)
        QVERIFY2(b.contains(uid) && b.at(uid) == print, (uid + " after step " + std::to_string(step)).c_str());
      for (const auto& [uid, report] : cached.reports) {
        QCOMPARE(report.state, again.reports.at(uid).state);
        QCOMPARE(report.passed, again.reports.at(uid).passed);
        QCOMPARE(report.given, again.reports.at(uid).given);
        QCOMPARE(report.problems.size(), again.reports.at(uid).problems.size());
        reused += report.isFromCache;
      }
    }
    if (cache > 1'000'000) QVERIFY2(reused > 8, "a large cache is used");
    QVERIFY2(kept.cacheBytes() <= std::max<std::size_t>(static_cast<std::size_t>(cache), largest),
             std::to_string(kept.cacheBytes()).c_str());
  }

  /// Of a loop, and of what waits for it, nothing is worked out; everything else is.
  void aLoopStopsItsOwnBranchOnly() {
    auto plan = loadPlan(test::sourcePath("demo/examples/patches.arvesk").toStdString());
    QVERIFY(plan);
    Evaluator evaluator(files());
    const Evaluation whole = evaluator.evaluate(*plan, {});
    const auto after = [](const Plan& p, const std::string& uid) {  // whoever takes from it, however far
      std::set<std::string> behind;
      std::vector<std::string> open{uid};
      while (!open.empty()) {
        const std::string from = open.back();
        open.pop_back();
        for (const Node& n : p.nodes)
          for (const auto& [input, links] : n.inputs)
            for (const Link& link : links)
              if (link.node == from && behind.insert(n.uid).second) open.push_back(n.uid);
      }
      return behind;
    };
    std::size_t loops = 0;
    for (const Node& first : plan->nodes)
      for (const std::string& last : after(*plan, first.uid)) {
        if (first.inputs.empty()) continue;
        Plan other = *plan;
        Link& link = other.find(first.uid)->inputs.begin()->second.front();
        link = {last, kindOf(*other.find(last))->outputs.front().id, link.slot};
        const Evaluation e = evaluator.evaluate(other, {});
        ++loops;
        for (const Node& n : other.nodes) {
          const NodeReport& report = e.reports.at(n.uid);
          if (after(other, n.uid).contains(n.uid)) {  // on the loop
            QVERIFY(report.state == NodeState::Failed || report.state == NodeState::Waiting);
            if (n.uid == first.uid) QCOMPARE(report.problems.front().code, ProblemCode::Loop);
          } else if (after(other, first.uid).contains(n.uid)) {
            QCOMPARE(report.state, NodeState::Waiting);
          } else {
            QCOMPARE(report.state, whole.reports.at(n.uid).state);
          }
        }
      }
    QVERIFY2(loops > 20, std::to_string(loops).c_str());
  }

  /// Whatever fails stops what waits for it, by name, and nothing else.
  void aFailureStopsItsOwnBranchOnly() {
    auto plan = loadPlan(test::sourcePath("demo/examples/from-your-mesh.arvesk").toStdString());
    QVERIFY(plan);
    Evaluator evaluator(files());
    const Evaluation whole = evaluator.evaluate(*plan, {});
    for (const Node& broken : plan->nodes) {
      Plan other = *plan;
      Node& node = *other.find(broken.uid);
      node.kind = "a-kind-of-tomorrow";
      const Evaluation e = evaluator.evaluate(other, {});
      QCOMPARE(e.reports.at(broken.uid).state, NodeState::Failed);
      QCOMPARE(e.reports.at(broken.uid).problems.front().code, ProblemCode::UnknownKind);
      // Who depends on it, found by walking the links.
      std::set<std::string> behind{broken.uid};
      for (bool grew = true; grew;) {
        grew = false;
        for (const Node& n : other.nodes)
          for (const auto& [input, links] : n.inputs)
            for (const Link& link : links)
              if (behind.contains(link.node) && behind.insert(n.uid).second) grew = true;
      }
      for (const Node& n : other.nodes) {
        if (n.uid == broken.uid) continue;
        const NodeReport& report = e.reports.at(n.uid);
        if (behind.contains(n.uid))
          QVERIFY2(report.state == NodeState::Waiting && report.problems.front().message.starts_with("waiting for "),
                   n.uid.c_str());
        else
          QCOMPARE(report.state, whole.reports.at(n.uid).state);
      }
    }
  }
};

QTEST_GUILESS_MAIN(TestEvaluator)
#include "tst_evaluator.moc"
