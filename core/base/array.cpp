#include "core/base/array.h"

#include <new>

#ifdef ARVESK_SANITIZED
#include <cstdlib>
#else
#include <tbb/scalable_allocator.h>
#endif

namespace arvesk {

// oneTBB's allocator keeps large blocks for the next array of about the size, where the system's would give them back
// and pay for a fault on each page again. Sanitizers see only the system's.
void* allocateBytes(std::size_t bytes) {
  const std::size_t size = bytes > 0 ? bytes : 1;
#ifdef ARVESK_SANITIZED
  void* p = std::malloc(size);
#else
  void* p = scalable_malloc(size);
#endif
  if (!p) throw std::bad_alloc();
  return p;
}

void freeBytes(void* p) noexcept {
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
