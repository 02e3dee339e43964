// arvesk-run cover: placements per m², or a mask, from above.
#include "cli/runner.h"

#include "core/deliver/map_picture.h"

#include <fmt/format.h>

namespace arvesk::cli {

void addCover(CLI::App& app, int& status) {
  struct Options : CommonOptions {
    std::string to;
    std::vector<std::string> outputs;
    std::string mask;
    float cell = 0.5F;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("cover",
                                     "Placements per m², or a mask, from above: .png or .exr, the extent beside");
  options->addTo(*sub);
  sub->add_option("--to", options->to, "The file to write, .png or .exr")->required();
  sub->add_option("--output", options->outputs, "Only the Output node with this title; may be given several times");
  sub->add_option("--mask", options->mask, "This mask in place of placements, by title or uid");
  sub->add_option("--cell", options->cell, "Meters per pixel")->check(CLI::Range(0.001, 1e4))->capture_default_str();
  sub->callback([options, &status] {
    status = run(*options, [&]() -> Result<int> {
      if (auto ok = checkEnding(options->to, {".png", ".exr"}); !ok) return Failure(ok.error());
      auto session = evaluatePlan(*options);
      if (!session) return Failure(session.error());
      std::vector<PointsPtr> bare;
      const std::vector<SurfacePtr> grounds =
          pictureInputOf(session->opened(), session->evaluation(), {}, bare).grounds;
      MapPicture picture;
      if (!options->mask.empty()) {
        const auto node = session->find(options->mask);
        if (!node) return Failure(node.error());
        const MaskPtr mask = session->evaluation().firstOf<MaskPtr>((*node)->uid);
        if (!mask) return fail(ProblemCode::BadParameter, "is no mask, or could not be made", {}, (*node)->title);
        if (grounds.empty())
          return fail(ProblemCode::MissingInput, "the plan shows no ground to ask the mask on",
                      "Add a terrain or a mesh");
        auto made = maskPicture(*mask, grounds.front(), options->cell, progressTask(*options, "mask"));
        if (!made) return Failure(made.error());
        picture = std::move(*made);
      } else {
        const auto layers = exportLayersOf(session->opened(), session->evaluation(), options->outputs);
        if (!layers) return Failure(layers.error());
        std::vector<PointsPtr> points;
        for (const ExportLayer& layer : *layers)
          if (layer.points) points.push_back(layer.points);
        picture = coverPicture(points, grounds, options->cell, progressTask(*options, "cover"));
      }
      if (auto ok = writeMapPicture(picture, options->to); !ok) return Failure(ok.error());
      fmt::print("{} x {} pixels of {:g} m in {}, the extent in {}.json\n", picture.columns, picture.rows, picture.cell,
                 options->to, options->to);
      return statusOf(*session);
    });
  });
}

}  // namespace arvesk::cli
