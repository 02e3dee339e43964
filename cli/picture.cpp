// arvesk-run picture: a picture of the plan as Site shows it.
#include "cli/runner.h"

#include "core/base/number_text.h"
#include "core/picture/render.h"

#include <fmt/format.h>

namespace arvesk::cli {
namespace {

/// "x>3.5" hides what lies where x is above 3.5, "y<2" what lies below.
Result<Cut> cutOf(const std::string& text) {
  const char axis = text.empty() ? ' ' : text[0];
  const char side = text.size() < 2 ? ' ' : text[1];
  const auto place = numberIn<float>(text.size() < 3 ? std::string_view() : std::string_view(text).substr(2));
  if (!place || axis < 'x' || axis > 'z' || (side != '<' && side != '>'))
    return fail(ProblemCode::BadParameter, fmt::format("cut \"{}\" is not like x>3.5 or y<2", text),
                "Name an axis, a side and a place in meters");
  Cut cut;
  cut.at = Vec3(*place);
  cut.normal = Vec3(0);
  cut.normal[axis - 'x'] = side == '>' ? 1.0F : -1.0F;
  return cut;
}

}  // namespace

void addPicture(CLI::App& app, int& status) {
  struct Options : FrameOptions {
    std::string size = "1280x800";
    std::string camera;
    std::string cut;
    int samples = 16;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("picture", "A picture of the plan, as PNG, or one for each of its frames");
  options->addTo(*sub);
  sub->add_option("--size", options->size, "Width x height in pixels")->capture_default_str();
  sub->add_option("--camera", options->camera, "Name of a saved camera");
  sub->add_option("--cut", options->cut, "Hides what lies beyond a place on an axis, as in x>3.5");
  sub->add_option("--samples", options->samples, "Samples per pixel")
      ->check(CLI::Range(1, 4096))
      ->capture_default_str();
  sub->callback([options, &status] {
    status = run(*options, [&]() -> Result<int> {
      if (auto ok = checkEnding(options->to, {".png"}); !ok) return Failure(ok.error());
      int width = 0;
      int height = 0;
      if (std::sscanf(options->size.c_str(), "%dx%d", &width, &height) != 2 || width < 1 || height < 1 ||
          width > 16384 || height > 16384)
        return fail(ProblemCode::BadParameter,
                    fmt::format("size \"{}\" is not like 1280x800, up to 16384x16384", options->size));
      std::optional<Cut> cut;
      if (!options->cut.empty()) {
        auto read = cutOf(options->cut);
        if (!read) return Failure(read.error());
        cut = *read;
      }
      return writeFrames(*options, [&](Session& session, const std::string& path) -> Result<int> {
        std::vector<PointsPtr> bare;
        const auto scene = PictureScene::build(pictureInputOf(session.opened(), session.evaluation(), {}, bare), {});
        if (!scene) return Failure(scene.error());
        const auto camera = cameraOf(session.plan(), options->camera, (*scene)->bounds());
        if (!camera) return Failure(camera.error());
        const auto pixels = renderPicture(**scene, *camera, width, height, options->samples,
                                          progressTask(*options, "picture"), cut);
        if (auto ok = writePng(path, pixels, width, height); !ok) return Failure(ok.error());
        return statusOf(session);
      });
    });
  });
}

}  // namespace arvesk::cli
