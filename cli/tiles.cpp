// arvesk-run tiles: writes a plan in square tiles, each worked out alone, by one process or by several.
#include "cli/runner.h"
#include "cli/tile_jobs.h"
#include "core/base/number_text.h"
#include "core/deliver/changed_tiles.h"
#include "core/deliver/tile_states.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <set>
#include <thread>

#include <unistd.h>

namespace arvesk::cli {
namespace {

struct Options : CommonOptions {
  TileOrder order;
  std::string format = "usda";
  std::string on = "local";
  int jobs = 0;  // processes, or the lists of an array; 0: one process, or as many lists as an array takes
  std::string partition;
  std::vector<std::string> sbatch;
  std::string share;  // of another process of this program; empty: all
};

/// "lists.txt:3": the tiles on the fourth line of that file.
Result<std::vector<std::string>> shareIn(const std::string& text) {
  const std::size_t colon = text.rfind(':');
  const auto which = colon == std::string::npos ? std::nullopt
                                                : numberIn<int>(std::string_view(text).substr(colon + 1));
  if (!which || *which < 0)
    return fail(ProblemCode::BadParameter, fmt::format("share \"{}\" is not like lists.txt:0", text),
                "A file of lists of tiles, and which line of it, from 0");
  return listIn(text.substr(0, colon), static_cast<std::size_t>(*which));
}

/// The tiles of this process, one after the other; what another one has done meanwhile stays.
Result<void> makeHere(Session& session, const Options& options, const TileGrid& grid, const std::string& key,
                      const std::set<std::string>& names) {
  for (std::size_t t = 0; t < grid.count(); ++t) {
    const std::string name = grid.nameOf(t);
    if (!names.contains(name) || tileRecord(options.order, name, key)) continue;
    const auto record = makeTile(session, options.order, grid, t, key, progressTask(options, "tile " + name));
    if (!record) return Failure(record.error());
    if (options.isQuiet) continue;
    fmt::print("tile {:>9}  {:>10}  {:>7.1f} s  {:>6.0f} MB{}\n", name,
               record->state == TileRecord::State::Failed ? "failed" : fmt::format("{}", record->placements),
               record->seconds, static_cast<double>(record->peakBytes) / 1e6,
               record->problems.empty() ? "" : "  " + record->problems.front());
    std::fflush(stdout);
  }
  return {};
}

/// The words that this program was called with, the program itself by its full path.
std::vector<std::string> ownCommand() {
  std::ifstream file("/proc/self/cmdline", std::ios::binary);
  const std::string line((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
  std::vector<std::string> words;
  for (std::size_t at = 0; at < line.size(); at = line.find('\0', at) + 1) words.emplace_back(line.c_str() + at);
  words.front() = std::filesystem::read_symlink("/proc/self/exe").string();
  return words;
}

std::string jobNameOf(const std::string& key) { return "arvesk-" + key.substr(0, 12); }

/// Sends the tiles to others and waits for them.
Result<void> makeElsewhere(const Options& options, std::vector<std::string> names, const std::string& key) {
  const bool isSlurm = options.on == "slurm";
  const std::size_t all = names.size();
  const std::size_t lists = options.jobs > 0 ? static_cast<std::size_t>(options.jobs) : std::size_t{1000};
  const int threads = options.threads > 0 ? options.threads : static_cast<int>(std::thread::hardware_concurrency());
  Sending sending;
  sending.command = ownCommand();
  sending.folder = options.order.folder + "/jobs";
  sending.atOnce = lists;
  sending.threads = std::max(1, threads / static_cast<int>(lists));
  sending.name = jobNameOf(key);
  if (!options.partition.empty()) sending.options.push_back("--partition=" + options.partition);
  sending.options.insert(sending.options.end(), options.sbatch.begin(), options.sbatch.end());
  std::vector<std::string> open = names;
  sending.look = [&, told = all]() mutable {
    std::erase_if(open, [&](const std::string& name) { return tileRecord(options.order, name, key).has_value(); });
    if (!options.isQuiet && open.size() != told) fmt::print("{} of {} tiles\n", all - open.size(), all);
    std::fflush(stdout);
    told = open.size();
  };
  const auto workers = isSlurm ? slurmArrays(std::move(sending)) : processesHere(std::move(sending));
  return sendTiles(*workers, options.order, std::move(names), key, options.order.folder + "/jobs", lists);
}

Result<int> makeTiles(Options& options) {
  options.order.ending = "." + options.format;
  options.order.quality = options.quality == "draft" ? Quality::Draft : Quality::Final;
  options.order.limits.points = options.limitPoints;
  auto session = openPlan(options);
  if (!session) return Failure(session.error());
  const auto grid = tileGridOf(*session, options.order, progressTask(options, "grounds"));
  if (!grid) return Failure(grid.error());
  const std::string key = tileKeyOf(session->plan(), session->files(), options.order, *grid);
  if (!options.share.empty()) {
    const auto names = shareIn(options.share);
    if (!names) return Failure(names.error());
    if (auto ok = makeHere(*session, options, *grid, key, {names->begin(), names->end()}); !ok)
      return Failure(ok.error());
    return kDone;  // how each ended is in its record; who sent this collects
  }
  SentTiles sent{*grid, key, options.order.ending, options.on == "slurm" ? jobNameOf(key) : "", ::getpid()};
  if (auto ok = writeSent(options.order, sent); !ok) return Failure(ok.error());
  const auto changing = keepUnchanged(*session, options.order, *grid, key, progressTask(options, "what changed"));
  if (!changing) return Failure(changing.error());
  std::vector<std::string> open;
  for (std::size_t t = 0; t < grid->count(); ++t) {
    const auto record = tileRecord(options.order, grid->nameOf(t), key);
    if (record && record->state != TileRecord::State::Failed) continue;
    open.push_back(grid->nameOf(t));
    forgetTile(options.order, open.back());
  }
  if (!options.isQuiet) {
    fmt::print("{} tiles of {} m\n", grid->count(), options.order.size);
    if (*changing) fmt::print("{} of {} tiles change\n", **changing, grid->count());
    if (open.size() < grid->count()) fmt::print("{} tiles were done and stayed\n", grid->count() - open.size());
  }
  std::fflush(stdout);
  const bool isAlone = options.on == "local" && options.jobs <= 1;
  const auto made = isAlone ? makeHere(*session, options, *grid, key, {open.begin(), open.end()})
                            : makeElsewhere(options, std::move(open), key);
  if (!made) return Failure(made.error());
  const auto records = collectTiles(*session, options.order, *grid, key, progressTask(options, "collecting"));
  if (!records) return Failure(records.error());
  sent.process = 0;
  if (auto ok = writeSent(options.order, sent); !ok) return Failure(ok.error());
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
  sub->add_option("--jobs", options->jobs, "So many processes of this machine at once, or jobs of Slurm's array")
      ->check(CLI::Range(1, 1000));
  sub->add_option("--on", options->on, "Where: processes of this machine, or job arrays of the batch engine Slurm")
      ->check(CLI::IsMember({"local", "slurm"}))
      ->capture_default_str();
  sub->add_option("--partition", options->partition, "Slurm's partition");
  sub->add_option("--sbatch", options->sbatch,
                  "An option for sbatch as it is, such as --sbatch=--mem=4G; several times");
  sub->add_option("--share", options->share,
                  "Only the tiles on one line of a file, from 0: what jobs are called with (lists.txt:3)")
      ->group("");
  sub->callback([options, &status] { status = run(*options, [&] { return makeTiles(*options); }); });
}

}  // namespace arvesk::cli
