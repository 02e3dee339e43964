// Files are written under a temporary name and renamed when whole, so that a failed save or export never damages the
// old file.
#pragma once

#include "core/base/result.h"

#include <cstdio>
#include <functional>
#include <string>

namespace arvesk {

/// Collects output in a file beside `path`; commit() puts it in place. Without commit the temporary file is removed.
class SafeFile {
 public:
  explicit SafeFile(std::string path);
  ~SafeFile();
  SafeFile(const SafeFile&) = delete;
  SafeFile& operator=(const SafeFile&) = delete;

  void write(const void* data, std::size_t size);
  void write(const std::string& text) { write(text.data(), text.size()); }
  /// Overwrites `size` bytes at `offset`, for headers whose numbers are known last.
  void writeAt(long offset, const void* data, std::size_t size);
  std::size_t written() const { return m_written; }
  Result<void> commit();

 private:
  std::string m_path;
  std::string m_temporary;
  std::FILE* m_file = nullptr;
  std::size_t m_written = 0;
  std::string m_error;
};

Result<void> writeWhole(const std::string& path, const std::string& content);
Result<std::string> readWhole(const std::string& path, std::size_t limitBytes);

}  // namespace arvesk
