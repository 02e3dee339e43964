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

/// In place of a hash: it lies where the reader may not look.
constexpr std::uint64_t kNotAllowed = ~std::uint64_t{0};

/// 0 when there is no such regular file, or it may not be read.
std::uint64_t hashOfFile(const std::string& path);

/// "a b" of "a%20b" (RFC 3986); what is no such code stays.
std::string pathOfUri(const std::string& text);

/// Filled by readers while they read.
class ReadFiles {
 public:
  /// Files elsewhere than in these folders and below them are not found from now on.
  void allowOnly(std::vector<std::string> folders) { m_allowed = std::move(folders); }
  /// Before the file is opened, or when it is missed.
  void note(const std::string& path);
  /// The file of that name, as other systems wrote it: with `\` between folders, %20 for a blank, letters in other
  /// case. Noted; nothing when there is none.
  std::optional<std::string> find(const std::string& path);
  /// With what they held. Fails when one of them was written to meanwhile: nobody knows which bytes were read then.
  Result<std::vector<ReadFile>> finished() const;

 private:
  bool isAllowed(const std::string& path) const;

  std::vector<ReadFile> m_files;
  std::optional<std::vector<std::string>> m_allowed;
};

}  // namespace arvesk
