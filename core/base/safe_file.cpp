#include "core/base/safe_file.h"

#include "core/base/task.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>
#include <xxhash.h>

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <set>

namespace arvesk {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kAtOnce = std::size_t{1} << 20;  // bytes that wait to be written together
constexpr const char* kAdvice = "Check the folder's rights and free room; the old file is as it was";

/// A file that does not exist yet may be behind links too.
fs::path behindLinks(fs::path path) {
  std::error_code fault;
  for (int links = 0; links < 40 && fs::is_symlink(fs::symlink_status(path, fault)); ++links) {
    const fs::path to = fs::read_symlink(path, fault);
    if (fault) break;
    path = to.is_absolute() ? to : path.parent_path() / to;
  }
  return path;
}

fs::path folderOf(const fs::path& path) { return path.has_parent_path() ? path.parent_path() : fs::path("."); }

/// Of this machine: process numbers of others say nothing here.
std::string prefix() {
  char host[256] = {};
  ::gethostname(host, sizeof host - 1);
  return fmt::format(".arvesk-{:08x}-", static_cast<std::uint32_t>(std::hash<std::string>()(host)));
}

/// Removes what killed programs left in the folder. Once for each folder: it is a listing.
void removeLeftovers(const fs::path& folder) {
  static std::mutex mutex;
  static std::set<fs::path> done;
  {
    const std::lock_guard lock(mutex);
    if (!done.insert(folder).second) return;
  }
  const std::string ours = prefix();
  std::error_code fault;
  for (fs::directory_iterator it(folder, fault), end; !fault && it != end; it.increment(fault)) {
    const std::string name = it->path().filename().string();
    if (!name.starts_with(ours) || !name.ends_with(".part")) continue;
    const long process = std::strtol(name.c_str() + ours.size(), nullptr, 10);
    if (process > 0 && ::kill(static_cast<pid_t>(process), 0) != 0 && errno == ESRCH) fs::remove(it->path(), fault);
    fault.clear();
  }
}

std::string freshName(const fs::path& folder) {
  static std::atomic<unsigned> made = 0;
  return (folder / fmt::format("{}{}-{}.part", prefix(), ::getpid(), ++made)).string();
}

}  // namespace

struct SafeFile::Hash {
  XXH3_state_t* state = XXH3_createState();
  Hash() { XXH3_64bits_reset(state); }
  ~Hash() { XXH3_freeState(state); }
  Hash(const Hash&) = delete;
  Hash& operator=(const Hash&) = delete;
};

SafeFile::SafeFile(std::string path, Naming naming) : m_path(std::move(path)) {
  if (naming == Naming::Later) m_hash = std::make_unique<Hash>();
  try {
    open(naming);
  } catch (const fs::filesystem_error& e) { failWith(e.code().value(), ""); }
}

