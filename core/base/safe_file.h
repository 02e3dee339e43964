// Files are written under a temporary name and renamed when whole, so that a failed save or export never damages the
// old file.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <string>

namespace arvesk {

/// Collects output in a file beside `path`; commit() puts it in place. Without commit the temporary file is removed;
/// what a killed program left is removed by the next one that writes into the same folder. Through a symbolic link the
/// file that it leads to is written; rights and ownership stay. A file that may not be written, and what is no regular
/// file, is refused.
class SafeFile {
 public:
  enum class Naming {
    Now,    // `path` is where it comes to stand
    Later,  // commitAs tells; `path` is used in messages
  };
  explicit SafeFile(std::string path, Naming naming = Naming::Now);
  ~SafeFile();
  SafeFile(const SafeFile&) = delete;
  SafeFile& operator=(const SafeFile&) = delete;

  void write(const void* data, std::size_t size);
  void write(const std::string& text) { write(text.data(), text.size()); }
  /// Overwrites `size` bytes at `offset`, for headers whose numbers are known last.
  void writeAt(long offset, const void* data, std::size_t size);
  std::size_t written() const { return m_written; }
  /// XXH3 of all that was written in order.
  std::uint64_t hash() const;
  /// Fails at once when the disk has no room for so many bytes.
  void expect(std::uint64_t bytes);
  /// For libraries that write by name: what they write to it is what commit() puts in place.
  const std::string& temporary() const { return m_temporary; }
  Result<void> commit();
  /// To another name in the same folder.
  Result<void> commitAs(const std::string& path);

 private:
  void open(Naming naming);
  void flush();
  void put(const char* data, std::size_t size, long offset);
  void failWith(int fault, const char* doing);
  Result<void> takePlace();

  std::string m_path;       // as it was asked for
  std::string m_target;     // where links lead
  std::string m_temporary;  // empty when there is none
  int m_file = -1;
  std::string m_waiting;  // not written yet
  std::size_t m_written = 0;
  std::string m_error;
  std::string m_advice;
  struct Hash;
  std::unique_ptr<Hash> m_hash;
};

Result<void> writeWhole(const std::string& path, const std::string& content);
Result<std::string> readWhole(const std::string& path, std::size_t limitBytes);

}  // namespace arvesk
