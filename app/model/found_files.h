// Files of a plan that were missing and are found again.
#pragma once

#include "app/model/plan_model.h"

namespace arvesk {

/// Finds `path`, as the plan names it, in `file`, and those of `others` that lie beside it under their own names: a kit
/// that moved moved as a whole.
std::map<std::string, std::string> foundBeside(const std::string& path, const QString& file,
                                               const std::vector<std::string>& others);

/// Lets all of the plan that names a file of `found` name what was found instead, from `folder`, as one step.
void relink(PlanModel& model, const QString& folder, const std::map<std::string, std::string>& found);

}  // namespace arvesk
