// Memory that runs out: include it in one file of a test program alone, since it replaces the operators new and delete.
#pragma once

#include <malloc.h>

#include <atomic>
#include <cstdlib>
#include <new>

namespace arvesk::test {

/// Allocations until one fails; negative: none does. Those of threads of other libraries count too, unless `g_onlyOwn`.
inline std::atomic<long> g_allocationsLeft{-1};
inline std::atomic<long> g_allocations{0};
inline std::atomic<bool> g_onlyOwn{false};  // only what this program's own code asks for counts
/// Whether memory stays short from then on, as on a machine that has no more: there is as much as is given back.
inline std::atomic<bool> g_isLasting{false};
inline std::atomic<bool> g_isShort{false};
inline std::atomic<long> g_bytesLeft{0};

/// Memory ends at the n-th allocation from now; a negative one: there is enough again.
inline void endMemoryAt(long n) {
  g_isShort = false;
  g_bytesLeft = 0;
  g_allocationsLeft = n;
}

extern "C" const char __executable_start;
extern "C" const char etext;

inline bool isRefused(std::size_t bytes, const void* caller) {
  if (g_onlyOwn.load(std::memory_order_relaxed) && (caller < &__executable_start || caller >= &etext)) return false;
  g_allocations.fetch_add(1, std::memory_order_relaxed);
  const bool isHere = g_allocationsLeft.load(std::memory_order_relaxed) >= 0 &&
                      g_allocationsLeft.fetch_sub(1, std::memory_order_relaxed) == 0;
  if (!g_isLasting) return isHere;
  if (isHere) g_isShort = true;
  if (!g_isShort) return false;
  const long wanted = static_cast<long>(bytes) + 16;
  if (g_bytesLeft.fetch_sub(wanted) >= wanted) return false;
  g_bytesLeft += wanted;
  return true;
}

inline void* allocate(std::size_t bytes, const void* caller) {
  for (;;) {
    if (!isRefused(bytes, caller))
      if (void* p = std::malloc(bytes > 0 ? bytes : 1)) return p;
    const std::new_handler handler = g_isLasting ? std::get_new_handler() : nullptr;
    if (!handler) throw std::bad_alloc();
    handler();
  }
}
inline void* allocateOrNull(std::size_t bytes, const void* caller) noexcept {
  return isRefused(bytes, caller) ? nullptr : std::malloc(bytes > 0 ? bytes : 1);
}

inline void release(void* p) noexcept {
  if (g_isShort.load(std::memory_order_relaxed)) g_bytesLeft += static_cast<long>(::malloc_usable_size(p));
  std::free(p);
}

}  // namespace arvesk::test

void* operator new(std::size_t bytes) { return arvesk::test::allocate(bytes, __builtin_return_address(0)); }
void* operator new[](std::size_t bytes) { return arvesk::test::allocate(bytes, __builtin_return_address(0)); }
void* operator new(std::size_t bytes, const std::nothrow_t&) noexcept {
  return arvesk::test::allocateOrNull(bytes, __builtin_return_address(0));
}
void operator delete(void* p) noexcept { arvesk::test::release(p); }
void operator delete[](void* p) noexcept { arvesk::test::release(p); }
void operator delete(void* p, std::size_t) noexcept { arvesk::test::release(p); }
void operator delete[](void* p, std::size_t) noexcept { arvesk::test::release(p); }
