// Which files a reader opened, and what they held: all of them belong to what came of it, not the named one alone.
#pragma once

#include "core/base/result.h"

#include <optional>
#include <vector>

namespace arvesk {

struct ReadFile {
  std::string path;        // absolute
  std::uint64_t hash = 0;  // of its bytes; 0: it was looked for, and there is no such file
};

/// 0 when there is no such regular file, or it may not be read.
std::uint64_t hashOfFile(const std::string& path);

/// Filled by readers while they read.
class ReadFiles {
 public:
  /// Before the file is opened, or when it is missed.
  void note(const std::string& path);
  /// The file of that name, as other systems wrote it: with `\` between folders, %20 for a blank, letters in other
  /// case. Noted; nothing when there is none.
  std::optional<std::string> find(const std::string& path);
  /// With what they held. Fails when one of them was written to meanwhile: nobody knows which bytes were read then.
  Result<std::vector<ReadFile>> finished() const;

 private:
  std::vector<ReadFile> m_files;
};

}  // namespace arvesk
