#include "core/base/array.h"

#include <sys/mman.h>

#include <cstdlib>
#include <new>

namespace arvesk {

void* allocateBytes(std::size_t bytes) {
  constexpr std::size_t kHugePage = std::size_t{2} << 20;
  void* p = nullptr;
  if (bytes >= 2 * kHugePage) {
    if (bytes > SIZE_MAX - kHugePage) throw std::bad_alloc();
    const std::size_t rounded = (bytes + kHugePage - 1) / kHugePage * kHugePage;
    p = std::aligned_alloc(kHugePage, rounded);
    if (p) ::madvise(p, rounded, MADV_HUGEPAGE);  // where the system has none, nothing is lost
  } else {
    p = std::malloc(bytes > 0 ? bytes : 1);
  }
  if (!p) throw std::bad_alloc();
  return p;
}

void freeBytes(void* p) noexcept { std::free(p); }

}  // namespace arvesk
