#include "core/plan/set_param.h"

#include "core/base/number_text.h"
#include "core/base/pattern.h"
#include "core/base/utf8.h"
#include "core/plan/dials.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {
namespace {

std::optional<bool> truthIn(const std::string& text) {
  if (text == "true" || text == "on" || text == "yes") return true;
  if (text == "false" || text == "off" || text == "no") return false;
  return {};
}

}  // namespace

Result<ParamValue> parseParam(const ParamSpec& spec, const std::string& text) {
  const auto wrong = [&](std::string message) {
    return fail(ProblemCode::BadParameter, std::move(message), {}, spec.id);
  };
  ParamValue value = text;
  switch (spec.type) {
    case ParamType::Toggle: {
      const auto truth = truthIn(text);
      if (!truth) return wrong(fmt::format("\"{}\" is neither true nor false", text));
      value = *truth;
      break;
    }
    case ParamType::Number:
    case ParamType::Integer: {
      const auto number = numberIn(text);
      if (!number) return wrong(fmt::format("\"{}\" is not a number", text));
      value = *number;
      break;
    }
    case ParamType::Curve:
    case ParamType::Strokes:
    case ParamType::Faces:
    case ParamType::Vector:
    case ParamType::Range:
    case ParamType::Band: {
      std::vector<double> numbers;
      std::string_view rest = text;
      while (true) {
        const std::size_t comma = rest.find(',');
        const auto number = numberIn(rest.substr(0, comma));
        if (!number) return wrong(fmt::format("\"{}\" is not a list of numbers", text));
        numbers.push_back(*number);
        if (comma == std::string_view::npos) break;
        rest.remove_prefix(comma + 1);
      }
      value = std::move(numbers);
      break;
    }
    case ParamType::Choice:
    case ParamType::Text:
    case ParamType::File: break;
    case ParamType::Props: return wrong("a list of props cannot be set by text");
    case ParamType::Points: return wrong("placed points cannot be set by text");
    case ParamType::Touches: return wrong("touch-ups cannot be set by text");
  }
  if (std::string fault = faultOf(spec, value); !fault.empty()) return wrong(std::move(fault));
  return value;
}

namespace {

/// "Is … meant?", else what helps otherwise.
std::string meant(const std::string& word, const std::vector<std::string>& names, const std::string& otherwise) {
  const std::string nearest = nearestName(word, names);
  return nearest.empty() ? otherwise : fmt::format("Is \"{}\" meant?", nearest);
}

/// In the file of a tool: the node that shows it, whose controls need no name before them.
const Node* instanceOfTool(const Plan& plan) {
  for (const Node& node : plan.nodes)
    if (!plan.tool.empty() && node.isInstance() && node.subPlan == plan.tool) return &node;
  return nullptr;
}

Result<void> setDial(Plan& plan, const std::string& name, const std::string& value) {
  const auto dial = std::find_if(plan.dials.begin(), plan.dials.end(), [&](const Dial& d) { return d.name == name; });
  if (dial == plan.dials.end()) {
    std::vector<std::string> names;
    for (const Dial& d : plan.dials) names.push_back(d.name);
    return fail(ProblemCode::BadParameter, fmt::format("the plan has no dial \"{}\"", name),
                names.empty() ? "To set a parameter, write 'Marram.spacing=0.6'" : "Its dials are: " + listOf(names));
  }
  const auto number = numberIn(value);
  if (!number)
    return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a number for the dial {}", value, name));
  dial->draft = dial->final = *number;
  return {};
}

}  // namespace

Result<void> setParamByText(Plan& plan, const std::string& text) {
  if (!isUtf8(text))  // a plan is, and could not be written
    return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not UTF-8", asUtf8(text)),
                "Type it in a terminal that writes UTF-8; call a file by such a name");
  const std::size_t equals = text.find('=');
  if (const Node* shown = instanceOfTool(plan); shown && equals != std::string::npos) {
    const std::string name = text.substr(0, equals);
    const NodeKind* kind = kindOf(*shown);
    const bool isDial = std::any_of(plan.dials.begin(), plan.dials.end(),
                                    [&](const Dial& d) { return d.name == name; });
    const bool isOfNode = name.find('.') != std::string::npos;
    if (kind && (kind->findParam(name) || (!isDial && !isOfNode))) return setParamByText(plan, shown->uid + "." + text);
  }
  const std::size_t dot = equals == std::string::npos ? std::string::npos : text.rfind('.', equals);
  if (equals != std::string::npos && (dot == std::string::npos || dot > equals))
    return setDial(plan, text.substr(0, equals), text.substr(equals + 1));
  if (equals == std::string::npos || dot == std::string::npos)
    return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not of the form node.parameter=value", text),
                "For example 'Marram.spacing=0.6'");
  const std::string name = text.substr(0, dot);
  const std::string param = text.substr(dot + 1, equals - dot - 1);
  const std::string value = text.substr(equals + 1);
  std::vector<Node*> found;
  for (Node& node : plan.nodes)
    if (node.uid == name || node.title == name) found.push_back(&node);
  std::vector<std::string> titles;
  for (const Node& node : plan.nodes) titles.push_back(node.title);
  if (found.size() != 1)
    return fail(ProblemCode::BadParameter,
                found.empty() ? fmt::format("no node has the title or uid \"{}\"", name)
                              : fmt::format("{} nodes have the title \"{}\"", found.size(), name),
                !found.empty() ? "Use the uid" : meant(name, titles, "Titles are as on the cards"));
  Node& node = *found.front();
  if (param == "seed") {
    const auto number = numberIn<std::uint64_t>(value);
    if (!number)
      return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a seed", value), "Use a whole number from 0");
    node.seed = *number;
    return {};
  }
  if (param == "skip") {
    const auto truth = truthIn(value);
    if (!truth) return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is neither true nor false", value));
    node.isSkipped = *truth;
    return {};
  }
  const NodeKind* kind = kindOf(node);
  const ParamSpec* spec = kind ? kind->findParam(param) : nullptr;
  if (!spec) {
    std::vector<std::string> params{"seed", "skip"};
    for (const ParamSpec& s : kind ? kind->params : std::vector<ParamSpec>()) params.push_back(s.id);
    return fail(ProblemCode::BadParameter, fmt::format("{} has no parameter \"{}\"", node.title, param),
                meant(param, params, "It has: " + listOf(params)));
  }
  for (const auto& [key, formula] : node.follows)
    if (followedPart(key).param == param)
      return fail(ProblemCode::BadParameter,
                  fmt::format("{} of {} follows \"{}\" and cannot be set by itself", spec->label, node.title, formula),
                  "Set the dial: 'dial=value'");
  for (const auto& [key, keys] : node.keys)
    if (followedPart(key).param == param && !keys.isEmpty())
      return fail(ProblemCode::BadParameter,
                  fmt::format("{} of {} has keys and cannot be set by itself", spec->label, node.title),
                  "Take its keys out, or set a dial that it follows");
  auto parsed = parseParam(*spec, value);
  if (!parsed) return Failure(parsed.error());
  node.params[param] = std::move(*parsed);
  node.refused.erase(param);
  return {};
}

}  // namespace arvesk
