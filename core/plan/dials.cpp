#include "core/plan/dials.h"

#include "core/base/formula.h"
#include "core/base/number_text.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {
namespace {

const ParamValue& valueIn(const FrontValue& front, Quality quality) {
  return quality == Quality::Draft ? front.draft : front.final;
}

constexpr std::array kTimeNames{"frame", "seconds", "phase"};

std::optional<double> timeNamed(const Plan& plan, const std::string& name) {
  const Moment now = momentOf(plan);
  if (name == kTimeNames[0]) return now.frame;
  if (name == kTimeNames[1]) return now.seconds;
  if (name == kTimeNames[2]) return now.phase;
  return {};
}

double valueOf(const Plan& plan, const Dial& dial, Quality quality) {
  if (!dial.keys.isEmpty()) {
    const ParamValue now = valueAt(dial.keys, momentOf(plan).frame);
    if (const auto* number = std::get_if<double>(&now)) return *number;
  }
  return quality == Quality::Draft ? dial.draft : dial.final;
}

/// What a name in a formula stands for: a front control, a dial, or a measure of time.
Result<double> numberNamed(const Plan& plan, const std::string& name, Quality quality) {
  for (const FrontValue& front : plan.fronts) {
    if (const auto number = frontNumber(front.control, valueIn(front, quality), name)) return *number;
    if (front.control.id == name)
      return fail(ProblemCode::BadParameter, fmt::format("the front control \"{}\" is not one number", name),
                  std::holds_alternative<std::vector<double>>(front.control.usual)
                      ? fmt::format("Its numbers are {0}_1, {0}_2 …", name)
                      : std::string("Only a parameter of its own sort can follow it"));
  }
  const auto dial = std::find_if(plan.dials.begin(), plan.dials.end(), [&](const Dial& d) { return d.name == name; });
  if (dial != plan.dials.end()) return valueOf(plan, *dial, quality);
  if (const auto time = timeNamed(plan, name)) return *time;
  if (!plan.fronts.empty())
    return fail(ProblemCode::BadParameter, fmt::format("the sub-plan has no front control \"{}\"", name),
                "Bring one to the front under that name, or type a number");
  return fail(ProblemCode::BadParameter, fmt::format("the plan has no dial \"{}\"", name),
              "Add it on the Bench of the plan, or type a number");
}

}  // namespace

Result<double> dialValue(const Plan& plan, const std::string& formula, Quality quality) {
  const auto compiled = Formula::compile(formula);
  if (!compiled) return Failure(compiled.error());
  std::vector<double> row;
  for (const std::string& name : compiled->names()) {
    const auto value = numberNamed(plan, name, quality);
    if (!value) return Failure(value.error());
    row.push_back(*value);
  }
  return compiled->evaluate(row);
}

FollowedPart followedPart(const std::string& key) {
  const std::size_t dot = key.rfind('.');
  if (dot == std::string::npos) return {key, {}};
  const auto number = numberIn<unsigned>(std::string_view(key).substr(dot + 1));
  return number ? FollowedPart{key.substr(0, dot), *number} : FollowedPart{key, {}};
}

