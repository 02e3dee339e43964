// arvesk-run frames: what goes on over the frames of a plan.
#include "cli/runner.h"
#include "core/deliver/over_frames.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace arvesk::cli {
namespace {

/// What goes on over the frames of a plan, a line each, and the worst of it.
Result<int> checkFrames(const FrameOptions& options, bool isJson) {
  OverFrames over;
  const auto last = throughFrames(options, [&](Session& session) -> Result<void> {
    const auto layers = exportLayersOf(session.opened(), session.evaluation(), {});
    if (!layers) return Failure(layers.error());
    constexpr float kDeeper = 0.01F;
    over.add(momentOf(session.plan()).frame, *layers, kDeeper, {});
    return {};
  });
  if (!last) return Failure(last.error());
  nlohmann::json frames = nlohmann::json::array();
  if (!isJson) fmt::print("frame  placements    came    went  longest step  deepest overlap\n");
  for (const FrameFacts& f : over.frames()) {
    frames.push_back({{"frame", f.frame},
                      {"placements", f.placements},
                      {"came", f.came},
                      {"went", f.went},
                      {"longest step", f.longestStep},
                      {"deepest overlap", f.deepest}});
    if (!isJson)
      fmt::print("{:>5}  {:>10}  {:>6}  {:>6}  {:>10.3f} m  {:>13.3f} m\n", f.frame, f.placements, f.came, f.went,
                 f.longestStep, f.deepest);
  }
  nlohmann::json all = {{"frames", frames}, {"flickering", over.flickerCount()}};
  const auto list = [&](const char* what, const char* words, const std::vector<FrameFinding>& found) {
    nlohmann::json items = nlohmann::json::array();
    for (std::size_t k = 0; k < found.size(); ++k) {
      const FrameFinding& f = found[k];
      items.push_back({{"frame", f.frame}, {"output", f.output}, {"id", std::to_string(f.id)}, {"meters", f.meters}});
      if (isJson || k >= 10) continue;
      if (k == 0) fmt::print("{}:\n", words);
      fmt::print("  frame {:>5}  {:>8.3f} m  {} of {}\n", f.frame, f.meters, f.id, f.output);
    }
    all[what] = std::move(items);
  };
  list("steps", "longest steps", over.steps());
  list("overlaps", "deepest overlaps (the smaller of the two)", over.meetings());
  list("flickers", "flicker: missing at one frame only", over.flickers());
  if (over.flickerCount() > 0)
    printProblem({ProblemCode::WrongInput, Severity::Warning, options.plan,
                  fmt::format("{} times something is missing at one frame only", over.flickerCount()),
                  "Let limits move evenly, or use Make room with Slide over time"});
  if (isJson) fmt::print("{}\n", all.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
  return last->second;
}

}  // namespace

void addFrames(CLI::App& app, int& status) {
  struct Options : FrameOptions {
    bool isJson = false;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand(
      "frames", "What goes on over the frames: counts, who comes and goes, longest step, deepest overlap, flicker");
  options->CommonOptions::addTo(*sub);
  sub->add_option("--frames", options->frames, "Which: 1-120, or all of the plan's time")->default_val("all");
  sub->add_flag("--json", options->isJson, "As JSON");
  sub->callback([options, &status] {
    status = run(*options, [&]() -> Result<int> { return checkFrames(*options, options->isJson); });
  });
}

}  // namespace arvesk::cli
