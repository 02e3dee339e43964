// The files of a plan that could not be read: which, who needs them, and what that costs.
#pragma once

#include "core/formats/file_service.h"
#include "core/plan/evaluator.h"

namespace arvesk {

struct UnreadFile {
  std::string path;  // as it is written in the plan
  Problem problem;
  std::vector<std::string> neededBy;  // titles of nodes and names of props
  std::vector<std::string> waiting;   // titles of the nodes that wait for it
  std::size_t placements = 0;         // that stand where a prop should be, over all outputs
  std::string folder{};               // that is to be allowed so that it can be read; empty when that is not it
};

/// In the order in which the plan names them; each once.
std::vector<UnreadFile> unreadFiles(const Plan& plan, const Evaluation& evaluation);

/// Files that those of the plan name and that lie outside of the folders where they may be looked for.
std::vector<UnreadFile> refusedFiles(const Plan& plan, const DiskFileService& files);

/// Files below `folder` that are called as those of `paths` are, by path; letters in other case count where nothing
/// fits better, and of several the one whose folders are alike the furthest. Stops at a cancel with what it has.
std::map<std::string, std::string> filesBelow(const std::string& folder, const std::vector<std::string>& paths,
                                              const Task& task);

}  // namespace arvesk
