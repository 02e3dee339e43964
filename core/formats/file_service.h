// The real file service: paths relative to the plan, content keys, imports through the helper, and the cache on disk.
#pragma once

#include "core/formats/import_helper.h"
#include "core/plan/context.h"

#include <mutex>

namespace arvesk {

/// Where the file service finds its helpers and keeps what they read; empty: beside the program, and ARVESK_CACHE_DIR
/// or the user's cache folder.
struct FilePlaces {
  std::string helpers;
  std::string cache;
  std::vector<std::string>
      allowed;  // folders in which files may lie that others name, besides their own and the plan's
};

class DiskFileService final : public FileService {
 public:
  /// Relative paths start at `folder`.
  explicit DiskFileService(std::string folder, FilePlaces places = {});
  void setFolder(std::string folder);
  /// What was read otherwise before is read anew.
  void setAllowed(std::vector<std::string> folders);
  std::string absolute(const std::string& path) const;

  Result<std::uint64_t> contentKey(const std::string& path) override;
  Result<SurfacePtr> surface(const std::string& path, const Task& task, std::vector<Problem>& warnings) override;
  Result<SurfacePtr> scene(const std::string& path, const Task& task, std::vector<Problem>& warnings) override;
  Result<TablePtr> table(const std::string& path, const Task& task) override;
  Result<VolumeFilePtr> volumes(const std::string& path, const Task& task, std::vector<Problem>& warnings) override;
  Result<ImagePtr> image(const std::string& path, const Task& task) override;

  /// Files that were opened beside that one when it was read last, or were missing then; absolute.
  std::vector<std::string> sidesOf(const std::string& path) const;
  /// It, and those that are there; absolute. For exports that name or copy it.
  std::vector<std::string> withSides(const std::string& path) const;
  /// Of those, the ones that are there, but in folders that are not allowed.
  std::vector<std::string> refusedBeside(const std::string& path) const;
  /// Why what was read is not kept between sessions; empty when it is.
  std::string cacheNote() const;

 private:
  /// When a file was written, as far as the system tells.
  struct Stamp {
    std::int64_t changed = 0;  // ns
    std::int64_t status = 0;   // ns, of its entry
    std::uint64_t size = 0;
    std::uint64_t inode = 0;
    bool operator==(const Stamp&) const = default;
  };
  struct Hashed {
    Stamp stamp;
    std::uint64_t hash = 0;
  };
  /// A file with those that belong to it.
  struct Known {
    std::uint64_t main = 0;  // hash of the named one
    std::vector<ReadFile> sides;
    std::uint64_t state = 0;  // of all of them
    std::uint64_t key = 0;    // that stands for that state
  };
  static std::optional<Stamp> stampOf(const std::string& path);
  std::uint64_t hashNow(const std::string& full);
  std::vector<std::string> allowedFolders() const;
  /// hashNow, of what may be read.
  std::uint64_t hashSeen(const std::string& side, const std::vector<std::string>& folders);
  static std::uint64_t stateOf(const std::string& full, std::uint64_t main, const std::vector<ReadFile>& sides);
  std::vector<ReadFile> keptSides(const std::string& full, std::uint64_t main);
  Result<void> learn(const std::string& full, const ImportOutcome& outcome);
  std::string assetPath(AssetKind kind, std::uint64_t state) const;
  Result<ImportOutcome> outcomeOf(AssetKind kind, const std::string& path, const Task& task);
  Result<ImportOutcome> readNow(AssetKind kind, const std::string& path, const Task& task);
  Result<ImportOutcome> readAnew(AssetKind kind, const std::string& full, const Task& task);
  void prune() const;

  mutable std::mutex m_mutex;
  std::string m_folder;
  std::string m_helperFolder;
  std::vector<std::string> m_allowed;
  std::string m_cacheFolder;
  std::string m_cacheNote;
  std::map<std::string, Hashed> m_hashes;                             // by absolute path
  std::map<std::string, Known> m_known;                               // by absolute path
  std::map<MemoryCache::Key, std::shared_ptr<std::mutex>> m_readers;  // who wants the same file waits for the first
};

}  // namespace arvesk
