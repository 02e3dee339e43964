// arvesk-import-volume: the helper process that reads files of volumes. Started by the application, not by people.
#include "core/formats/import_helper.h"
#include "core/formats/volume_reader.h"

int main(int argc, char** argv) {
  using namespace arvesk;
  return importHelperMain(argc, argv, [](const std::string& path, ImportOutcome& outcome, ReadFiles&) {
    auto volumes = readVolumes(path, outcome.warnings);
    if (volumes)
      outcome.volumes = std::make_shared<const VolumeFile>(std::move(*volumes));
    else
      outcome.failure = volumes.error();
  });
}