namespace {

/// Puts a dial's value where it is followed; what is wrong with it, or nothing.
std::string put(const ParamSpec& spec, std::optional<unsigned> part, double value, ParamValue& into) {
  switch (spec.type) {
    case ParamType::Integer: value = std::round(value); [[fallthrough]];
    case ParamType::Number: into = value; return part ? fmt::format("{} has one number only", spec.label) : "";
    case ParamType::Toggle: into = value != 0; return "";
    case ParamType::Choice: {
      const double k = std::round(value);
      if (k < 1 || k > static_cast<double>(spec.options.size()))
        return fmt::format("{} is {:g}, its choices are 1 to {}", spec.label, value, spec.options.size());
      into = spec.options[static_cast<std::size_t>(k) - 1].id;
      return "";
    }
    case ParamType::Vector:
    case ParamType::Range:
    case ParamType::Band: {
      auto& numbers = std::get<std::vector<double>>(into);
      if (!part) {
        std::fill(numbers.begin(), numbers.end(), value);  // a single value
        return "";
      }
      if (*part >= numbers.size()) return fmt::format("{} has {} numbers", spec.label, numbers.size());
      numbers[*part] = value;
      return "";
    }
    default: return fmt::format("{} is no number", spec.label);
  }
}

/// A value that is taken over as it is: the formula is the name of a front control of the parameter's own sort. Null
/// for all others.
const ParamValue* wholeValue(const Plan& plan, const ParamSpec& spec, const std::string& formula, Quality quality) {
  const auto begin = formula.find_first_not_of(' ');
  const std::string name = begin == std::string::npos
                               ? std::string()
                               : formula.substr(begin, formula.find_last_not_of(' ') - begin + 1);
  for (const FrontValue& front : plan.fronts) {
    if (front.control.id != name) continue;
    const auto sort = [](ParamType type) { return type == ParamType::File ? ParamType::Text : type; };
    return sort(front.control.type) == sort(spec.type) ? &valueIn(front, quality) : nullptr;
  }
  return nullptr;
}

}  // namespace

namespace {

/// Sets what has keys to its value at `frame`; what is wrong with it.
std::optional<Problem> followKeys(Node& node, const NodeKind& kind, double frame) {
  std::optional<Problem> first;
  const ParamMap own = node.params;
  const auto tell = [&](std::string message, std::string advice) {
    if (!first) first = problem(ProblemCode::BadParameter, std::move(message), std::move(advice));
  };
  for (const auto& [id, keys] : node.keys) {
    const auto [param, part] = followedPart(id);
    const ParamSpec* spec = kind.findParam(param);
    if (keys.isEmpty()) continue;
    if (!spec) {
      tell(fmt::format("\"{}\" has keys, but there is no such parameter", id), "Take them out");
      continue;
    }
    if (!canHaveKeys(spec->type)) {
      tell(fmt::format("{} cannot have keys", spec->label), "Take them out");
      continue;
    }
    const bool isTwice = std::any_of(node.follows.begin(), node.follows.end(), [&, p = param, k = part](const auto& f) {
      const auto [other, its] = followedPart(f.first);
      return other == p && (!its || !k || its == k);
    });
    if (isTwice) {
      tell(fmt::format("{} has keys and follows a formula too", spec->label), "Take the keys or the formula out");
      continue;
    }
    ParamValue now = valueAt(keys, frame);
    if (const auto* number = std::get_if<double>(&now)) {
      ParamValue whole = node.value(*spec);
      if (std::string fault = put(*spec, part, *number, whole); !fault.empty()) {
        tell(std::move(fault), "Change its keys");
        continue;
      }
      now = std::move(whole);
    }
    node.params[param] = std::move(now);
  }
  // Whole values are judged when all of their parts are there. One that cannot be is not put: it may be of another
  // sort.
  for (const auto& [id, keys] : node.keys) {
    const ParamSpec* spec = kind.findParam(followedPart(id).param);
    if (!spec || keys.isEmpty()) continue;
    const std::string fault = faultOf(*spec, node.value(*spec));
    if (fault.empty()) continue;
    tell(fmt::format("{} at frame {:g}", fault, frame), "Change its keys");
    node.params.erase(spec->id);
    if (const auto was = own.find(spec->id); was != own.end()) node.params.insert(*was);
  }
  return first;
}

}  // namespace

