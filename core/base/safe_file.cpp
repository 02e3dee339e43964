#include "core/base/safe_file.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>

namespace arvesk {

SafeFile::SafeFile(std::string path)
    : m_path(std::move(path)), m_temporary(fmt::format("{}.{}.part", m_path, ::getpid())) {
  m_file = std::fopen(m_temporary.c_str(), "wb");
  if (!m_file) m_error = std::strerror(errno);
}

SafeFile::~SafeFile() {
  if (m_file) std::fclose(m_file);
  if (!m_temporary.empty()) ::unlink(m_temporary.c_str());
}

void SafeFile::write(const void* data, std::size_t size) {
  if (!m_error.empty() || size == 0) return;
  if (std::fwrite(data, 1, size, m_file) != size) m_error = std::strerror(errno);
  m_written += size;
}

void SafeFile::writeAt(long offset, const void* data, std::size_t size) {
  if (!m_error.empty()) return;
  if (std::fseek(m_file, offset, SEEK_SET) != 0 || std::fwrite(data, 1, size, m_file) != size ||
      std::fseek(m_file, 0, SEEK_END) != 0)
    m_error = std::strerror(errno);
}

Result<void> SafeFile::commit() {
  if (m_error.empty() && (std::fflush(m_file) != 0 || ::fsync(::fileno(m_file)) != 0)) m_error = std::strerror(errno);
  if (m_file && std::fclose(m_file) != 0 && m_error.empty()) m_error = std::strerror(errno);
  m_file = nullptr;
  if (m_error.empty() && std::rename(m_temporary.c_str(), m_path.c_str()) != 0) m_error = std::strerror(errno);
  if (!m_error.empty())
    return fail(ProblemCode::WriteFailed, fmt::format("could not be written: {}", m_error),
                "Check the folder's rights and free room; the old file is as it was", m_path);
  m_temporary.clear();
  return {};
}

Result<void> writeWhole(const std::string& path, const std::string& content) {
  SafeFile file(path);
  file.write(content);
  return file.commit();
}

Result<std::string> readWhole(const std::string& path, std::size_t limitBytes) {
  std::ifstream in(path, std::ios::binary | std::ios::ate);
  if (!in)
    return fail(ProblemCode::FileMissing, "there is no such file, or it may not be read", "Check name and rights",
                path);
  const std::streamoff size = in.tellg();
  if (size < 0) return fail(ProblemCode::FileUnreadable, "is not a regular file", {}, path);
  if (static_cast<std::size_t>(size) > limitBytes)
    return fail(ProblemCode::FileTooLarge, fmt::format("has {} bytes, the limit is {}", size, limitBytes), {}, path);
  std::string text(static_cast<std::size_t>(size), '\0');
  in.seekg(0);
  in.read(text.data(), size);
  if (!in) return fail(ProblemCode::FileUnreadable, "could not be read to its end", {}, path);
  return text;
}

}  // namespace arvesk
