// How an attribute that a node writes may be called.
#pragma once

#include <fmt/format.h>

#include <string>

namespace arvesk::nodes {

/// What is wrong with the name, or empty: names that numbers of all points have, or that other nodes write, are taken.
inline std::string faultOfAttributeName(const std::string& name) {
  if (name.empty()) return "must not be empty";
  for (const char* taken :
       {"x", "y", "z", "height", "slope", "size", "footprint", "prop", "parent", "patch", "patch-distance"})
    if (name == taken) return fmt::format("\"{}\" is taken", name);
  return {};
}

}  // namespace arvesk::nodes
