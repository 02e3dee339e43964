#include "core/base/memory.h"

#include "core/base/array.h"

#include <unistd.h>

#include <algorithm>

namespace arvesk {

std::size_t usualCacheBytes() {
  const auto pages = static_cast<std::size_t>(std::max(0L, ::sysconf(_SC_PHYS_PAGES)));
  const auto page = static_cast<std::size_t>(std::max(0L, ::sysconf(_SC_PAGESIZE)));
  return std::clamp(pages * page / 4, std::size_t{512} << 20, std::size_t{8} << 30);
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
      m_uses.push_front(key);
      m_entries[key] = {std::move(value), m_uses.begin()};
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
