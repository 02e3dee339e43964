// arvesk-run: lists the subcommands; each lives in a file of its own.
#include "cli/runner.h"

int main(int argc, char** argv) {
  using namespace arvesk::cli;
  CLI::App app("Arvesk without a window: evaluates plans, writes what they place, and draws them.", "arvesk-run");
  app.require_subcommand(1);
  int status = kUsage;
  addEvaluate(app, status);
  addCover(app, status);
  addExport(app, status);
  addPicture(app, status);
  addCheck(app, status);
  addNodes(app, status);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    app.exit(e);
    return e.get_exit_code() == 0 ? kDone : kUsage;
  }
  return status;
}
