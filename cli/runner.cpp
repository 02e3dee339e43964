#include "cli/runner.h"

#include "core/base/memory.h"
#include "core/base/number_text.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <set>

namespace arvesk::cli {

void CommonOptions::addTo(CLI::App& app) {
  app.add_option("plan", plan, "The plan (.arvesk)")->required();
  app.add_option("--set", sets, "Set a parameter or a dial: 'node title or uid.parameter=value', 'dial=value'");
  app.add_option("--seed", seed, "The plan seed");
  app.add_option("--frame", frame, "The frame of a plan that moves, by a number; else its first one")
      ->check(CLI::Range(-1e6, 1e6));
  app.add_option("--quality", quality, "draft or final")
      ->check(CLI::IsMember({"draft", "final"}))
      ->capture_default_str();
  app.add_option("--threads", threads, "Number of threads; 0 uses all")
      ->check(CLI::Range(0, 1024))
      ->take_last()
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

void FrameOptions::addTo(CLI::App& app) {
  CommonOptions::addTo(app);
  app.add_option("--to", to, "The file to write")->required();
  auto* range = app.add_option("--frames", frames, "A file for each of these frames: 1-120, or all of the plan's time")
                    ->excludes("--frame");
  app.add_flag("--go-on", isGoingOn, "Frames whose file is there already stay")->needs(range);
}

Result<Session> openPlan(const CommonOptions& options) {
  auto session = Session::open(options.plan, {{{}, {}, options.allowed}, options.threads});
  if (!session) return Failure(session.error());
  for (const std::string& text : options.sets)
    if (auto ok = session->set(text); !ok) return Failure(ok.error());
  if (options.seed) session->setSeed(*options.seed);
  if (options.frame) session->setFrame(*options.frame);
  return session;
}

namespace {

/// Problems that were told already are not told again.
Result<void> evaluate(Session& session, const CommonOptions& options, const std::string& what,
                      std::set<std::string>& told) {
  Limits limits;
  limits.points = options.limitPoints;
  const Quality quality = options.quality == "draft" ? Quality::Draft : Quality::Final;
  if (auto ok = session.evaluate(quality, limits, progressTask(options, what)); !ok) return Failure(ok.error());
  for (const Problem& p : session.problems())
    if ((!options.isQuiet || p.severity == Severity::Error) && told.insert(toLine(p)).second) printProblem(p);
  return {};
}

struct FrameRange {
  int first = 1;
  int last = 1;
};
Result<FrameRange> rangeOf(const std::string& text, const Plan& plan) {
  if (text == "all") {
    if (const auto& time = plan.settings.time) return FrameRange{time->first, time->last};
    return fail(ProblemCode::BadParameter, "the plan has no time, so there are no frames of it",
                "Name the frames, such as 1-120");
  }
  const std::size_t dash = text.find('-', 1);
  const auto first = numberIn<int>(std::string_view(text).substr(0, dash));
  const auto last = dash == std::string::npos ? first : numberIn<int>(std::string_view(text).substr(dash + 1));
  if (!first || !last || *last < *first || *first < -1'000'000 || *last > 1'000'000)
    return fail(ProblemCode::BadParameter, fmt::format("frames \"{}\" are not like 1-120", text),
                "Name the first and the last one, or write all");
  return FrameRange{*first, *last};
}

}  // namespace

Result<Session> evaluatePlan(const CommonOptions& options) {
  auto session = openPlan(options);
  if (!session) return Failure(session.error());
  std::set<std::string> told;
  if (auto ok = evaluate(*session, options, "evaluating", told); !ok) return Failure(ok.error());
  return session;
}

Result<int> writeFrames(const FrameOptions& options,
                        const std::function<Result<int>(Session& session, const std::string& path)>& write) {
  auto session = openPlan(options);
  if (!session) return Failure(session.error());
  std::set<std::string> told;
  if (options.frames.empty()) {
    if (auto ok = evaluate(*session, options, "evaluating", told); !ok) return Failure(ok.error());
    return write(*session, options.to);
  }
  const auto range = rangeOf(options.frames, session->plan());
  if (!range) return Failure(range.error());
  const std::size_t dot = options.to.find_last_of('.');
  int worst = kDone;
  int there = 0;
  for (int frame = range->first; frame <= range->last; ++frame) {
    const std::string path = fmt::format("{}.{:04d}{}", options.to.substr(0, dot), frame, options.to.substr(dot));
    if (options.isGoingOn && std::filesystem::exists(path)) {
      ++there;
      continue;
    }
    session->setFrame(frame);
    if (auto ok = evaluate(*session, options, fmt::format("frame {}", frame), told); !ok) return Failure(ok.error());
    const auto status = write(*session, path);
    if (!status) return Failure(status.error());
    worst = std::max(worst, *status);
  }
  if (there > 0 && !options.isQuiet) fmt::print("{} frames were there and stayed\n", there);
  return worst;
}

Result<std::pair<Session, int>> throughFrames(const FrameOptions& options,
                                              const std::function<Result<void>(Session& session)>& take) {
  auto session = openPlan(options);
  if (!session) return Failure(session.error());
  const auto range = rangeOf(options.frames, session->plan());
  if (!range) return Failure(range.error());
  std::set<std::string> told;
  int worst = kDone;
  for (int frame = range->first; frame <= range->last; ++frame) {
    session->setFrame(frame);
    if (auto ok = evaluate(*session, options, fmt::format("frame {}", frame), told); !ok) return Failure(ok.error());
    worst = std::max(worst, statusOf(*session));
    if (auto ok = take(*session); !ok) return Failure(ok.error());
  }
  return std::pair{std::move(*session), worst};
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
