// Reads files of volumes. Every byte is treated as hostile, but the library behind is not: call this in the import
// helper only (and in tests); the rest of the program goes through FileService.
#pragma once

#include "core/spatial/volume_file.h"

namespace arvesk {

/// OpenVDB files: grids of single, half or double numbers. A level set gives its skin, every other grid a density. What
/// was left out or repaired is told in `warnings`.
Result<VolumeFile> readVolumes(const std::string& path, std::vector<Problem>& warnings);

}  // namespace arvesk
