// What parameters follow: dials, which are numbers of the plan, as they are or by a formula ("spacing * 2"), and time.
#pragma once

#include "core/plan/context.h"
#include "core/plan/document.h"

namespace arvesk {

/// Sets every parameter of `plan` that has keys, or follows dials, front controls or time (`frame`, `seconds`,
/// `phase`), to its value in `quality` at the plan's frame. What cannot be worked out keeps its own value and is told
/// per node uid: a formula that does not parse, a name that no dial has, a result outside of the parameter's range.
std::map<std::string, Problem> followDials(Plan& plan, Quality quality);

/// Sets what of the plan's settings follows formulas, and tells what cannot be worked out; that keeps its own value.
std::vector<Problem> followSettings(Plan& plan, Quality quality);

/// The parameters of one node of the plan as they are in `quality`.
ParamMap paramsNow(const Plan& plan, const Node& node, Quality quality);

/// What a key of Node::follows means: a parameter, or one of the numbers of a range, band or vector ("size.0").
struct FollowedPart {
  std::string param;
  std::optional<unsigned> part;
};
FollowedPart followedPart(const std::string& key);

/// What is wrong with `name` for a dial of `plan`, or empty: names are letters, digits and _, each used once.
std::string faultOfDialName(const Plan& plan, const std::string& name, const std::string& ownUid);

/// The value of a formula over the plan's dials, or the front controls of the sub-plan that its nodes are of.
Result<double> dialValue(const Plan& plan, const std::string& formula, Quality quality);

}  // namespace arvesk
