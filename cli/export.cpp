// arvesk-run export: writes the outputs, by the ending of the file.
#include "cli/runner.h"

#include <fmt/format.h>

namespace arvesk::cli {

void addExport(CLI::App& app, int& status) {
  struct Options : CommonOptions {
    std::string to;
    std::vector<std::string> outputs;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("export", "Writes the outputs: .glb .gltf .usda .csv");
  options->addTo(*sub);
  sub->add_option("--to", options->to, "The file to write")->required();
  sub->add_option("--output", options->outputs, "Only the Output node with this title; may be given several times");
  sub->callback([options, &status] {
    status = run(*options, [&]() -> Result<int> {
      auto session = evaluatePlan(*options);
      if (!session) return Failure(session.error());
      const auto layers = exportLayersOf(session->plan, session->evaluation, options->outputs);
      if (!layers) return Failure(layers.error());
      const auto report = exportLayers(*layers, options->to, progressTask(*options, "writing"));
      if (!report) return Failure(report.error());
      for (const auto& [prop, count] : report->perProp) fmt::print("{:>10}  {}\n", count, prop);
      fmt::print("{:>10}  in all, in {}\n", report->placements, options->to);
      if (report->withoutProp > 0) fmt::print(stderr, "warning: {} points have no prop and were not written\n", report->withoutProp);
      return kDone;
    });
  });
}

}  // namespace arvesk::cli
