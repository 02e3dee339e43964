// Whole plans for tests: those that are committed, and random ones as people build them, with random edits.
#pragma once

#include "tests/support/kinds.h"

#include <random>

namespace arvesk::test {

/// A row per plan of the demo and its examples; column "file", from the repository's folder.
void committedPlans();
std::string folderOf(const QString& planFile);

/// A node by uid, kind, parameters and links ("input" → "uid" or "uid.output"); several links of one input as "a|b".
Node node(const std::string& uid, const std::string& kind, const ParamMap& params = {},
          const std::map<std::string, std::string>& inputs = {});
Plan planOf(std::vector<Node> nodes);

/// Ground, an even scatter that Clearance thins, dressed and delivered.
Plan crowdedPlan();
/// Grounds, scatters, masks that look at other scatters, filters, clumps, growth, outputs; some 10,000 points.
Plan randomPlan(std::mt19937& random);
/// One edit of those that people make all day: a number, choice, switch, seed, skip, title, file or prop, a dab of a
/// brush, a link taken away or joined otherwise. `planFolder`, from the repository's folder, is where the plan's files
/// start.
void randomEdit(Plan& plan, std::mt19937& random, const char* planFolder);
/// Another value inside of what sliders show, or one of the options; nothing for sorts that have none.
std::optional<ParamValue> anotherValue(const ParamSpec& spec, const ParamValue& now, std::mt19937& random);

}  // namespace arvesk::test
