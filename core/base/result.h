// What goes wrong in a user's hands: a Problem with place, message and advice, carried in Result<T>. Bugs assert
// instead.
#pragma once

#include <tl/expected.hpp>

#include <cstdio>
#include <cstdlib>
#include <string>
#include <utility>

namespace arvesk {

enum class ProblemCode {
  Cancelled,  // never shown as a failure
  BadParameter,
  MissingInput,
  WrongInput,
  UnknownKind,
  Loop,
  TooMany,  // an estimate above the limits
  FileMissing,
  FileUnreadable,  // the content is not what the format says
  FileTooLarge,
  FileNewer,     // written by a newer version
  UnlikelySize,  // asked about before it is worked with
  WriteFailed,
  HelperFailed,  // the import helper crashed or ran out of time or memory
  Waiting,       // another node failed first
  Internal,
};

enum class Severity { Note, Warning, Error };

/// What the program itself can do about a problem, at a click.
enum class Remedy { None, SetDownLast, MoveAfterDress, CloseBody };

struct Problem {
  ProblemCode code = ProblemCode::Internal;
  Severity severity = Severity::Error;
  std::string where;    // node title, file name or parameter
  std::string message;  // what is wrong, with actual and wanted value
  std::string advice;   // what to do; may be empty
  Remedy remedy = Remedy::None;

  bool operator==(const Problem&) const = default;
};

inline Problem problem(ProblemCode code, std::string message, std::string advice = {}, std::string where = {}) {
  return {code, Severity::Error, std::move(where), std::move(message), std::move(advice)};
}
inline Problem cancelled() { return problem(ProblemCode::Cancelled, "cancelled"); }

/// One line: "where: message. advice".
std::string toLine(const Problem& p);

template <typename T>
using Result = tl::expected<T, Problem>;
using Failure = tl::unexpected<Problem>;

inline Failure fail(ProblemCode code, std::string message, std::string advice = {}, std::string where = {}) {
  return Failure(problem(code, std::move(message), std::move(advice), std::move(where)));
}

}  // namespace arvesk

/// A broken invariant is a bug; on in every build, since a wrong scatter that goes unseen costs more than the check.
#define ARVESK_ASSERT(condition, text)                                                           \
  do {                                                                                           \
    if (!(condition)) {                                                                          \
      std::fprintf(stderr, "arvesk: broken invariant at %s:%d: %s\n", __FILE__, __LINE__, text); \
      std::abort();                                                                              \
    }                                                                                            \
  } while (false)
