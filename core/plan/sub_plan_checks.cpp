#include "core/plan/sub_plan_checks.h"

#include "core/base/formula.h"

#include <fmt/format.h>

namespace arvesk {

std::string checkName(const std::string& title) {
  std::string out;
  for (const char c : title) {
    const bool isLetter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
    if (isLetter)
      out += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    else if (!out.empty() && out.back() != '_')
      out += '_';
  }
  while (out.ends_with('_')) out.pop_back();
  return out.empty() || (out[0] >= '0' && out[0] <= '9') ? "_" + out : out;
}

namespace {

std::optional<double> numberNamed(const std::string& name, const std::vector<FrontValue>& fronts,
                                  const std::map<std::string, WayFacts>& ways) {
  for (const FrontValue& front : fronts)
    if (const auto number = frontNumber(front.control, front.final, name)) return number;
  if (const auto way = ways.find(name); way != ways.end()) return static_cast<double>(way->second.count);
  const char* const sides[] = {"_width", "_height", "_depth"};
  for (int a = 0; a < 3; ++a) {
    const std::string side = sides[a];
    if (!name.ends_with(side)) continue;
    const auto way = ways.find(name.substr(0, name.size() - side.size()));
    if (way == ways.end()) continue;
    return way->second.bounds.isEmpty() ? 0.0 : static_cast<double>(way->second.bounds.extent()[a]);
  }
  return {};
}

Problem warning(std::string message, std::string advice) {
  return {ProblemCode::BadParameter, Severity::Warning, {}, std::move(message), std::move(advice)};
}

}  // namespace

std::vector<Problem> brokenChecks(const std::vector<SubPlanCheck>& checks, const std::vector<FrontValue>& fronts,
                                  const std::map<std::string, WayFacts>& ways) {
  std::vector<Problem> out;
  for (const SubPlanCheck& check : checks) {
    const auto formula = Formula::compile(check.formula);
    if (!formula) {
      out.push_back(warning(fmt::format("the check \"{}\" cannot be asked: {}", check.formula, formula.error().message),
                            "Mend it inside of the sub-plan"));
      continue;
    }
    std::vector<double> row;
    for (const std::string& name : formula->names()) {
      const auto number = numberNamed(name, fronts, ways);
      if (!number) {
        out.push_back(
            warning(fmt::format("the check \"{}\" asks for \"{}\", which is no input, output or front control",
                                check.formula, name),
                    "Mend it inside of the sub-plan"));
        break;
      }
      row.push_back(*number);
    }
    if (row.size() < formula->names().size() || formula->evaluate(row) != 0) continue;
    out.push_back(
        warning(check.words.empty() ? fmt::format("the check \"{}\" does not hold", check.formula) : check.words, {}));
  }
  return out;
}

}  // namespace arvesk
