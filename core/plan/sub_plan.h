// Sub-plans: groups of nodes that are used as one node, with inputs, outputs and controls of their own.
//
// What comes in and goes out are nodes inside, of the kinds kWayIn and kWayOut: their order is that of the inputs and
// outputs, their uids are the ids of these, their titles the labels. Inner parameters follow front controls as those of
// a plan follow dials. Instances are nodes of the kind "sub-plan" (Node::subPlan); evaluation opens them (open_plan.h).
#pragma once

#include "core/plan/node.h"

namespace arvesk {

struct Plan;

inline constexpr const char* kWayIn = "way-in";
inline constexpr const char* kWayOut = "way-out";
inline constexpr const char* kWayInFallback = "fallback";  // input of a way in: what counts when nothing comes in
inline constexpr const char* kWayValue = "value";          // its output; input and output of a way out

/// A parameter of a sub-plan, as its author declares it; see ParamSpec.
struct FrontControl {
  std::string id;  // letters, digits and _: its name in formulas inside, and in files
  ParamType type = ParamType::Number;
  std::string label;
  std::string help;
  std::string group;
  Unit unit = Unit::None;
  double least = -1e9;
  double most = 1e9;
  double usualLeast = 0;
  double usualMost = 1;
  double step = 0.01;
  std::vector<Option> options;
  TextForm form = TextForm::Line;
  std::string fileKind;
  std::string shownBy;
  std::vector<std::string> shownFor;
  ParamValue usual = 0.0;  // what a new instance has
  std::string unknown;
  bool operator==(const FrontControl&) const = default;
};

/// The control as a declared parameter.
ParamSpec specOf(const FrontControl& control);
/// A control that is as a parameter is declared.
FrontControl frontLike(const ParamSpec& spec, const std::string& id, ParamValue usual);

/// What an instance sets a control to.
const ParamValue& valueOf(const Node& instance, const FrontControl& control);

/// A front control and what an instance sets it to.
struct FrontValue {
  FrontControl control;
  ParamValue draft;
  ParamValue final;
  bool operator==(const FrontValue&) const = default;
};

/// What must hold where a sub-plan is used, in its author's words.
struct SubPlanCheck {
  std::string formula;  // over ways ("stones": how many, "stones_width": m) and front controls; 0 is wrong
  std::string words;    // what is told then
  bool operator==(const SubPlanCheck&) const = default;
};

struct SubPlan {
  std::string uid;
  std::string name;
  std::string sentence;  // of its cards; "{density}" stands for the control of that name
  std::string help;
  std::string author;
  std::string license;
  std::string tags;  // words separated by spaces
  std::string category;
  int version = 1;
  std::string news;  // what is new in this version, in the author's words
  std::vector<FrontControl> fronts;
  std::vector<SubPlanCheck> checks;
  std::vector<Node> nodes;
  std::vector<PaperItem> paper;
  std::string unknown;
  MadeKind made;  // of its instances
  bool operator==(const SubPlan&) const = default;

  const Node* find(const std::string& nodeUid) const;
  const FrontControl* findFront(const std::string& id) const;
};

/// Gives every instance in the plan, inside of sub-plans too, the kind that its sub-plan declares; one whose sub-plan
/// is not there has none. Kinds of sub-plans that declare the same as before stay the same objects.
void fitSubPlans(Plan& plan);

/// Would a sub-plan that has an instance of `inner` inside lie in itself? `outer` and `inner` are uids.
bool wouldLieInItself(const Plan& plan, const std::string& outer, const std::string& inner);

/// What is wrong with `id` for a front control, or empty: letters, digits and _, each used once.
std::string faultOfFrontId(const std::vector<FrontControl>& fronts, const std::string& id);

/// A control's value for a formula: "id", or "id_2" for the second number of a vector, range or band; choices count
/// from 1. Nothing when no control is called so, or it is no number.
std::optional<double> frontNumber(const FrontControl& control, const ParamValue& value, const std::string& name);

}  // namespace arvesk
