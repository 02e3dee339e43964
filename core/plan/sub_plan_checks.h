// What the author of a sub-plan says must hold where it is used.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// What comes or goes by a way: how many points or faces, and where they lie.
struct WayFacts {
  std::size_t count = 0;
  Box3 bounds;  // m
};

/// The name of a way in checks: its title in small letters, with _ for all else ("Stones by the path" is
/// stones_by_the_path).
std::string checkName(const std::string& title);

/// The checks that do not hold, in their author's words, and those that cannot be asked. Names are ways ("stones":
/// their count; "stones_width", "stones_height", "stones_depth": m along X, Y and Z) and front controls.
std::vector<Problem> brokenChecks(const std::vector<SubPlanCheck>& checks, const std::vector<FrontValue>& fronts,
                                  const std::map<std::string, WayFacts>& ways);

}  // namespace arvesk
