// What values take in memory, and a cache of values under one limit. Shared arrays count once, however many hold them.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <unordered_set>
#include <vector>

namespace arvesk {

/// Adds up bytes; what is shared is named by its address and counts once.
class ByteCounter {
 public:
  /// `identity`: address of what takes `bytes`; null counts nothing. Tells whether it was new, so that what hangs on it
  /// is asked only once.
  bool add(const void* identity, std::size_t bytes) {
    if (!identity || !m_seen.insert(identity).second) return false;
    m_bytes += bytes;
    return true;
  }
  std::size_t bytes() const { return m_bytes; }

 private:
  std::unordered_set<const void*> m_seen;
  std::size_t m_bytes = 0;
};

/// Something that can be kept in a MemoryCache.
class Cached {
 public:
  virtual ~Cached() = default;
  /// Adds its own bytes and those of all that hangs on it (indices, trees, images, props).
  virtual void countBytes(ByteCounter& counter) const = 0;
};

/// What may be kept for reuse where nobody says otherwise: a quarter of the machine's memory, within 512 MB and 8 GB.
std::size_t usualCacheBytes();

/// Values by key under one limit: results of nodes, read files and made props. What was used longest ago goes first.
/// Thread safe. Sizes are asked anew at each trimming, since indices grow on values after they were stored.
class MemoryCache {
 public:
  using Key = std::array<std::uint64_t, 2>;

  /// The value of `key`, which counts as used now; null when there is none.
  std::shared_ptr<const Cached> find(const Key& key);
  template <typename T>
  std::shared_ptr<const T> find(const Key& key) {
    return std::dynamic_pointer_cast<const T>(find(key));
  }
  /// Keeps `value`, and trims when the new ones since the last trimming might have passed the limit.
  void store(const Key& key, std::shared_ptr<const Cached> value);
  void remove(const Key& key);
  void setLimit(std::size_t bytes);
  /// Drops what was used longest ago until the rest is within the limit; the newest value stays, whatever its size.
  void trim();
  /// All bytes of what is kept, counted now.
  std::size_t bytes() const;
  std::size_t size() const;

 private:
  struct Entry {
    std::shared_ptr<const Cached> value;
    std::list<Key>::iterator use;
  };

  mutable std::mutex m_mutex;
  std::map<Key, Entry> m_entries;
  std::list<Key> m_uses;  // last used first
  std::size_t m_limit = usualCacheBytes();
  std::size_t m_counted = 0;  // at the last trimming
  std::size_t m_added = 0;    // since then, each counted alone
};

}  // namespace arvesk
