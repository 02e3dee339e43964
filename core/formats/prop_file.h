// A prop as a file of its own.
#pragma once

#include "core/geometry/prop.h"

namespace arvesk {

/// Writes a prop as a glTF file of its own (.glb) with all that its vertices carry, in meters with Y up, lying as it
/// did in the file that it comes from: the Kit's size, turn and pivot apply to it as they did to that one.
Result<void> writePropFile(const Prop& prop, const std::string& path);

}  // namespace arvesk
