// The demo's kit: rocks, pebbles, driftwood, marram and kale of Tern Cove.
#pragma once

#include "core/geometry/surface.h"

#include <string>

namespace arvesk::demo {
/// A prop as GLB with one material; its mount points become empty nodes.
void writeProp(Surface& s, const std::string& name, const std::string& folder, bool isTwoSided);
void makeKit(const std::string& folder);
}  // namespace arvesk::demo
