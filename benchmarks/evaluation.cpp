// The demo as a whole: opening it, one edit near its end and one at its beginning, and its branches side by side.
#include "benchmarks/bench.h"
#include "core/formats/file_service.h"
#include "core/formats/plan_file.h"
#include "core/plan/evaluator.h"
#include "core/plan/making_sub_plan.h"

namespace arvesk::bench {
namespace {

/// The demo with what it has worked out; edits are never the same twice, so that nothing is found again.
struct Demo {
  Plan plan;
  std::shared_ptr<DiskFileService> files;
  int edits = 0;

  explicit Demo(bool isEvaluated) : files(std::make_shared<DiskFileService>(ARVESK_SOURCE_DIR "/demo/tern-cove")) {
    plan = *loadPlan(ARVESK_SOURCE_DIR "/demo/tern-cove/tern-cove.arvesk");
    if (isEvaluated) evaluate(Quality::Final);
  }
  Evaluation evaluate(Quality quality, const std::vector<std::string>& wanted = {}) {
    EvalRequest request;
    request.quality = quality;
    request.wanted = wanted;
    return Evaluator(files).evaluate(plan, request);
  }
  void edit(const std::string& uid, const std::string& param, double from, double to) {
    const double value = from + (to - from) * unitDouble(mix64(static_cast<std::uint64_t>(++edits)));
    ParamValue& now = plan.find(uid)->params[param];
    if (auto* numbers = std::get_if<std::vector<double>>(&now))
      numbers->back() = value;
    else
      now = value;
  }
};

/// Every node alone, after those before it: the same work with nothing side by side but loops within nodes.
void oneByOne(Demo& demo, Quality quality) {
  std::set<std::string> done;
  while (done.size() < demo.plan.nodes.size())
    for (const Node& node : demo.plan.nodes) {
      const bool isReady = std::all_of(node.inputs.begin(), node.inputs.end(), [&](const auto& in) {
        return std::all_of(in.second.begin(), in.second.end(),
                           [&](const Link& l) { return l.isEmpty() || done.contains(l.node); });
      });
      if (!isReady || !done.insert(node.uid).second) continue;
      benchmark::DoNotOptimize(demo.evaluate(quality, {node.uid}));
    }
}

}  // namespace

void addEvaluation() {
  const auto fresh = [](Quality quality) {
    Demo demo(false);
    benchmark::DoNotOptimize(demo.evaluate(quality));
  };
  const auto final = [fresh] { fresh(Quality::Final); };
  add({"Demo whole, final", "its nodes one after the other", false, 0.7, final, [] {
         Demo demo(false);
         oneByOne(demo, Quality::Final);
       }});
  add({"Opening the demo, draft", "the demo whole, final", false, 1.0, [fresh] { fresh(Quality::Draft); }, final});
  // The first edit is made when the row is run, not while rows are listed.
  const auto edited = [](const char* uid, const char* param, double from, double to) {
    const auto demo = std::make_shared<std::unique_ptr<Demo>>();
    return [=] {
      if (!*demo) *demo = std::make_unique<Demo>(true);
      (*demo)->edit(uid, param, from, to);
      benchmark::DoNotOptimize((*demo)->evaluate(Quality::Final));
    };
  };
  // The demo has half of its nodes in sub-plans. 5 % of one measurement is less than what measurements differ by.
  const auto flat = [] {
    static const Plan plan = [] {
      Plan made = Demo(false).plan;
      for (bool isMore = true; isMore;) {
        isMore = false;
        for (const Node& node : made.nodes)
          if (node.isInstance()) {
            isMore = takeApart(made, std::string(node.uid)).has_value();
            break;
          }
      }
      return made;
    }();
    Demo demo(false);
    demo.plan = plan;
    benchmark::DoNotOptimize(demo.evaluate(Quality::Final));
  };
  add({"Demo with sub-plans, final", "the same nodes side by side", false, 1.05, final, flat});
  add({"Edit near the end, final demo", "the demo whole, final", false, 0.06, edited("weed-hanging", "sizes", 1.1, 1.4),
       final});
  add({"Edit at the beginning, final demo", "the demo whole, final", false, 0.6, edited("rock-size", "size", 1.1, 1.4),
       final});
}

}  // namespace arvesk::bench
