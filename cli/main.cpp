// arvesk-run: lists the subcommands; each lives in a file of its own.
#include "cli/runner.h"
#include "core/base/reserve.h"

#include "core/base/border.h"

#include <csignal>
#include <cstdio>

int main(int argc, char** argv) {
  using namespace arvesk;
  using namespace arvesk::cli;
  CLI::App app("Arvesk without a window: evaluates plans, writes what they place, and draws them.", "arvesk-run");
  app.require_subcommand(1);
  int status = kUsage;
  addEvaluate(app, status);
  addCover(app, status);
  addExport(app, status);
  addPicture(app, status);
  addCheck(app, status);
  addFrames(app, status);
  addTiles(app, status);
  addNodes(app, status);
  holdReserve();
  std::signal(SIGPIPE, SIG_IGN);  // who reads our output may go; that is an error, no reason to die
  const auto done = withinBorder([&] {
    try {
      app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
      app.exit(e);
      status = e.get_exit_code() == 0 ? kDone : kUsage;
    }
    return true;
  });
  if (!done) {
    printProblem(done.error());
    status = kProblem;
  }
  if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0) {
    printProblem(problem(ProblemCode::WriteFailed, "the output could not be written to its end",
                         "Is the disk full, or did its reader go?"));
    status = kProblem;
  }
  return status;
}
