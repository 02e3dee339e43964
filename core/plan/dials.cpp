#include "core/plan/dials.h"

#include "core/base/formula.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {

Result<double> dialValue(const Plan& plan, const std::string& formula, Quality quality) {
  const auto compiled = Formula::compile(formula);
  if (!compiled) return Failure(compiled.error());
  std::vector<double> row;
  for (const std::string& name : compiled->names()) {
    const auto dial = std::find_if(plan.dials.begin(), plan.dials.end(), [&](const Dial& d) { return d.name == name; });
    if (dial == plan.dials.end())
      return fail(ProblemCode::BadParameter, fmt::format("the plan has no dial \"{}\"", name),
                  "Add it on the Bench of the plan, or type a number");
    row.push_back(quality == Quality::Draft ? dial->draft : dial->final);
  }
  return compiled->evaluate(row);
}

std::map<std::string, Problem> followDials(Plan& plan, Quality quality) {
  std::map<std::string, Problem> problems;
  for (Node& node : plan.nodes) {
    const NodeKind* kind = findNodeKind(node.kind);
    if (!kind) continue;
    for (const auto& [param, formula] : node.follows) {
      const ParamSpec* spec = kind->findParam(param);
      if (!spec || (spec->type != ParamType::Number && spec->type != ParamType::Integer)) continue;
      auto value = dialValue(plan, formula, quality);
      if (!value) {
        Problem p = value.error();
        p.message = fmt::format("{} follows \"{}\": {}", spec->label, formula, p.message);
        problems[node.uid] = std::move(p);
        continue;
      }
      if (spec->type == ParamType::Integer) value = std::round(*value);
      if (std::string fault = faultOf(*spec, *value); !fault.empty())
        problems[node.uid] = problem(ProblemCode::BadParameter, fmt::format("{} (from \"{}\")", fault, formula),
                                     "Change the dial or the formula");
      else
        node.params[param] = *value;
    }
  }
  return problems;
}

std::string faultOfDialName(const Plan& plan, const std::string& name, const std::string& ownUid) {
  const auto isWord = [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
  };
  if (name.empty() || !std::all_of(name.begin(), name.end(), isWord) || (name[0] >= '0' && name[0] <= '9'))
    return "a dial's name is letters, digits and _, and does not start with a digit";
  for (const Dial& d : plan.dials)
    if (d.uid != ownUid && d.name == name) return fmt::format("there is a dial \"{}\" already", name);
  if (const auto formula = Formula::compile(name); !formula || formula->names().empty())
    return fmt::format("\"{}\" has a meaning of its own in formulas", name);
  return {};
}

}  // namespace arvesk
