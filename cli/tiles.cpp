// arvesk-run tiles: writes a plan in square tiles, each worked out alone, by one process or by several.
#include "core/deliver/tiles.h"
#include "cli/runner.h"
#include "core/base/number_text.h"

#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <thread>

namespace arvesk::cli {
namespace {

struct Options : CommonOptions {
  TileOrder order;
  std::string format = "usda";
  int jobs = 1;
  std::string share;  // "2/8": of eight processes the third one's tiles; empty: all
};

struct Share {
  std::size_t which = 0;
  std::size_t of = 1;
};
std::optional<Share> shareIn(const std::string& text) {
  if (text.empty()) return Share();
  const std::size_t slash = text.find('/');
  if (slash == std::string::npos) return {};
  const auto which = numberIn<int>(std::string_view(text).substr(0, slash));
  const auto of = numberIn<int>(std::string_view(text).substr(slash + 1));
  if (!which || !of || *which < 0 || *of < 1 || *which >= *of) return {};
  return Share{static_cast<std::size_t>(*which), static_cast<std::size_t>(*of)};
}

/// This process's tiles that are not done yet, one after the other.
Result<void> makeShare(Session& session, const Options& options, const TileGrid& grid, const std::string& key,
                       const Share& share) {
  std::size_t there = 0;
  for (std::size_t t = share.which; t < grid.count(); t += share.of) {
    const std::string name = grid.nameOf(t);
    if (tileDone(options.order, name, key)) {
      ++there;
      continue;
    }
    const auto record = makeTile(session, options.order, grid, t, key, progressTask(options, "tile " + name));
    if (!record) return Failure(record.error());
    if (options.isQuiet) continue;
    fmt::print("tile {:>9}  {:>10}  {:>7.1f} s  {:>6.0f} MB{}\n", name,
               record->state == TileRecord::State::Failed ? "failed" : fmt::format("{}", record->placements),
               record->seconds, static_cast<double>(record->peakBytes) / 1e6,
               record->problems.empty() ? "" : "  " + record->problems.front());
    std::fflush(stdout);
  }
  if (there > 0 && !options.isQuiet) fmt::print("{} tiles were done and stayed\n", there);
  return {};
}

/// Processes of this program with the same options, each with its share. One that ends badly leaves its tiles without
/// a record, which is told when all are collected.
Result<void> makeInProcesses(const Options& options, std::size_t count) {
  std::ifstream file("/proc/self/cmdline", std::ios::binary);
  const std::string line((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
  std::vector<std::string> words;
  for (std::size_t at = 0; at < line.size(); at = line.find('\0', at) + 1) words.emplace_back(line.c_str() + at);
  const int threads = options.threads > 0 ? options.threads : static_cast<int>(std::thread::hardware_concurrency());
  std::vector<pid_t> running;
  for (std::size_t k = 0; k < count; ++k) {
    std::vector<std::string> own = words;
    own.insert(own.end(), {"--share", fmt::format("{}/{}", k, count), "--threads",
                           std::to_string(std::max(1, threads / static_cast<int>(count)))});
    std::vector<char*> arguments;
    for (std::string& word : own) arguments.push_back(word.data());
    arguments.push_back(nullptr);
    pid_t child = 0;
    if (const int fault = ::posix_spawn(&child, "/proc/self/exe", nullptr, nullptr, arguments.data(), environ);
        fault != 0) {
      printProblem(problem(ProblemCode::WriteFailed,
                           fmt::format("process {} of {} could not be started: {}", k + 1, count,
                                       std::generic_category().message(fault)),
                           "Its tiles are told below; run the same command again"));
      continue;
    }
    running.push_back(child);
  }
  for (const pid_t child : running) {
    int how = 0;
    while (::waitpid(child, &how, 0) < 0 && errno == EINTR) {}
    if (WIFSIGNALED(how))
      printProblem(problem(ProblemCode::WriteFailed, fmt::format("a process was ended by signal {}", WTERMSIG(how)),
                           "Run the same command again: what is done stays"));
  }
  return {};
}

Result<int> makeTiles(Options& options) {
  const auto share = shareIn(options.share);
  if (!share)
    return fail(ProblemCode::BadParameter, fmt::format("share \"{}\" is not like 0/8", options.share),
                "Which process, from 0, of how many");
  options.order.ending = "." + options.format;
  options.order.quality = options.quality == "draft" ? Quality::Draft : Quality::Final;
  options.order.limits.points = options.limitPoints;
  auto session = openPlan(options);
  if (!session) return Failure(session.error());
  const auto grid = tileGridOf(*session, options.order, progressTask(options, "grounds"));
  if (!grid) return Failure(grid.error());
  const std::string key = tileKeyOf(*session, options.order, *grid);
  const bool isAll = options.share.empty();
  if (isAll && !options.isQuiet) fmt::print("{} tiles of {} m\n", grid->count(), options.order.size);
  std::fflush(stdout);
  const auto made = isAll && options.jobs > 1 ? makeInProcesses(options, static_cast<std::size_t>(options.jobs))
                                              : makeShare(*session, options, *grid, key, *share);
  if (!made) return Failure(made.error());
  if (!isAll) return kDone;  // how each ended is in its record; who sent this collects
  const auto records = collectTiles(*session, options.order, *grid, key, progressTask(options, "collecting"));
  if (!records) return Failure(records.error());
  std::size_t placements = 0;
  std::map<TileRecord::State, std::size_t> states;
  std::map<std::string, std::vector<std::string>> failed;  // tiles by message
  for (const TileRecord& r : *records) {
    placements += r.placements;
    ++states[r.state];
    if (r.state == TileRecord::State::Failed) failed[r.problems.empty() ? "?" : r.problems.front()].push_back(r.name);
  }
  for (const auto& [message, names] : failed)
    printProblem(
        {ProblemCode::Waiting, Severity::Error, options.plan,
         fmt::format("{} tile{} failed ({}): {}", names.size(), names.size() == 1 ? "" : "s", listOf(names), message),
         "The others are done and stay; run the same command again"});
  fmt::print("{:>10}  in {} tiles, {} empty, {} failed, in {}\n", placements, states[TileRecord::State::Done],
             states[TileRecord::State::Empty], states[TileRecord::State::Failed], options.order.folder);
  return states[TileRecord::State::Failed] > 0 ? kProblem : kDone;
}

}  // namespace

void addTiles(CLI::App& app, int& status) {
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand(
      "tiles", "Writes the outputs in square tiles, each worked out alone; goes on where it stopped");
  options->addTo(*sub);
  sub->add_option("--size", options->order.size, "Side of a tile, m; tiles count from the world's origin")
      ->check(CLI::Range(0.1, 1e6))
      ->capture_default_str();
  sub->add_option("--to", options->order.folder, "The folder for tiles, their records, tiles.json and world.usda")
      ->required();
  std::vector<std::string> endings;
  for (const ExportFormat& f : exportFormats())
    if (std::string_view(f.ending) != ".vdb") endings.emplace_back(f.ending + 1);
  sub->add_option("--format", options->format, "Of the tiles")->check(CLI::IsMember(endings))->capture_default_str();
  sub->add_option("--output", options->order.outputs,
                  "Only the Output node with this title; may be given several times");
  sub->add_option("--attributes", options->order.how.attributes,
                  "Attributes of the points to write, as patterns separated by ;")
      ->delimiter(',');
  sub->add_option("--jobs", options->jobs, "So many processes of this machine at once")
      ->check(CLI::Range(1, 1024))
      ->capture_default_str();
  sub->add_option(
         "--share", options->share,
         "Only the tiles of one process of several, such as 0/8, for batch engines; a call without it collects")
      ->group("");
  sub->callback([options, &status] { status = run(*options, [&] { return makeTiles(*options); }); });
}

}  // namespace arvesk::cli
