// A plan with its sub-plans opened: what is evaluated, and what everybody walks along who asks where points come from.
//
// Each node inside of an instance stands there by itself, its uid the path that leads to it ("reeds/sow"), its inputs
// joined to what really arrives, its parameters set to what the front controls say. So nothing else has to know of
// sub-plans: ids, draws, cache, draft, Why here and exports are those of the same nodes side by side.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

enum class Quality;

/// An instance whose nodes stand in the opened plan in its place.
struct OpenedInstance {
  std::string subPlan;  // uid
  LiesIn liesIn;
  Link main;                       // what comes in first, or empty
  std::vector<Link> outputs;       // what each declared output gives; empty where it gives nothing
  std::vector<std::string> nodes;  // uids in the opened plan, of those inside and further in
  std::vector<std::string> ways;   // of its own ways in and out
  std::vector<SubPlanCheck> checks;
  std::map<std::string, std::string> checkedWays;  // by name in checks: the way
  std::vector<FrontValue> fronts;
};

struct OpenedPlan {
  Plan plan;
  std::map<std::string, OpenedInstance> instances;  // by uid in the opened plan
  std::map<std::string, std::vector<Link>> ways;    // by uid: what comes to each way in or out
  std::vector<Problem> problems;                    // of the plan's own settings
};

/// The seed of a node inside of an instance: under another seed of that it is another one.
std::uint64_t seedInside(std::uint64_t ofInstance, std::uint64_t own);

/// Instances that cannot be opened (skipped, faulty, of no sub-plan) stand there as nodes of their own.
OpenedPlan openPlan(const Plan& plan, Quality quality);

}  // namespace arvesk
