#include "core/formats/file_service.h"

#include "core/base/hash.h"
#include "core/base/safe_file.h"
#include "core/formats/csv_reader.h"
#include "core/formats/sandbox.h"

#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdlib>
#include <filesystem>

namespace arvesk {
namespace {

/// Goes up when readers give another result for the same file.
constexpr int kReadersVersion = 6;

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

/// Kept imports together; the oldest go first.
constexpr std::uintmax_t kMostCacheBytes = std::uintmax_t{8} << 30;
constexpr auto kOldest = std::chrono::hours(24 * 180);

/// An import on its way, which nobody else takes for a kept one.
std::string incomingName() {
  static std::atomic<std::uint64_t> count{0};
  return fmt::format("incoming-{}-{}", ::getpid(), ++count);
}

Failure missing(const std::string& path) {
  return fail(ProblemCode::FileMissing, "there is no such file, or it may not be read",
              "Put the file back, or choose another on the Bench", path);
}

}  // namespace

DiskFileService::DiskFileService(std::string folder, FilePlaces places)
    : m_folder(std::move(folder)),
      m_helperFolder(std::move(places.helpers)),
      m_allowed(std::move(places.allowed)),
      m_cacheFolder(places.cache.empty() ? cacheFolder() : std::move(places.cache)) {}

void DiskFileService::setFolder(std::string folder) {
  const std::lock_guard lock(m_mutex);
  m_folder = std::move(folder);
}

void DiskFileService::setAllowed(std::vector<std::string> folders) {
  const std::lock_guard lock(m_mutex);
  m_allowed = std::move(folders);
}

std::vector<std::string> DiskFileService::allowedFolders() const {
  const std::lock_guard lock(m_mutex);
  std::vector<std::string> out = m_allowed;
  if (!m_folder.empty()) out.push_back(m_folder);
  return out;
}

std::uint64_t DiskFileService::hashSeen(const std::string& side, const std::vector<std::string>& folders) {
  return isWithin(side, folders) ? hashNow(side) : kNotAllowed;
}

std::string DiskFileService::absolute(const std::string& path) const {
  const std::lock_guard lock(m_mutex);
  return (std::filesystem::path(m_folder) / path).lexically_normal().string();
}

std::optional<DiskFileService::Stamp> DiskFileService::stampOf(const std::string& path) {
  struct stat s {};
  if (::stat(path.c_str(), &s) != 0 || !S_ISREG(s.st_mode)) return std::nullopt;
  const auto ns = [](const timespec& t) { return std::int64_t{t.tv_sec} * 1'000'000'000 + t.tv_nsec; };
  return Stamp{ns(s.st_mtim), ns(s.st_ctim), static_cast<std::uint64_t>(s.st_size),
               static_cast<std::uint64_t>(s.st_ino)};
}

/// Of what the file holds now; 0 when it cannot be read.
std::uint64_t DiskFileService::hashNow(const std::string& full) {
  const auto before = stampOf(full);
  if (!before) return 0;
  {
    const std::lock_guard lock(m_mutex);
    if (const auto it = m_hashes.find(full); it != m_hashes.end() && it->second.stamp == *before)
      return it->second.hash;
  }
  const std::uint64_t hash = hashOfFile(full);
  const auto now =
      std::chrono::duration_cast<std::chrono::nanoseconds>(std::chrono::system_clock::now().time_since_epoch()).count();
  // A file that was written just now may be written again within the same tick of its clock; what its writer says of
  // its age does not count.
  constexpr std::int64_t kTick = 100'000'000;
  if (stampOf(full) == before && std::abs(now - before->status) > kTick) {
    const std::lock_guard lock(m_mutex);
    m_hashes[full] = {*before, hash};
  }
  return hash;
}

/// A file's ending chooses its reader, so it belongs to the content; names of the others do by where they lie from it.
std::uint64_t DiskFileService::stateOf(const std::string& full, std::uint64_t main,
                                       const std::vector<ReadFile>& sides) {
  const std::filesystem::path path(full);
  std::uint64_t state = hashOf(main, hashText(path.extension().string()));
  for (const ReadFile& side : sides)
    state = hashOf(state, hashText(std::filesystem::path(side.path).lexically_relative(path.parent_path()).string()),
                   side.hash);
  return state;
}

std::string DiskFileService::assetPath(AssetKind kind, std::uint64_t state) const {
  return fmt::format("{}/{:016x}-{}-{}.asset", m_cacheFolder, state, kReadersVersion, assetKindName(kind));
}

/// Which files belonged to one that held the same when it was read before, in another session maybe.
std::vector<ReadFile> DiskFileService::keptSides(const std::string& full, std::uint64_t main) {
  std::vector<ReadFile> out;
  const auto list = readWhole(fmt::format("{}/{:016x}-{}.sides", m_cacheFolder, main, kReadersVersion), 1 << 20);
  if (!list) return out;
  const std::filesystem::path folder = std::filesystem::path(full).parent_path();
  for (std::size_t begin = 0; begin < list->size();) {
    const std::size_t end = std::min(list->find('\0', begin), list->size());
    out.push_back({(folder / list->substr(begin, end - begin)).lexically_normal().string(), 0});
    begin = end + 1;
  }
  const std::vector<std::string> folders = foldersOpenTo(full, allowedFolders());
  for (ReadFile& side : out) side.hash = hashSeen(side.path, folders);
  return out;
}

Result<std::uint64_t> DiskFileService::contentKey(const std::string& path) {
  const std::string full = absolute(path);
  const std::uint64_t main = hashNow(full);
  if (main == 0) return missing(path);
  const auto isSame = [](const Known& a, const Known& b) {
    return a.main == b.main && a.state == b.state && a.key == b.key &&
           std::equal(a.sides.begin(), a.sides.end(), b.sides.begin(), b.sides.end(),
                      [](const ReadFile& x, const ReadFile& y) { return x.path == y.path && x.hash == y.hash; });
  };
  for (;;) {
    Known before;
    {
      const std::lock_guard lock(m_mutex);
      before = m_known[full];
    }
    Known known = before;
    if (known.main == main) {
      const std::vector<std::string> folders = foldersOpenTo(full, allowedFolders());
      for (ReadFile& side : known.sides) side.hash = hashSeen(side.path, folders);
    } else
      known = {main, keptSides(full, main), 0, 0};
    const std::uint64_t state = stateOf(full, main, known.sides);
    if (known.key == 0 || known.state != state) {
      known.state = state;
      known.key = hashOf(state, hashText(full));
    }
    const std::lock_guard lock(m_mutex);
    if (!isSame(m_known[full], before)) continue;  // who read it meanwhile knows more
    m_known[full] = known;
    return known.key;
  }
}

std::vector<std::string> DiskFileService::sidesOf(const std::string& path) const {
  const std::string full = absolute(path);
  const std::lock_guard lock(m_mutex);
  std::vector<std::string> out;
  if (const auto it = m_known.find(full); it != m_known.end())
    for (const ReadFile& side : it->second.sides) out.push_back(side.path);
  return out;
}

std::vector<std::string> DiskFileService::withSides(const std::string& path) const {
  std::vector<std::string> out{absolute(path)};
  for (std::string& side : sidesOf(path)) {
    std::error_code fault;
    if (std::filesystem::is_regular_file(side, fault) && side != out.front()) out.push_back(std::move(side));
  }
  return out;
}

std::vector<std::string> DiskFileService::refusedBeside(const std::string& path) const {
  const std::string full = absolute(path);
  std::vector<std::string> out;
  {
    const std::lock_guard lock(m_mutex);
    if (const auto it = m_known.find(full); it != m_known.end())
      for (const ReadFile& side : it->second.sides)
        if (side.hash == kNotAllowed) out.push_back(side.path);
  }
  std::erase_if(out, [](const std::string& side) { return !stampOf(side); });
  return out;
}

std::string DiskFileService::cacheNote() const {
  const std::lock_guard lock(m_mutex);
  return m_cacheNote;
}

/// Which files were opened, and what they held then. The key that was given for them stays the key of that, unless one
/// of them was another when it was given.
Result<void> DiskFileService::learn(const std::string& full, const ImportOutcome& outcome) {
  if (outcome.files.empty()) return {};
  const std::lock_guard lock(m_mutex);
  Known& known = m_known[full];
  const auto isOther = [&](const ReadFile& f) {
    const auto it = std::find_if(outcome.files.begin(), outcome.files.end(),
                                 [&](const ReadFile& o) { return o.path == f.path; });
    return it != outcome.files.end() && it->hash != f.hash;
  };
  if (outcome.files.front().hash != known.main || std::any_of(known.sides.begin(), known.sides.end(), isOther)) {
    m_hashes.erase(full);
    return fail(ProblemCode::FileUnreadable, "was written to while it was read",
                "It is read again when it has settled");
  }
  known.sides.assign(outcome.files.begin() + 1, outcome.files.end());
  known.state = stateOf(full, known.main, known.sides);
  return {};
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
  auto outcome = readNow(kind, path, task);
  if (!outcome) return outcome;
  auto loaded = std::make_shared<LoadedFile>();
  loaded->outcome = *outcome;
  memory().store(slot, std::move(loaded));
  return outcome;
}

Result<ImportOutcome> DiskFileService::readNow(AssetKind kind, const std::string& path, const Task& task) {
  const std::string full = absolute(path);
  std::uint64_t state = 0;
  {
    const std::lock_guard lock(m_mutex);
    state = m_known[full].state;
  }
  const std::string kept = assetPath(kind, state);
  auto outcome = readOutcome(kept);
  if (outcome && !outcome->failure) {
    std::error_code ignored;
    std::filesystem::last_write_time(kept, std::filesystem::file_time_type::clock::now(), ignored);  // it is in use
    return outcome;
  }
  {
    std::error_code ignored;
    const double megabytes = static_cast<double>(std::filesystem::file_size(full, ignored)) / 1e6;
    const Doing doing(task, fmt::format("reading {}{}", std::filesystem::path(path).filename().string(),
                                        !ignored && megabytes >= 1 ? fmt::format(" ({:.0f} MB)", megabytes) : ""));
    outcome = readAnew(kind, full, task);
  }
  Problem p;
  if (!outcome)
    p = outcome.error();
  else if (auto ok = learn(full, *outcome); !ok)
    p = ok.error();
  else if (outcome->failure)
    p = *outcome->failure;
  else
    return outcome;
  p.where = path;
  return Failure(p);
}

/// By the helper; kept for other sessions where that can be, which is a convenience.
Result<ImportOutcome> DiskFileService::readAnew(AssetKind kind, const std::string& full, const Task& task) {
  namespace fs = std::filesystem;
  std::error_code error;
  fs::create_directories(m_cacheFolder, error);
  const fs::path temporary = fs::temp_directory_path(error);
  for (const fs::path& folder : {fs::path(m_cacheFolder), temporary, fs::path("/dev/shm")}) {
    const std::string incoming = (folder / incomingName()).string();
    const auto end = runImportHelper(kind, full, incoming, task, {m_helperFolder, allowedFolders()});
    if (!end) return Failure(end.error());
    if (*end == HelperEnd::NotWritten) {
      if (folder == m_cacheFolder) {
        const std::lock_guard lock(m_mutex);
        m_cacheNote = fmt::format("{} has no room or may not be written: files are read anew in each session",
                                  m_cacheFolder);
      }
      continue;
    }
    auto outcome = readOutcome(incoming);
    if (outcome && !outcome->failure && folder == m_cacheFolder && !outcome->files.empty()) {
      const std::vector<ReadFile> sides(outcome->files.begin() + 1, outcome->files.end());
      const std::uint64_t main = outcome->files.front().hash;
      std::string list;
      for (const ReadFile& side : sides)
        list += fs::path(side.path).lexically_relative(fs::path(full).parent_path()).string() + '\0';
      const std::string name = fmt::format("{}/{:016x}-{}.sides", m_cacheFolder, main, kReadersVersion);
      if (sides.empty() || writeWhole(name, list))
        fs::rename(incoming, assetPath(kind, stateOf(full, main, sides)), error);
      prune();
    }
    fs::remove(incoming, error);
    return outcome;
  }
  return fail(
      ProblemCode::HelperFailed,
      fmt::format("was read, but neither {} nor {} nor /dev/shm has room for it", m_cacheFolder, temporary.string()),
      "Free some room, or set ARVESK_CACHE_DIR to another folder");
}

/// What is too old or too much goes, the oldest first. Other processes may be at it too: what is gone is gone.
void DiskFileService::prune() const {
  namespace fs = std::filesystem;
  static std::atomic<int> count{0};
  if (count++ % 64 != 0) return;
  struct Entry {
    fs::file_time_type used;
    std::uintmax_t bytes;
    fs::path path;
  };
  std::vector<Entry> entries;
  std::uintmax_t sum = 0;
  std::error_code error;
  for (fs::directory_iterator it(m_cacheFolder, error), end; !error && it != end; it.increment(error)) {
    std::error_code gone;
    const std::string name = it->path().filename().string();
    const bool isOurs = it->path().extension() == ".asset" || it->path().extension() == ".sides" ||
                        name.starts_with("incoming-");
    const Entry entry{it->last_write_time(gone), it->file_size(gone), it->path()};
    if (name.starts_with("incoming-") && it->is_directory(gone) && !gone &&
        it->last_write_time(gone) < fs::file_time_type::clock::now() - std::chrono::hours(24))
      fs::remove_all(it->path(), gone);  // of a program that was killed
    if (!isOurs || gone) continue;
    entries.push_back(entry);
    sum += entry.bytes;
  }
  std::sort(entries.begin(), entries.end(), [](const Entry& a, const Entry& b) { return a.used < b.used; });
  const auto now = fs::file_time_type::clock::now();
  for (const Entry& entry : entries) {
    const bool isLeft = entry.path.filename().string().starts_with("incoming-") &&
                        entry.used < now - std::chrono::hours(24);
    if (sum <= kMostCacheBytes && entry.used > now - kOldest && !isLeft) continue;
    if (fs::remove(entry.path, error)) sum -= entry.bytes;
  }
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
  const Doing doing(task, "reading " + std::filesystem::path(path).filename().string());
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
