// Which parameters a front control of an instance sets: those of nodes inside, as they stand in the opened plan.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

struct FrontTarget {
  std::string node;  // uid in the opened plan
  std::string param;
};

/// Those that have the control's value as it is, however deep inside; `instance` is a uid of the opened plan.
std::vector<FrontTarget> frontTargets(const Plan& document, const std::string& instance, const std::string& front);

}  // namespace arvesk
