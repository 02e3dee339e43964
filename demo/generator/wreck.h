// A boat that the sea has taken apart: its timbers, each by itself.
#pragma once

#include <string>

namespace arvesk::demo {
void makeWreck(const std::string& folder);
}  // namespace arvesk::demo
