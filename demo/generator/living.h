// What lives in the water and on the dunes: jellies and gorse, and the lumps that gorse is drawn as; fish boxes.
#pragma once

#include <string>

namespace arvesk::demo {
void makeLiving(const std::string& kitFolder, const std::string& examplesFolder);
}  // namespace arvesk::demo
