// Props that an export names by their files: where these lie, how they come to stand as the prop does, and copies of
// them that are the same to the byte.
#pragma once

#include "core/formats/exporter.h"

namespace arvesk::exporters {

struct Delivered {
  std::string path;                 // absolute
  std::vector<std::string> beside;  // absolute: files that it reads
  glm::dmat4 toProp{1};             // from its own units and axes to the prop's meters, Y up
  std::string prim;                 // of USD: the prim to name where the file names none itself; empty: its default
};

/// Fails where the file is not there. Of USD as text its unit, up axis and first prim are read from its head; what
/// could not be read of others is told in the report.
Result<Delivered> deliveredOf(const Prop& prop, Job& job);

/// "../kit/boulder.usda" from the folder of the export, with '/'.
std::string pathFrom(const std::string& exportPath, const std::string& file);

/// The folder beside an export that holds copies of files. Each asset has a folder of its own there, whose name ends
/// with a hash of all that is in it, so that no copy takes the place of another that a file on the disk still names.
class AssetFolder {
 public:
  explicit AssetFolder(Job& job);
  /// Removes what was copied, unless keep() was called.
  ~AssetFolder();
  AssetFolder(const AssetFolder&) = delete;
  AssetFolder& operator=(const AssetFolder&) = delete;
  /// The file and what it reads; gives its place from the export's folder, with '/'.
  Result<std::string> copy(const Prop& prop, const Delivered& what);
  /// The export names them from now on: what earlier ones left here is removed.
  void keep();

 private:
  Job& m_job;
  std::string m_name;                 // of the folder
  std::vector<std::string> m_made;    // files that were not there before
  std::vector<std::string> m_assets;  // folders in it that this export names
  bool m_isKept = false;
};

/// One after the other, of a matrix that turns, sizes evenly and moves.
struct Placing {
  DVec3 position{0};
  glm::dquat turn{1, 0, 0, 0};
  double size = 1;
};
Placing placingOf(const glm::dmat4& m);

}  // namespace arvesk::exporters
