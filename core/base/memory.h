// What values take in memory, a cache of values under one limit, and one limit for all that the program holds. Shared
// arrays count once, however many hold them.
#pragma once

#include "core/base/result.h"

#include <array>
#include <cstddef>
#include <cstdint>
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <new>
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

/// What all arrays of the program take now, trees for tracing among them; blocks below 64 KB are not counted.
std::size_t memoryInUse();
/// The most that they may take: half of the machine's memory (or of what its control group allows), 1 GB at least,
/// where nobody says otherwise.
std::size_t memoryLimit();
void setMemoryLimit(std::size_t bytes);
/// Whether `bytes` more are within the limit, once all caches were emptied if need be.
bool hasMemoryFor(std::size_t bytes);

/// Fails when that many of `what` ("triangles"), each of which takes `bytesEach`, would be beyond the limit with all
/// that is held already.
Result<void> guardMemory(double estimate, std::size_t bytesEach, const char* what, const std::string& advice);

/// Thrown in place of memory that is beyond the limit.
struct OverMemoryLimit : std::bad_alloc {
  std::size_t wanted, taken, limit;
  OverMemoryLimit(std::size_t wantedBytes, std::size_t takenBytes, std::size_t limitBytes)
      : wanted(wantedBytes), taken(takenBytes), limit(limitBytes) {}
  const char* what() const noexcept override { return "beyond the limit of memory"; }
};

/// Counts memory that is taken (throws OverMemoryLimit when it is too much, and counts nothing then) and given back.
/// For large blocks that are not in arrays.
void takeMemory(std::size_t bytes);
void countMemoryTaken(std::size_t bytes) noexcept;  // whatever the limit
void giveMemory(std::size_t bytes) noexcept;

/// What may be kept for reuse where nobody says otherwise: a quarter of the machine's memory, within 512 MB and 8 GB.
std::size_t usualCacheBytes();

/// Values by key under one limit: results of nodes, read files and made props. What was used longest ago goes first.
/// Thread safe. Sizes are asked anew at each trimming, since indices grow on values after they were stored.
class MemoryCache {
 public:
  using Key = std::array<std::uint64_t, 2>;

  MemoryCache();
  ~MemoryCache();
  MemoryCache(const MemoryCache&) = delete;
  MemoryCache& operator=(const MemoryCache&) = delete;

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
  /// Drops everything; false when another thread is at it.
  bool clear();
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
