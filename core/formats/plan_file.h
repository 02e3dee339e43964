// The plan document as a file: JSON, keys sorted, written so that numbers read back bit for bit.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// Reads a plan from JSON text. Unknown keys, parameters and node kinds are kept and written back.
Result<Plan> parsePlan(const std::string& text, const std::string& where);
std::string formatPlan(const Plan& plan);

/// Some nodes as text, for copy and paste between plans; props that they use come along.
std::string formatNodes(const Plan& plan, const std::vector<std::string>& uids);

Result<Plan> loadPlan(const std::string& path);
/// Writes to a temporary name in the same folder and renames, so that the old file stays whole until the new one is.
Result<void> savePlan(const Plan& plan, const std::string& path);

}  // namespace arvesk
