#include "core/base/reserve.h"

#include <atomic>
#include <cstddef>
#include <new>

namespace arvesk {
namespace {

constexpr std::size_t kBytes = std::size_t{1} << 20;

std::atomic<bool> g_isHolding{false};
std::atomic<void*> g_block{nullptr};

/// What operator new calls when there is no memory (C++ standard, [new.handler]): when it returns, it is tried again.
void giveReserve() {
  void* block = g_block.exchange(nullptr);
  if (!block) throw std::bad_alloc();
  ::operator delete(block);
}

}  // namespace

void holdReserve() {
  g_isHolding = true;
  (void)hasReserve();
  std::set_new_handler(&giveReserve);
}

bool hasReserve() {
  if (!g_isHolding || g_block.load()) return true;
  void* block = ::operator new(kBytes, std::nothrow);
  if (!block) return false;
  void* nothing = nullptr;
  if (!g_block.compare_exchange_strong(nothing, block)) ::operator delete(block);  // another thread was first
  return true;
}

}  // namespace arvesk
