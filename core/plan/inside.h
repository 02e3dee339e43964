// The nodes inside of an instance as a plan of their own, to look at and to edit, and back again.
#pragma once

#include "core/plan/open_plan.h"

namespace arvesk {

/// Uids of instances, each inside of the one before; the first is a node of the document. Those further in are as their
/// sub-plan calls them.
using InsidePath = std::vector<std::string>;

/// The path as far as it leads: to instances that are there, of sub-plans that are there.
InsidePath existingPath(const Plan& document, const InsidePath& path);

/// The nodes at the end of the path with the props and settings of the document. Their uids are those of the opened
/// plan, so that reports and values are found by them; what they follow are the front controls, as the instance has
/// them set. The document itself for an empty path.
Plan planInside(const Plan& document, const InsidePath& path);

/// Takes what was edited in such a plan over into the document: nodes and paper into the sub-plan, and so into all of
/// its instances; controls too, but not what they are set to.
void putBack(Plan& document, const InsidePath& path, Plan edited);

/// Takes the path off the uids of a plan from planInside, so that they are as the sub-plan calls them, and puts it
/// back.
void stripPath(Plan& plan);
void putPath(Plan& plan, const std::string& path);

/// Calls change(plan) while the plan's uids are without their path; gives what that gives.
template <typename Change>
auto editLocally(Plan& plan, const Change& change) {
  const std::string path = plan.path;
  stripPath(plan);
  auto result = change(plan);
  putPath(plan, path);
  return result;
}

/// A uid for a new node of the plan, with the path that it lies under.
std::string newUidIn(const Plan& plan);

/// The path to the node of this uid of the opened plan, and its uid inside; nothing when it is none of the document's.
struct FoundInside {
  InsidePath path;
  std::string uid;  // as planInside calls it
};
std::optional<FoundInside> findInside(const Plan& document, const std::string& openedUid);

/// The node of the document, or of one of its sub-plans, that this one of the opened plan is; null when there is none.
Node* nodeBehind(Plan& document, const std::string& openedUid);

/// What of `here`, a plan from planInside, gives what this link of the opened plan gives: a node, an instance by one of
/// its outputs, or a way in. Empty where none does.
Link linkHere(const Plan& here, const OpenedPlan& opened, const Link& link);

/// Every uid that the opened plan has, and that nodes of sub-plans have.
std::set<std::string> takenUids(const Plan& document);

}  // namespace arvesk
