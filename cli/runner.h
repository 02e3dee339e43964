// arvesk-run: the same core without a window. Each subcommand is one file with its options, set-up and run.
#pragma once

#include "core/deliver/session.h"

#include <CLI/CLI.hpp>

#include <memory>

namespace arvesk::cli {

enum ExitStatus { kDone = 0, kProblem = 1, kUsage = 2 };

/// Options that all subcommands on plans share.
struct CommonOptions {
  std::string plan;
  std::vector<std::string> sets;
  std::optional<std::uint64_t> seed;
  std::optional<double> frame;
  std::string quality = "final";
  int threads = 0;
  std::size_t limitPoints = Limits().points;
  double memoryGb = 0;  // 0: as usual
  std::vector<std::string> allowed;
  bool isQuiet = false;

  void addTo(CLI::App& app);
};

/// Opens the plan, applies --set, --seed and --frame.
Result<Session> openPlan(const CommonOptions& options);
/// The same, and evaluates with progress on stderr.
Result<Session> evaluatePlan(const CommonOptions& options);

/// Options of subcommands that write a file, or one for each of many frames.
struct FrameOptions : CommonOptions {
  std::string to;
  std::string frames;  // "1-120" or "all"; empty: one file, of one moment
  bool isGoingOn = false;

  void addTo(CLI::App& app);
};
/// Evaluates and calls write(session, path) for each frame asked for, or once; in the name of a frame's file its number
/// stands before the ending ("film.0007.png"). Gives the worst status of all.
Result<int> writeFrames(const FrameOptions& options,
                        const std::function<Result<int>(Session& session, const std::string& path)>& write);
/// Evaluates each of the frames asked for and calls take(session) then. Gives the session at the last one, and the
/// worst status of all.
Result<std::pair<Session, int>> throughFrames(const FrameOptions& options,
                                              const std::function<Result<void>(Session& session)>& take);
/// kProblem when a node failed or waits, a prop could not be read, or something else went wrong on the way.
int statusOf(const Session& session);
/// Fails when the path has none of the endings, before anything is worked out for it.
Result<void> checkEnding(const std::string& path, const std::vector<std::string>& endings);
/// Runs body with the wanted number of threads; prints a problem and gives the exit status.
int run(const CommonOptions& options, const std::function<Result<int>()>& body);
void printProblem(const Problem& p);
/// Progress on stderr when it is a terminal.
Task progressTask(const CommonOptions& options, const std::string& what);

void addEvaluate(CLI::App& app, int& status);
void addCover(CLI::App& app, int& status);
void addExport(CLI::App& app, int& status);
void addPicture(CLI::App& app, int& status);
void addCheck(CLI::App& app, int& status);
void addFrames(CLI::App& app, int& status);
void addTiles(CLI::App& app, int& status);
void addNodes(CLI::App& app, int& status);

}  // namespace arvesk::cli
