// A piece of sea that moves, for the example "swell".
#pragma once

#include <string>

namespace arvesk::demo {

/// Writes swell.glb: a sheet of water with two waves that run across it and are where they began after 8 s.
void makeSwell(const std::string& folder);

}  // namespace arvesk::demo
