// A prop of the plan, from its file and settings, or from memory.
#pragma once

#include "core/plan/keys.h"

namespace arvesk {

struct LoadedProp {
  ResultKey key{};                 // of what it was made of, also when it could not be read
  PropPtr prop;                    // stands for itself when it could not be read, so that nothing else takes its place
  std::optional<Problem> problem;  // why it could not be read
  std::vector<Problem> warnings;   // what reading it had to say
};

/// Reads and makes the prop, or finds it in the memory of `files`. After a cancel the result is of no use.
LoadedProp loadProp(FileService& files, const PropEntry& entry, const Task& task);

}  // namespace arvesk
