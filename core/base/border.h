// The border at which exceptions end: whatever a library or the memory throws becomes a Problem. Every thread that
// works for the program calls its work through here, so that nothing that goes wrong ends the program.
#pragma once

#include "core/base/memory.h"
#include "core/base/reserve.h"
#include "core/base/result.h"
#include "core/base/task.h"

#include <exception>
#include <new>
#include <type_traits>

namespace arvesk {

/// What is said when memory ran out, and when it would be more than the program may use.
Problem outOfMemory();
Problem overMemoryLimit(const OverMemoryLimit& e);

template <typename T>
struct IsResult : std::false_type {};
template <typename T>
struct IsResult<Result<T>> : std::true_type {};

/// `work()` as a Result: a Problem in place of an exception. What gives a Result already gives the same one.
template <typename Work>
auto withinBorder(Work&& work) {
  using Given = decltype(work());
  using Out = typename std::conditional_t<IsResult<Given>::value, std::type_identity<Given>,
                                          std::type_identity<Result<Given>>>::type;
  (void)hasReserve();
  try {
    if constexpr (std::is_void_v<Given>) {
      work();
      return Out{};
    } else {
      return Out(work());
    }
  } catch (const Cancelled&) { return Out(Failure(cancelled())); } catch (const OverMemoryLimit& e) {
    return Out(Failure(overMemoryLimit(e)));
  } catch (const std::bad_alloc&) { return Out(Failure(outOfMemory())); } catch (const std::exception& e) {
    return Out(fail(ProblemCode::Internal, std::string("stopped by an error inside: ") + e.what()));
  } catch (...) { return Out(fail(ProblemCode::Internal, "stopped by an error inside")); }
}

}  // namespace arvesk
