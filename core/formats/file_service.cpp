#include "core/formats/file_service.h"

#include "core/base/hash.h"
#include "core/formats/csv_reader.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>

namespace arvesk {
namespace {

/// Goes up when readers give another result for the same file.
constexpr int kReadersVersion = 4;

std::string cacheFolder() {
  if (const char* own = std::getenv("ARVESK_CACHE_DIR")) return own;
  if (const char* xdg = std::getenv("XDG_CACHE_HOME"); xdg && *xdg) return std::string(xdg) + "/arvesk";
  if (const char* home = std::getenv("HOME"); home && *home) return std::string(home) + "/.cache/arvesk";
  return (std::filesystem::temp_directory_path() / "arvesk-cache").string();
}

/// What a file held, in the memory that node results share.
struct LoadedFile final : Cached {
  ImportOutcome outcome;
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    if (outcome.surface) outcome.surface->countBytes(counter);
    if (outcome.volumes)
      for (const VolumeGrid& grid : outcome.volumes->grids) {
        if (grid.density) grid.density->countBytes(counter);
        if (grid.skin) grid.skin->countBytes(counter);
      }
    if (outcome.image) counter.add(outcome.image.get(), outcome.image->values.capacity() * sizeof(float));
  }
};

Result<std::uint64_t> hashFile(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  if (!in)
    return fail(ProblemCode::FileMissing, "there is no such file, or it may not be read",
                "Put the file back, or choose another on the Bench", path);
  XXH3_state_t* state = XXH3_createState();
  XXH3_64bits_reset(state);
  std::vector<char> block(1 << 20);
  while (in) {
    in.read(block.data(), static_cast<std::streamsize>(block.size()));
    XXH3_64bits_update(state, block.data(), static_cast<std::size_t>(in.gcount()));
  }
  const std::uint64_t key = XXH3_64bits_digest(state);
  XXH3_freeState(state);
  // A file's ending chooses its reader, so it belongs to the content.
  return hashOf(key, hashText(std::filesystem::path(path).extension().string()));
}

}  // namespace

DiskFileService::DiskFileService(std::string folder, FilePlaces places)
    : m_folder(std::move(folder)),
      m_helperFolder(std::move(places.helpers)),
      m_cacheFolder(places.cache.empty() ? cacheFolder() : std::move(places.cache)) {}

void DiskFileService::setFolder(std::string folder) {
  const std::lock_guard lock(m_mutex);
  m_folder = std::move(folder);
}

std::string DiskFileService::absolute(const std::string& path) const {
  const std::lock_guard lock(m_mutex);
  return (std::filesystem::path(m_folder) / path).lexically_normal().string();
}

Result<std::uint64_t> DiskFileService::contentKey(const std::string& path) {
  const std::string full = absolute(path);
  std::error_code error;
  const auto status = std::filesystem::status(full, error);
  if (error || !std::filesystem::is_regular_file(status))
    return fail(ProblemCode::FileMissing, "there is no such file", "Put the file back, or choose another on the Bench",
                path);
  const auto changed = std::filesystem::last_write_time(full, error).time_since_epoch().count();
  const auto size = std::filesystem::file_size(full, error);
  {
    const std::lock_guard lock(m_mutex);
    if (const auto it = m_keys.find(full);
        it != m_keys.end() && it->second.changed == changed && it->second.size == size)
      return it->second.key;
  }
  auto key = hashFile(full);
  if (!key) {
    Problem p = key.error();
    p.where = path;
    return Failure(p);
  }
  const std::lock_guard lock(m_mutex);
  m_keys[full] = {changed, size, *key};
  return *key;
}

