// Libraries: folders of sub-plans, each in a plan file of its own (Plan::tool) that shows it at work. A plan carries
// what it uses inside itself, so it opens anywhere and stays the same; libraries are where it is taken from.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

struct LibraryFolder {
  std::string path;
  bool isReadOnly = false;  // of a team, or shipped
};

struct LibraryTool {
  std::string file;
  bool isReadOnly = false;
  Plan plan;  // the whole file; its files start at the file's folder

  const SubPlan& tool() const { return *plan.findSubPlan(plan.tool); }
};
using LibraryToolPtr = std::shared_ptr<const LibraryTool>;

struct Library {
  std::vector<LibraryToolPtr> tools;  // by name
  std::vector<Problem> problems;      // files that cannot be read, and those that are there twice

  LibraryToolPtr find(const std::string& uid) const;
};

/// The folder of the starter library: beside the program where it is installed, or where it is built; empty when it is
/// not there.
std::string shippedLibrary();

/// Reads all plan files of the folders that are there to show a tool. Of several files of one tool that of the first
/// folder counts, the others are told; so is what cannot be read. Folders that are not there are empty.
Library readLibrary(const std::vector<LibraryFolder>& folders);

/// Puts the tool, the sub-plans inside of it and the props that they name into the plan, whose files start at `folder`.
/// What is there already under the same uid stays as it is.
void bringTool(Plan& plan, const LibraryTool& tool, const std::string& folder);

/// A sub-plan of a plan of which the library has a later version.
struct LaterVersion {
  std::string subPlan;  // uid
  int has = 1;
  int there = 1;
  std::string news;               // in the author's words
  std::vector<std::string> gone;  // labels of controls that instances set and that are no more
};
std::vector<LaterVersion> laterVersions(const Plan& plan, const Library& library);

/// Takes the library's version in place of the plan's. What instances set stays where the control still is; what they
/// set otherwise goes, as `gone` of laterVersions says.
void takeVersion(Plan& plan, const LibraryTool& tool, const std::string& folder);

/// Writes a sub-plan of the plan as a file of the library folder `into`: with what lies inside of it and its props, and
/// an instance that has something at each input that it needs. A file that is there keeps its other nodes, and the
/// version goes up where the tool is another than it was. Gives the file's path. The plan's files start at `folder`.
Result<std::string> keepInLibrary(const Plan& plan, const std::string& subPlan, const std::string& into,
                                  const std::string& folder);

}  // namespace arvesk
