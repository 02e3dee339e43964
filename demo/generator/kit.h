// The demo's kit: rocks, pebbles, driftwood, marram and kale of Tern Cove.
#pragma once

#include <string>

namespace arvesk::demo {
void makeKit(const std::string& folder);
}
