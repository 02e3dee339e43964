#include "cli/runner.h"

#include "core/base/memory.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>

namespace arvesk::cli {

void CommonOptions::addTo(CLI::App& app) {
  app.add_option("plan", plan, "The plan (.arvesk)")->required();
  app.add_option("--set", sets, "Set a parameter or a dial: 'node title or uid.parameter=value', 'dial=value'");
  app.add_option("--seed", seed, "The plan seed");
  app.add_option("--quality", quality, "draft or final")
      ->check(CLI::IsMember({"draft", "final"}))
      ->capture_default_str();
  app.add_option("--threads", threads, "Number of threads; 0 uses all")
      ->check(CLI::Range(0, 1024))
      ->capture_default_str();
  app.add_option("--limit-points", limitPoints, "Most points that a node may make")->capture_default_str();
  app.add_option("--memory", memoryGb,
                 fmt::format("GB that may be taken at once; without it half of what the machine has ({:.1f})",
                             static_cast<double>(memoryLimit()) / (1 << 30)))
      ->check(CLI::Range(0.1, 1e6));
  app.add_option("--allow", allowed,
                 "A folder in which files may lie that meshes name, besides their own and the plan's; may be repeated")
      ->allow_extra_args(false)
      ->check(CLI::ExistingDirectory);
  app.add_flag("--quiet", isQuiet, "No progress, no warnings; errors are always reported");
}

void printProblem(const Problem& p) {
  const char* kind = p.severity == Severity::Error ? "error" : p.severity == Severity::Warning ? "warning" : "note";
  fmt::print(stderr, "{}: {}\n", kind, toLine(p));
}

Task progressTask(const CommonOptions& options, const std::string& what) {
  Task task;
  if (!options.isQuiet && ::isatty(STDERR_FILENO))
    task.progress = [what](float share) {
      fmt::print(stderr, "\r{} {:3.0f} %{}", what, share * 100, share >= 1 ? "\n" : "");
    };
  return task;
}

Result<Session> evaluatePlan(const CommonOptions& options) {
  auto session = Session::open(options.plan, {{{}, {}, options.allowed}, options.threads});
  if (!session) return Failure(session.error());
  for (const std::string& text : options.sets)
    if (auto ok = session->set(text); !ok) return Failure(ok.error());
  if (options.seed) session->setSeed(*options.seed);
  Limits limits;
  limits.points = options.limitPoints;
  const Quality quality = options.quality == "draft" ? Quality::Draft : Quality::Final;
  if (auto ok = session->evaluate(quality, limits, progressTask(options, "evaluating")); !ok)
    return Failure(ok.error());
  for (const Problem& p : session->problems())
    if (!options.isQuiet || p.severity == Severity::Error) printProblem(p);
  return session;
}

int statusOf(const Session& session) {
  for (const auto& [uid, report] : session.evaluation().reports)
    if (report.state == NodeState::Failed || report.state == NodeState::Waiting) return kProblem;
  for (const Problem& p : session.problems())
    if (p.severity == Severity::Error) return kProblem;
  return kDone;
}

Result<void> checkEnding(const std::string& path, const std::vector<std::string>& endings) {
  const auto fits = [&](const std::string& ending) { return path.size() > ending.size() && path.ends_with(ending); };
  if (std::any_of(endings.begin(), endings.end(), fits)) return {};
  std::string all;
  for (std::size_t i = 0; i < endings.size(); ++i)
    all += (i == 0 ? "" : i + 1 == endings.size() ? " or " : ", ") + endings[i];
  return fail(ProblemCode::BadParameter, "the format is not known by its ending", "Use " + all, path);
}

int run(const CommonOptions& options, const std::function<Result<int>()>& body) {
  int status = kProblem;
  if (options.memoryGb > 0) setMemoryLimit(static_cast<std::size_t>(options.memoryGb * (1 << 30)));
  withThreads(options.threads, [&] {
    const Result<int> result = body();
    if (result)
      status = *result;
    else
      printProblem(result.error());
  });
  return status;
}

}  // namespace arvesk::cli
