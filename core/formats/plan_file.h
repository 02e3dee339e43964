// The plan document as a file: JSON, keys sorted, written so that numbers read back bit for bit.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// Reads a plan from JSON text. Unknown keys, parameters and node kinds are kept and written back. Values that cannot
/// be are set aside (Node::refused) or put right, and told (PlanOrigin::problems); a broken structure is refused.
Result<Plan> parsePlan(const std::string& text, const std::string& where);
/// A plan that is as it was read comes out byte for byte as it stood in its file; of another one, numbers that did not
/// change.
std::string formatPlan(const Plan& plan);

/// Some nodes as text, for copy and paste between plans; props that they use come along.
std::string formatNodes(const Plan& plan, const std::vector<std::string>& uids);

/// Bytes of a plan's file.
constexpr std::size_t kLargestPlan = std::size_t{512} << 20;
Result<Plan> loadPlan(const std::string& path);
/// Writes to a temporary name in the same folder and renames, so that the old file stays whole until the new one is.
/// Gives what was written.
Result<std::string> savePlan(const Plan& plan, const std::string& path);

}  // namespace arvesk