std::map<std::string, Problem> followDials(Plan& plan, Quality quality) {
  std::map<std::string, Problem> problems;
  const double frame = momentOf(plan).frame;
  for (Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    if (!kind) continue;
    if (auto fault = followKeys(node, *kind, frame)) problems[node.uid] = std::move(*fault);
    for (const auto& [key, formula] : node.follows) {
      const auto [param, part] = followedPart(key);
      const ParamSpec* spec = kind->findParam(param);
      const auto tell = [&](std::string message, std::string advice) {
        problems[node.uid] = problem(ProblemCode::BadParameter, std::move(message), std::move(advice));
      };
      if (!spec) {
        tell(fmt::format("\"{}\" follows \"{}\", but there is no such parameter", key, formula), "Take it out");
        continue;
      }
      if (const ParamValue* whole = part ? nullptr : wholeValue(plan, *spec, formula, quality)) {
        node.params[param] = *whole;
        continue;
      }
      const auto value = dialValue(plan, formula, quality);
      if (!value) {
        tell(fmt::format("{} follows \"{}\": {}", spec->label, formula, value.error().message), value.error().advice);
        continue;
      }
      ParamValue now = node.value(*spec);
      std::string fault = std::isfinite(*value) ? put(*spec, part, *value, now)
                                                : fmt::format("{} is no number", spec->label);
      if (fault.empty()) node.params[param] = std::move(now);
      if (!fault.empty()) tell(fmt::format("{} (from \"{}\")", fault, formula), "Change the dial or the formula");
    }
    // Whole values are judged when all of their parts are there: a band's numbers must not fall.
    for (const auto& [key, formula] : node.follows)
      if (const ParamSpec* spec = kind->findParam(followedPart(key).param); spec && !problems.contains(node.uid))
        if (std::string fault = faultOf(*spec, node.value(*spec)); !fault.empty())
          problems[node.uid] = problem(ProblemCode::BadParameter, fmt::format("{} (from \"{}\")", fault, formula),
                                       "Change the dial or the formula");
  }
  return problems;
}

std::vector<Problem> followSettings(Plan& plan, Quality quality) {
  struct Setting {
    const char* id;
    const char* label;
    double PlanSettings::*value;
    double least, most;
  };
  static constexpr std::array settings{Setting{"water_level", "Water level", &PlanSettings::waterLevel, -1e5, 1e5},
                                       Setting{"sun_heading", "Sun heading", &PlanSettings::sunHeadingDeg, -1e4, 1e4},
                                       Setting{"sun_height", "Sun height", &PlanSettings::sunHeightDeg, -90, 90},
                                       Setting{"haze_distance", "Haze", &PlanSettings::hazeDistance, 1e-3, 1e9}};
  std::vector<Problem> problems;
  for (const auto& [id, formula] : plan.settings.follows) {
    const auto setting = std::find_if(settings.begin(), settings.end(),
                                      [&, id = id](const Setting& s) { return s.id == id; });
    if (setting == settings.end()) {
      problems.push_back(problem(ProblemCode::BadParameter,
                                 fmt::format("\"{}\" follows \"{}\", but the plan has no such setting", id, formula),
                                 "Take it out"));
      continue;
    }
    const auto value = dialValue(plan, formula, quality);
    std::string fault = !value ? value.error().message
                        : !(*value >= setting->least && *value <= setting->most)
                            ? fmt::format("{:g} is outside of {:g} to {:g}", *value, setting->least, setting->most)
                            : std::string();
    if (fault.empty())
      plan.settings.*setting->value = *value;
    else
      problems.push_back(problem(ProblemCode::BadParameter,
                                 fmt::format("{} follows \"{}\": {}", setting->label, formula, fault),
                                 value ? "Change the dial or the formula" : value.error().advice));
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
  if (const auto formula = Formula::compile(name);
      !formula || formula->names().empty() || std::find(kTimeNames.begin(), kTimeNames.end(), name) != kTimeNames.end())
    return fmt::format("\"{}\" has a meaning of its own in formulas", name);
  return {};
}

ParamMap paramsNow(const Plan& plan, const Node& node, Quality quality) {
  if (node.follows.empty() && node.keys.empty()) return node.params;
  Plan followed;
  followed.nodes.push_back(node);
  followed.dials = plan.dials;
  followed.fronts = plan.fronts;
  followed.settings.time = plan.settings.time;
  followed.frame = plan.frame;
  followDials(followed, quality);
  return followed.nodes.front().params;
}

}  // namespace arvesk