void SafeFile::open(Naming naming) {
  const fs::path target = naming == Naming::Now ? behindLinks(m_path) : fs::path(m_path);
  m_target = target.string();
  struct stat old {};
  const bool isThere = naming == Naming::Now && ::stat(m_target.c_str(), &old) == 0;
  if (isThere && !S_ISREG(old.st_mode)) {
    m_error = S_ISDIR(old.st_mode) ? "is a folder" : "is not a regular file";
    m_advice = "Choose another name";
    return;
  }
  // Who may do everything (root) is bound by a file's own rights too: they say what its owner wants.
  constexpr mode_t kAnyoneWrites = S_IWUSR | S_IWGRP | S_IWOTH;
  if (isThere && ((old.st_mode & kAnyoneWrites) == 0 || ::access(m_target.c_str(), W_OK) != 0)) {
    m_error = "is read-only";
    m_advice = "Choose another name, or allow writing to it";
    return;
  }
  removeLeftovers(folderOf(target));
  m_temporary = freshName(folderOf(target));
  m_file = ::open(m_temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
  if (m_file < 0) {
    const int fault = errno;
    m_temporary.clear();
    return failWith(fault, "");
  }
  if (isThere) (void)::fchmod(m_file, old.st_mode & 07777);
}

SafeFile::~SafeFile() {
  if (m_file >= 0) ::close(m_file);
  if (!m_temporary.empty()) ::unlink(m_temporary.c_str());
}

void SafeFile::failWith(int fault, const char* doing) {
  if (!m_error.empty()) return;
  m_error = fmt::format("could not be written{}: {}", doing, std::strerror(fault));
  m_advice = fault == ENOSPC || fault == EDQUOT ? "The disk is full: make room; the old file is as it was" : kAdvice;
}

/// At the end, or at `offset`. A signal in between is no fault.
void SafeFile::put(const char* data, std::size_t size, long offset) {
  while (size > 0 && m_error.empty()) {
    const ssize_t n = offset < 0 ? ::write(m_file, data, size) : ::pwrite(m_file, data, size, offset);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return failWith(n < 0 ? errno : ENOSPC, "");
    data += n;
    size -= static_cast<std::size_t>(n);
    if (offset >= 0) offset += n;
  }
}

void SafeFile::flush() {
  put(m_waiting.data(), m_waiting.size(), -1);
  m_waiting.clear();
}

void SafeFile::write(const void* data, std::size_t size) {
  if (!m_error.empty()) return;
  m_written += size;
  if (m_hash) XXH3_64bits_update(m_hash->state, data, size);
  const char* bytes = static_cast<const char*>(data);
  if (m_waiting.size() + size < kAtOnce) {
    m_waiting.append(bytes, size);
    return;
  }
  flush();
  put(bytes, size, -1);
}

std::uint64_t SafeFile::hash() const { return XXH3_64bits_digest(m_hash->state); }

void SafeFile::expect(std::uint64_t bytes) {
  struct statvfs disk {};
  if (!m_error.empty() || ::fstatvfs(m_file, &disk) != 0) return;
  const std::uint64_t free = std::uint64_t{disk.f_bavail} * disk.f_frsize;
  if (bytes <= free) return;
  m_error = fmt::format("would take {:.1f} MB, and the disk has {:.1f} MB left", static_cast<double>(bytes) / 1e6,
                        static_cast<double>(free) / 1e6);
  m_advice = "Make room, or choose another folder; the old file is as it was";
}

void SafeFile::writeAt(long offset, const void* data, std::size_t size) {
  if (!m_error.empty()) return;
  flush();
  put(static_cast<const char*>(data), size, offset);
}

/// The temporary file, which is whole and on the disk, in place of the old one.
Result<void> SafeFile::takePlace() {
  struct stat old {};
  struct stat mine {};
  const bool isThere = ::stat(m_target.c_str(), &old) == 0 && ::stat(m_temporary.c_str(), &mine) == 0;
  const bool isOthers = isThere && (old.st_uid != mine.st_uid || old.st_gid != mine.st_gid);
  if (isOthers && ::chown(m_temporary.c_str(), old.st_uid, old.st_gid) == 0)
    (void)::chmod(m_temporary.c_str(), old.st_mode & 07777);  // giving away drops some rights
  if (::rename(m_temporary.c_str(), m_target.c_str()) != 0) {
    failWith(errno, "");
    return fail(ProblemCode::WriteFailed, m_error, m_advice, m_path);
  }
  m_temporary.clear();
  // The new name must be on the disk as well; some file systems cannot say so.
  const int folder = ::open(folderOf(m_target).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (folder >= 0) {
    (void)::fsync(folder);
    ::close(folder);
  }
  return {};
}

Result<void> SafeFile::commit() {
  if (m_error.empty()) flush();
  if (m_error.empty())
    while (::fsync(m_file) != 0) {
      if (errno == EINTR) continue;
      failWith(errno, " to the disk");
      break;
    }
  if (m_file >= 0 && ::close(m_file) != 0 && errno != EINTR) failWith(errno, " to its end");
  m_file = -1;
  if (!m_error.empty()) return fail(ProblemCode::WriteFailed, m_error, m_advice, m_path);
  return takePlace();
}

Result<void> SafeFile::commitAs(const std::string& path) {
  m_target = m_path = path;
  return commit();
}

Result<void> writeWhole(const std::string& path, const std::string& content) {
  SafeFile file(path);
  file.write(content);
  return file.commit();
}

Result<std::string> readWhole(const std::string& path, std::size_t limitBytes) {
  std::error_code fault;
  if (const fs::file_status status = fs::status(path, fault); fs::exists(status) && !fs::is_regular_file(status))
    return fail(ProblemCode::FileUnreadable, "is not a regular file", {}, path);
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
  for (std::streamoff at = 0; at < size && in;) {
    endIfStopped();
    const std::streamoff piece = std::min(size - at, std::streamoff{8} << 20);
    in.read(text.data() + at, piece);
    at += piece;
  }
  if (!in) return fail(ProblemCode::FileUnreadable, "could not be read to its end", {}, path);
  return text;
}

}  // namespace arvesk