Result<ImportOutcome> DiskFileService::outcomeOf(AssetKind kind, const std::string& path, const Task& task) {
  const auto key = contentKey(path);
  if (!key) return Failure(key.error());
  const MemoryCache::Key slot{*key, hashOf(hashText("imported"), static_cast<std::uint64_t>(kind))};
  if (const auto known = memory().find<LoadedFile>(slot)) return known->outcome;
  std::shared_ptr<std::mutex> reader;
  {
    const std::lock_guard lock(m_mutex);
    std::shared_ptr<std::mutex>& entry = m_readers[slot];
    if (!entry) entry = std::make_shared<std::mutex>();
    reader = entry;
  }
  const std::lock_guard lock(*reader);
  if (const auto known = memory().find<LoadedFile>(slot)) return known->outcome;
  auto outcome = readNow(kind, path, *key, task);
  if (!outcome) return outcome;
  auto loaded = std::make_shared<LoadedFile>();
  loaded->outcome = *outcome;
  memory().store(slot, std::move(loaded));
  return outcome;
}

Result<ImportOutcome> DiskFileService::readNow(AssetKind kind, const std::string& path, std::uint64_t key,
                                               const Task& task) {
  std::error_code error;
  std::filesystem::create_directories(m_cacheFolder, error);
  const std::string cached = fmt::format("{}/{:016x}-{}-{}.asset", m_cacheFolder, key, kReadersVersion,
                                         assetKindName(kind));
  auto outcome = readOutcome(cached);
  if (!outcome) {
    if (auto ok = runImportHelper(kind, absolute(path), cached, task, m_helperFolder); !ok) {
      Problem p = ok.error();
      p.where = path;
      return Failure(p);
    }
    outcome = readOutcome(cached);
    if (!outcome)
      return fail(ProblemCode::HelperFailed, fmt::format("was read, but {} could not be written", cached),
                  "Free some room, or set ARVESK_CACHE_DIR to another folder", path);
  }
  if (outcome->failure) {
    std::filesystem::remove(cached, error);  // a better reader may come
    Problem p = *outcome->failure;
    p.where = path;
    return Failure(p);
  }
  return outcome;
}

Result<SurfacePtr> DiskFileService::surface(const std::string& path, const Task& task, std::vector<Problem>& warnings) {
  auto outcome = outcomeOf(AssetKind::Mesh, path, task);
  if (!outcome) return Failure(outcome.error());
  if (!outcome->surface) return fail(ProblemCode::FileUnreadable, "is not a mesh", {}, path);
  if (outcome->surface->triangles.empty()) {
    Problem p = noTriangles().value();
    p.where = path;
    return Failure(p);
  }
  warnings.insert(warnings.end(), outcome->warnings.begin(), outcome->warnings.end());
  return outcome->surface;
}

Result<SurfacePtr> DiskFileService::scene(const std::string& path, const Task& task, std::vector<Problem>& warnings) {
  auto outcome = outcomeOf(AssetKind::Mesh, path, task);
  if (!outcome) return Failure(outcome.error());
  if (!outcome->surface) return fail(ProblemCode::FileUnreadable, "is not a scene", {}, path);
  warnings.insert(warnings.end(), outcome->warnings.begin(), outcome->warnings.end());
  return outcome->surface;
}

Result<TablePtr> DiskFileService::table(const std::string& path, const Task& task) {
  auto table = readCsv(absolute(path), task);
  if (table) return std::make_shared<const Table>(std::move(*table));
  Problem p = table.error();
  p.where = path;
  return Failure(p);
}

Result<VolumeFilePtr> DiskFileService::volumes(const std::string& path, const Task& task,
                                               std::vector<Problem>& warnings) {
  auto outcome = outcomeOf(AssetKind::Volume, path, task);
  if (!outcome) return Failure(outcome.error());
  if (!outcome->volumes) return fail(ProblemCode::FileUnreadable, "is not a file of volumes", {}, path);
  warnings.insert(warnings.end(), outcome->warnings.begin(), outcome->warnings.end());
  return outcome->volumes;
}

Result<ImagePtr> DiskFileService::image(const std::string& path, const Task& task) {
  auto outcome = outcomeOf(AssetKind::Image, path, task);
  if (!outcome) return Failure(outcome.error());
  if (!outcome->image) return fail(ProblemCode::FileUnreadable, "is not an image", {}, path);
  return outcome->image;
}

}  // namespace arvesk
