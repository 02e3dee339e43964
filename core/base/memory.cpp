#include "core/base/memory.h"

#include "core/base/array.h"
#include "core/base/reserve.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <fstream>

namespace arvesk {

namespace {

/// What the machine has, or the control group that the program is in.
std::size_t machineBytes() {
  const auto pages = static_cast<std::size_t>(std::max(0L, ::sysconf(_SC_PHYS_PAGES)));
  const auto page = static_cast<std::size_t>(std::max(0L, ::sysconf(_SC_PAGESIZE)));
  std::size_t bytes = pages * page;
  std::ifstream group("/sys/fs/cgroup/memory.max");  // "max" where there is no limit, which is no number
  if (std::size_t most = 0; group >> most) bytes = std::min(bytes, most);
  return bytes;
}

std::atomic<std::size_t> g_inUse{0};
std::atomic<std::size_t> g_limit{std::max(machineBytes() / 2, std::size_t{1} << 30)};

/// All caches there are, so that what nobody needs never stands in the way of what is wanted.
struct Caches {
  std::mutex mutex;
  std::vector<MemoryCache*> all;
};
Caches& caches() {
  static Caches* known = new Caches;  // caches of static lifetime may outlive any other
  return *known;
}

/// Empties all caches; false when there was nothing to empty or others are at it.
bool emptyCaches() {
  const std::unique_lock lock(caches().mutex, std::try_to_lock);
  if (!lock) return false;
  const std::size_t before = g_inUse;
  for (MemoryCache* cache : caches().all) cache->clear();
  releaseFreeBlocks();
  return g_inUse < before;
}

}  // namespace

std::size_t memoryInUse() { return g_inUse; }
std::size_t memoryLimit() { return g_limit; }
void setMemoryLimit(std::size_t bytes) { g_limit = bytes; }

bool hasMemoryFor(std::size_t bytes) {
  const auto fits = [&] { return bytes <= g_limit && g_inUse <= g_limit - bytes; };
  return fits() || (emptyCaches() && fits());
}

void takeMemory(std::size_t bytes) {
  if (!hasReserve()) throw std::bad_alloc();
  const auto take = [&] {
    std::size_t now = g_inUse;
    do {
      if (bytes > g_limit || now > g_limit - bytes) return false;
    } while (!g_inUse.compare_exchange_weak(now, now + bytes));
    return true;
  };
  if (take() || (emptyCaches() && take())) return;
  throw OverMemoryLimit(bytes, g_inUse, g_limit);
}

void countMemoryTaken(std::size_t bytes) noexcept { g_inUse += bytes; }
void giveMemory(std::size_t bytes) noexcept { g_inUse -= bytes; }

Result<void> guardMemory(double estimate, std::size_t bytesEach, const char* what, const std::string& advice) {
  const double bytes = estimate * static_cast<double>(bytesEach);
  if (bytes <= static_cast<double>(memoryLimit()) && hasMemoryFor(static_cast<std::size_t>(std::max(bytes, 0.0))))
    return {};
  constexpr double kMb = 1 << 20;
  return fail(ProblemCode::TooMany,
              fmt::format("would make {:.0f} {}, which takes {:.0f} MB; {:.0f} of the {:.0f} MB that the program may "
                          "use are taken",
                          estimate, what, bytes / kMb, static_cast<double>(memoryInUse()) / kMb,
                          static_cast<double>(memoryLimit()) / kMb),
              advice);
}

std::size_t usualCacheBytes() { return std::clamp(machineBytes() / 4, std::size_t{512} << 20, std::size_t{8} << 30); }

MemoryCache::MemoryCache() {
  const std::lock_guard lock(caches().mutex);
  caches().all.push_back(this);
}

MemoryCache::~MemoryCache() {
  const std::lock_guard lock(caches().mutex);
  std::erase(caches().all, this);
}

bool MemoryCache::clear() {
  std::map<Key, Entry> dropped;  // destroyed after the lock is gone
  const std::unique_lock lock(m_mutex, std::try_to_lock);
  if (!lock) return false;
  dropped.swap(m_entries);
  m_uses.clear();
  m_counted = m_added = 0;
  return true;
}

std::shared_ptr<const Cached> MemoryCache::find(const Key& key) {
  const std::lock_guard lock(m_mutex);
  const auto it = m_entries.find(key);
  if (it == m_entries.end()) return nullptr;
  m_uses.splice(m_uses.begin(), m_uses, it->second.use);
  return it->second.value;
}

void MemoryCache::store(const Key& key, std::shared_ptr<const Cached> value) {
  ByteCounter alone;
  value->countBytes(alone);
  std::shared_ptr<const Cached> replaced;  // destroyed after the lock is gone
  bool isFull = false;
  {
    const std::lock_guard lock(m_mutex);
    if (const auto it = m_entries.find(key); it != m_entries.end()) {
      replaced = std::exchange(it->second.value, std::move(value));
      m_uses.splice(m_uses.begin(), m_uses, it->second.use);
    } else {
      std::list<Key> use{key};  // both have their place before either is put in: memory may end between them
      m_entries.emplace(key, Entry{std::move(value), use.begin()});
      m_uses.splice(m_uses.begin(), use);
    }
    m_added += alone.bytes();
    isFull = m_counted + m_added > m_limit;
  }
  if (isFull) trim();
}

void MemoryCache::remove(const Key& key) {
  std::shared_ptr<const Cached> dropped;
  const std::lock_guard lock(m_mutex);
  const auto it = m_entries.find(key);
  if (it == m_entries.end()) return;
  dropped = std::move(it->second.value);
  m_uses.erase(it->second.use);
  m_entries.erase(it);
}

void MemoryCache::setLimit(std::size_t bytes) {
  const std::lock_guard lock(m_mutex);
  m_limit = bytes;
}

void MemoryCache::trim() {
  std::vector<std::shared_ptr<const Cached>> dropped;  // destroyed after the lock is gone
  {
    const std::lock_guard lock(m_mutex);
    ByteCounter counter;
    m_counted = 0;
    m_added = 0;
    for (auto use = m_uses.begin(); use != m_uses.end();) {
      const auto it = m_entries.find(*use);
      it->second.value->countBytes(counter);
      if (use == m_uses.begin() || counter.bytes() <= m_limit) {
        m_counted = counter.bytes();
        ++use;
        continue;
      }
      // From here on everything goes: what was used longer ago does not stay in its place.
      dropped.push_back(std::move(it->second.value));
      m_entries.erase(it);
      use = m_uses.erase(use);
    }
  }
  if (dropped.empty()) return;
  dropped.clear();
  releaseFreeBlocks();
}

std::size_t MemoryCache::bytes() const {
  const std::lock_guard lock(m_mutex);
  ByteCounter counter;
  for (const auto& [key, entry] : m_entries) entry.value->countBytes(counter);
  return counter.bytes();
}

std::size_t MemoryCache::size() const {
  const std::lock_guard lock(m_mutex);
  return m_entries.size();
}

}  // namespace arvesk
