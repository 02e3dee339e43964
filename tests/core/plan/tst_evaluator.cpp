// The evaluator under random edits: what comes from the cache is what a fresh evaluation gives, whatever was asked,
// cancelled or thrown out before, in draft and final, for one thread and two.
#include "core/formats/plan_file.h"
#include "tests/support/kinds.h"

#include <chrono>
#include <random>
#include <thread>

using namespace arvesk;

namespace {

/// Another value inside of what sliders show, or one of the options.
std::optional<ParamValue> anotherValue(const ParamSpec& spec, const ParamValue& now, std::mt19937& random) {
  std::uniform_real_distribution<double> share(0, 1);
  const auto draw = [&] { return spec.usualMin + (spec.usualMax - spec.usualMin) * share(random); };
  switch (spec.type) {
    case ParamType::Toggle: return !std::get<bool>(now);
    case ParamType::Number: return draw();
    case ParamType::Integer: return std::floor(draw());
    case ParamType::Choice: return spec.options[random() % spec.options.size()].id;
    case ParamType::Range: return std::vector<double>{draw(), draw()};
    case ParamType::Vector: return std::vector<double>{draw(), draw(), draw()};
    case ParamType::Band: {
      std::vector<double> four{draw(), draw(), draw(), draw()};
      std::sort(four.begin(), four.end());
      return four;
    }
    default: return {};
  }
}

/// One random edit, of those that people make all day.
void edit(Plan& plan, std::mt19937& random) {
  Node& node = plan.nodes[random() % plan.nodes.size()];
  const NodeKind& kind = *findNodeKind(node.kind);
  switch (random() % 6) {
    case 0: node.isSkipped = !node.isSkipped; return;
    case 1: node.seed = random() % 1000; return;
    case 2: plan.settings.seed = random() % 5; return;
    default:
      if (kind.params.empty()) return;
      const ParamSpec& spec = kind.params[random() % kind.params.size()];
      if (spec.id == "density" || spec.id == "spacing" || spec.id == "total") return;  // counts are to stay small
      if (const auto value = anotherValue(spec, node.value(spec), random); value && faultOf(spec, *value).empty())
        node.params[spec.id] = *value;
  }
}

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
    for (const char* file : {"one-slope", "from-your-mesh", "deck"})
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
    for (int step = 0; step < 5; ++step) {
      edit(*plan, random);
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
    QVERIFY(kept.cacheBytes() <= std::max<std::size_t>(static_cast<std::size_t>(cache), 60'000'000));
  }

  /// Of a loop, and of what waits for it, nothing is worked out; everything else is.
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
