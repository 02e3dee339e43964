// arvesk-import-mesh: the helper process that reads mesh files. Started by the application, not by people.
#include "core/formats/import_helper.h"
#include "core/formats/mesh_reader.h"

int main(int argc, char** argv) {
  using namespace arvesk;
  return importHelperMain(
      argc, argv,
      [](const std::string& path, ImportOutcome& outcome, ReadFiles& files) {
        auto surface = readMesh(path, outcome.warnings, files);
        if (surface)
          outcome.surface = std::make_shared<const Surface>(std::move(*surface));
        else
          outcome.failure = surface.error();
      },
      AssetKind::Image);  // for textures
}
