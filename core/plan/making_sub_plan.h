// Making a sub-plan of nodes of a plan, and taking one apart. Both change nothing of what comes of the plan, to the
// bit: nodes keep who they are.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

struct MadeSubPlan {
  std::string subPlan;   // uid
  std::string instance;  // uid of the node that stands in the place of the others
};

/// Makes a sub-plan of the nodes `uids` of the plan and puts an instance of it in their place. What comes to them and
/// goes from them becomes its inputs and outputs; dials, and front controls of the sub-plan that they lie in, that they
/// follow become front controls. Fails, and changes nothing, where something outside lies between them.
Result<MadeSubPlan> makeSubPlan(Plan& plan, const std::vector<std::string>& uids, const std::string& name);

/// Puts the nodes inside of an instance in its place; gives their uids. A sub-plan that has no other instance goes.
/// Fails, and changes nothing, where the sub-plan is not there or cannot be opened.
Result<std::vector<std::string>> takeApart(Plan& plan, const std::string& instance);

/// A title that no other node of the plan has.
std::string freeTitle(const Plan& plan, const std::string& wanted);

}  // namespace arvesk
