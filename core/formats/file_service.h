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
};

class DiskFileService final : public FileService {
 public:
  /// Relative paths start at `folder`.
  explicit DiskFileService(std::string folder, FilePlaces places = {});
  void setFolder(std::string folder);
  std::string absolute(const std::string& path) const;

  Result<std::uint64_t> contentKey(const std::string& path) override;
  Result<SurfacePtr> surface(const std::string& path, const Task& task, std::vector<Problem>& warnings) override;
  Result<SurfacePtr> scene(const std::string& path, const Task& task, std::vector<Problem>& warnings) override;
  Result<TablePtr> table(const std::string& path, const Task& task) override;
  Result<VolumeFilePtr> volumes(const std::string& path, const Task& task, std::vector<Problem>& warnings) override;
  Result<ImagePtr> image(const std::string& path, const Task& task) override;

 private:
  struct Known {
    std::int64_t changed;
    std::uint64_t size;
    std::uint64_t key;
  };
  Result<ImportOutcome> outcomeOf(AssetKind kind, const std::string& path, const Task& task);
  Result<ImportOutcome> readNow(AssetKind kind, const std::string& path, std::uint64_t key, const Task& task);

  mutable std::mutex m_mutex;
  std::string m_folder;
  std::string m_helperFolder;
  std::string m_cacheFolder;
  std::map<std::string, Known> m_keys;                                // by absolute path
  std::map<MemoryCache::Key, std::shared_ptr<std::mutex>> m_readers;  // who wants the same file waits for the first
};

}  // namespace arvesk
