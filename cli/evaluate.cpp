// arvesk-run evaluate: counts, times, memory and warnings per node.
#include "cli/runner.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace arvesk::cli {
namespace {

const char* stateName(NodeState state) {
  switch (state) {
    case NodeState::Done: return "done";
    case NodeState::Skipped: return "skipped";
    case NodeState::Failed: return "failed";
    case NodeState::Waiting: return "waiting";
  }
  return "";
}

void printTable(const Session& s, const std::string& quality) {
  fmt::print("{:<26} {:<22} {:>11} {:>11} {:>9} {:>10}\n", "node", "kind", "given", "passed", "ms", "MB");
  for (const Node& node : s.plan().nodes) {
    const NodeReport& r = s.evaluation().reports.at(node.uid);
    const std::string passed = r.state == NodeState::Done || r.state == NodeState::Skipped
                                   ? fmt::format("{}", r.passed.empty() ? 0 : r.passed.front())
                                   : std::string(stateName(r.state));
    fmt::print("{:<26} {:<22} {:>11} {:>11} {:>9.1f} {:>10.1f}{}\n", node.title, node.kind, r.given, passed,
               r.milliseconds, static_cast<double>(r.bytes) / 1e6, r.state == NodeState::Skipped ? "  skipped" : "");
  }
  const PlanTotals totals = totalsOf(s.opened(), s.evaluation());
  fmt::print("\n{} placed ({}), {} triangles, {:.0f} ms, {:.0f} MB\n", totals.placements, quality, totals.triangles,
             s.evaluation().milliseconds, static_cast<double>(s.cacheBytes()) / 1e6);
}

void printJson(const Session& s, const std::string& quality) {
  nlohmann::json out{{"quality", quality}, {"milliseconds", s.evaluation().milliseconds}};
  for (const Node& node : s.plan().nodes) {
    const NodeReport& r = s.evaluation().reports.at(node.uid);
    nlohmann::json problems = nlohmann::json::array();
    for (const Problem& p : r.problems) problems.push_back(toLine(p));
    out["nodes"].push_back({{"uid", node.uid},
                            {"title", node.title},
                            {"kind", node.kind},
                            {"state", stateName(r.state)},
                            {"given", r.given},
                            {"passed", r.passed},
                            {"milliseconds", r.milliseconds},
                            {"bytes", r.bytes},
                            {"problems", problems}});
  }
  const PlanTotals totals = totalsOf(s.opened(), s.evaluation());
  out["placed"] = totals.placements;
  out["triangles"] = totals.triangles;
  fmt::print("{}\n", out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
}

}  // namespace

void addEvaluate(CLI::App& app, int& status) {
  struct Options : CommonOptions {
    bool isJson = false;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("evaluate", "Counts, times, memory and warnings per node");
  options->addTo(*sub);
  sub->add_flag("--json", options->isJson, "As JSON");
  sub->callback([options, &status] {
    status = run(*options, [&]() -> Result<int> {
      auto session = evaluatePlan(*options);
      if (!session) return Failure(session.error());
      (options->isJson ? &printJson : &printTable)(*session, options->quality);
      return statusOf(*session);
    });
  });
}

}  // namespace arvesk::cli
