#include "core/plan/params.h"

#include <fmt/format.h>

namespace arvesk {

const char* unitSuffix(Unit unit) {
  switch (unit) {
    case Unit::None: return "";
    case Unit::Meter: return " m";
    case Unit::Degree: return "°";
    case Unit::Percent: return " %";
    case Unit::PerSquareMeter: return " per m²";
    case Unit::Share: return "";
    case Unit::Pixel: return " px";
  }
  return "";
}

std::vector<double> numbersOf(const Strokes& strokes) {
  std::vector<double> out;
  out.reserve(strokes.dabs.size() * kNumbersPerDab);
  for (const Dab& d : strokes.dabs)
    for (const float v : {d.place.x, d.place.y, d.place.z, d.radius, d.strength, d.softness})
      out.push_back(static_cast<double>(v));
  return out;
}

Strokes strokesFrom(const std::vector<double>& n) {
  Strokes out;
  const auto f = [&](std::size_t i) { return static_cast<float>(n[i]); };
  for (std::size_t i = 0; i + kNumbersPerDab <= n.size(); i += kNumbersPerDab)
    out.dabs.push_back({{f(i), f(i + 1), f(i + 2)}, f(i + 3), f(i + 4), f(i + 5)});
  return out;
}

std::string faultOf(const ParamSpec& spec, const ParamValue& value) {
  const auto outside = [&](double v) -> std::string {
    if (!std::isfinite(v)) return fmt::format("{} is not a finite number", spec.label);
    if (v >= spec.hardMin && v <= spec.hardMax) return {};
    return fmt::format("{} is {}{}, must be {} to {}", spec.label, v, unitSuffix(spec.unit), spec.hardMin,
                       spec.hardMax);
  };
  const auto list = [&](std::size_t group) -> std::string {  // any number of groups
    const auto* v = std::get_if<std::vector<double>>(&value);
    if (!v || v->size() % group != 0)
      return fmt::format("{} must be a list of numbers, {} for each item", spec.label, group);
    for (const double d : *v)
      if (!std::isfinite(d)) return fmt::format("{} holds something that is not a finite number", spec.label);
    return {};
  };
  const auto numbers = [&](std::size_t count) -> std::string {
    const auto* v = std::get_if<std::vector<double>>(&value);
    if (!v || v->size() != count) return fmt::format("{} needs {} numbers", spec.label, count);
    for (const double d : *v)
      if (std::string fault = outside(d); !fault.empty()) return fault;
    return {};
  };
  switch (spec.type) {
    case ParamType::Toggle:
      return std::holds_alternative<bool>(value) ? "" : fmt::format("{} must be true or false", spec.label);
    case ParamType::Number:
    case ParamType::Integer:
      return std::holds_alternative<double>(value) ? outside(std::get<double>(value))
                                                   : fmt::format("{} must be a number", spec.label);
    case ParamType::Choice: {
      const auto* text = std::get_if<std::string>(&value);
      std::string known;
      for (const Option& o : spec.options) {
        if (text && o.id == *text) return {};
        known += (known.empty() ? "" : ", ") + o.id;
      }
      return fmt::format("{} is \"{}\", must be one of {}", spec.label, text ? *text : "", known);
    }
    case ParamType::Text: {
      const auto* text = std::get_if<std::string>(&value);
      if (!text) return fmt::format("{} must be text", spec.label);
      const std::string fault = spec.check ? spec.check(*text) : std::string();
      return fault.empty() ? fault : fmt::format("{}: {}", spec.label, fault);
    }
    case ParamType::File:
      return std::holds_alternative<std::string>(value) ? "" : fmt::format("{} must be text", spec.label);
    case ParamType::Vector: return numbers(3);
    case ParamType::Range: return numbers(2);
    case ParamType::Band: {
      if (std::string fault = numbers(4); !fault.empty()) return fault;
      const auto& v = std::get<std::vector<double>>(value);
      return v[0] <= v[1] && v[1] <= v[2] && v[2] <= v[3]
                 ? ""
                 : fmt::format("{}: the band's four numbers must not fall", spec.label);
    }
    case ParamType::Curve: {
      if (std::string fault = list(2); !fault.empty()) return fault;
      const auto& v = std::get<std::vector<double>>(value);
      if (v.size() < 4) return fmt::format("{} needs two points at least", spec.label);
      for (std::size_t i = 2; i < v.size(); i += 2)
        if (v[i] < v[i - 2]) return fmt::format("{}: the points' x must not fall", spec.label);
      return {};
    }
    case ParamType::Strokes: return list(kNumbersPerDab);
    case ParamType::Faces: {
      if (std::string fault = list(1); !fault.empty()) return fault;
      for (const double d : std::get<std::vector<double>>(value))
        if (d < 0 || d != std::floor(d) || d > 4e9) return fmt::format("{}: {} is not a face", spec.label, d);
      return {};
    }
    case ParamType::Props:
      return std::holds_alternative<PropChoices>(value) ? "" : fmt::format("{} must be a list of props", spec.label);
  }
  return {};
}

}  // namespace arvesk
