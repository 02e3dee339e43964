// The demo's ground: heights, damp places and colors of Tern Cove.
#pragma once

#include <string>

namespace arvesk::demo {
void makeGround(const std::string& folder);
}
