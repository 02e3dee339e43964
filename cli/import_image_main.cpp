// arvesk-import-image: the helper process that reads images. Started by the application, not by people.
#include "core/formats/image_reader.h"
#include "core/formats/import_helper.h"

int main(int argc, char** argv) {
  using namespace arvesk;
  return importHelperMain(argc, argv, [](const std::string& path, ImportOutcome& outcome, ReadFiles&) {
    auto image = readImage(path);
    if (image)
      outcome.image = std::make_shared<const Image>(std::move(*image));
    else
      outcome.failure = image.error();
  });
}
