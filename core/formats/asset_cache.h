// Imported assets on disk, in our own plain layout: what the import helper hands over, and what makes a heavy asset be
// read only once.
#pragma once

#include "core/formats/read_files.h"
#include "core/geometry/surface.h"
#include "core/spatial/volume_file.h"

namespace arvesk {

/// What an import ended with.
struct ImportOutcome {
  std::optional<Problem> failure;
  std::vector<Problem> warnings;
  std::vector<ReadFile> files;  // that were opened for it, the named one first
  SurfacePtr surface;
  ImagePtr image;
  VolumeFilePtr volumes;
};

Result<void> writeOutcome(const ImportOutcome& outcome, const std::string& path);
/// Checks sizes and a checksum; a damaged file is an error, never a crash.
Result<ImportOutcome> readOutcome(const std::string& path);

}  // namespace arvesk
