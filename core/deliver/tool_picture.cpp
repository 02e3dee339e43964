#include "core/deliver/tool_picture.h"

#include "core/picture/render.h"

namespace arvesk {

Result<Array<std::uint32_t>> toolPicture(const LibraryTool& tool, const Session::Settings& settings, int width,
                                         int height, int samples, const Task& task) {
  auto session = Session::open(tool.file, settings);
  if (!session) return Failure(session.error());
  if (auto ok = session->evaluate(Quality::Final, {}, task); !ok) return Failure(ok.error());
  std::vector<PointsPtr> bare;
  const auto scene = PictureScene::build(pictureInputOf(session->opened(), session->evaluation(), {}, bare), task);
  if (!scene) return Failure(scene.error());
  const auto& cameras = tool.plan.settings.cameras;
  const auto camera = cameraOf(session->plan(), cameras.empty() ? std::string() : cameras.front().name,
                               (*scene)->bounds());
  if (!camera) return Failure(camera.error());
  return renderPicture(**scene, *camera, width, height, samples, task, {});
}

}  // namespace arvesk
