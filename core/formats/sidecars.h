// The files beside an exported one. The name of each ends with a hash of its content, so that none is ever put in the
// place of another that a file on the disk still reads: whenever the program is killed, what stands under the chosen
// name leads to whole files of its own.
#pragma once

#include "core/base/safe_file.h"

#include <set>
#include <string_view>
#include <vector>

namespace arvesk::exporters {

class Sidecars {
 public:
  /// `isInFolder`: in one of their own below the main file's, else beside it. `endings` are all that an export of this
  /// kind puts there: ".bin".
  Sidecars(const std::string& main, bool isInFolder, std::vector<std::string> endings);
  /// Removes what was added, unless the main file was put in place since.
  ~Sidecars();
  Sidecars(const Sidecars&) = delete;
  Sidecars& operator=(const Sidecars&) = delete;

  /// Puts a file in place and gives its name from the main file's folder, with '/'.
  /// Of files in a folder of their own `title` is a part of the name.
  Result<std::string> add(const std::string& title, const std::string& ending, std::string_view content);
  Result<std::string> add(const std::string& title, const std::string& ending,
                          const std::function<Result<void>(SafeFile&)>& write);
  /// What add() calls a file whose content has this hash.
  std::string nameOf(const std::string& title, const std::string& ending, std::uint64_t hash) const;
  /// The main file reads them from now on: what earlier exports to it left is removed.
  void keep();
  /// Absolute or as the main file's path was; in the order in which they were added.
  const std::vector<std::string>& files() const { return m_files; }

 private:
  bool isOurs(const std::string& name) const;

  std::string m_stem;    // of the main file, as words of file formats can hold it
  std::string m_folder;  // where they are
  std::string m_within;  // from the main file's folder: empty, or with '/' at its end
  std::vector<std::string> m_endings;
  std::vector<std::string> m_files;
  std::set<std::string> m_made;  // that did not stand there before
  bool m_madeFolder = false;
  bool m_isKept = false;
};

inline std::string_view bytesOf(const std::vector<std::uint8_t>& bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

/// As a reference in a file: everything but letters, digits and "-._~/" as %XX (RFC 3986).
std::string uriOf(std::string_view path);

}  // namespace arvesk::exporters
