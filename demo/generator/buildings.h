// The boathouse with its slip, what covers them, and net lofts with the lots that they stand on.
#pragma once

#include <string>

namespace arvesk::demo {
void makeCovering(const std::string& kitFolder);
void makeBoathouse(const std::string& folder);
void makeLots(const std::string& folder);
}  // namespace arvesk::demo
