// The files that a plan names.
#pragma once

#include "core/plan/document.h"

#include <functional>

namespace arvesk {

struct NamedFile {
  std::string path;  // as it is written in the plan
  std::string uid;   // of the node or prop that names it
  bool isProp = false;
};

/// All of them, as often as they are named; what has no path yet is left out.
std::vector<NamedFile> namedFiles(const Plan& plan);

void changePaths(Plan& plan, const std::function<void(std::string&)>& change);

/// Relative paths that start at the folder `from` start at `to` then, and lead to the same files. Where one of the
/// folders is empty (a plan that was not saved yet), paths stay.
void rebasePaths(Plan& plan, const std::string& from, const std::string& to);

}  // namespace arvesk
