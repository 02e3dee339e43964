#include "core/base/array.h"

#include "core/base/task.h"

#include <cstdint>
#include <new>

#ifdef ARVESK_SANITIZED
#include <cstdlib>
#else
#include <tbb/scalable_allocator.h>

#include <sys/mman.h>
#endif

namespace arvesk {

#ifndef ARVESK_SANITIZED
namespace {

/// Asks for pages of 2 MB in what lies whole within a large block: a fault on each page of 4 KB takes longer than most
/// loops over it. A system that has none says so, which changes nothing.
void wishForLargePages(void* block, std::size_t bytes) {
  constexpr std::uintptr_t kPage = std::uintptr_t{2} << 20;
  const auto from = (reinterpret_cast<std::uintptr_t>(block) + kPage - 1) & ~(kPage - 1);
  const auto to = (reinterpret_cast<std::uintptr_t>(block) + bytes) & ~(kPage - 1);
  if (to > from) ::madvise(reinterpret_cast<void*>(from), to - from, MADV_HUGEPAGE);
}

}  // namespace
#endif

namespace {

/// Blocks from here on are counted: few, and nearly all of what large plans take.
constexpr std::size_t kCounted = std::size_t{64} << 10;

void* takeBlock(std::size_t bytes) {
  const std::size_t size = bytes > 0 ? bytes : 1;
#ifdef ARVESK_SANITIZED
  return std::malloc(size);
#else
  void* p = scalable_malloc(size);
  if (p) wishForLargePages(p, size);
  return p;
#endif
}

}  // namespace

// oneTBB's allocator keeps large blocks for the next array of about the size, where the system's would give them back
// and pay for a fault on each page again. Sanitizers see only the system's.
void* allocateBytes(std::size_t bytes) {
  if (bytes >= kCounted) {
    endIfStopped();
    takeMemory(bytes);
  }
  void* p = takeBlock(bytes);
  if (p) return p;
  if (bytes >= kCounted) giveMemory(bytes);
  throw std::bad_alloc();
}

void freeBytes(void* p, std::size_t bytes) noexcept {
  if (bytes >= kCounted) giveMemory(bytes);
#ifdef ARVESK_SANITIZED
  std::free(p);
#else
  scalable_free(p);
#endif
}

void releaseFreeBlocks() {
#ifndef ARVESK_SANITIZED
  scalable_allocation_command(TBBMALLOC_CLEAN_ALL_BUFFERS, nullptr);
#endif
}

}  // namespace arvesk
