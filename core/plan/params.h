// Parameters: the values that documents hold and their declarations. Bench, checks, files, command line and manual all
// come from these.
#pragma once

#include "core/base/band.h"
#include "core/base/curve.h"
#include "core/base/strokes.h"
#include "core/base/text.h"
#include "core/base/vec.h"

#include <functional>
#include <map>
#include <string>
#include <variant>
#include <vector>

namespace arvesk {

/// A prop on a Choose props node's list.
struct PropChoice {
  std::string prop;  // its uid in the plan
  double weight = 1;
  bool isOn = true;
  bool operator==(const PropChoice&) const = default;
};
using PropChoices = std::vector<PropChoice>;

/// Numbers are in the unit of the declaration; vectors hold 3, ranges 2 and bands 4 numbers, curves x and y of each
/// point, strokes x, y, z, radius, strength and softness of each dab, face lists the faces' numbers.
using ParamValue = std::variant<bool, double, std::string, std::vector<double>, PropChoices>;
using ParamMap = std::map<std::string, ParamValue>;

enum class ParamType { Toggle, Number, Integer, Choice, Text, File, Vector, Range, Band, Props, Curve, Strokes, Faces };
enum class Unit { None, Meter, Degree, Percent, PerSquareMeter, Share, Pixel };

/// Suffix for people: " m", "°", " %"; empty for none.
const char* unitSuffix(Unit unit);

/// What a parameter is to Site's handles and brushes, so that these know it without knowing its node.
enum class SiteRole { None, Center, Extent, Turn, BrushRadius, BrushStrength, BrushSoftness };

struct Option {
  std::string id;  // in files
  std::string label;
};

struct ParamSpec {
  std::string id;  // snake_case, permanent
  ParamType type = ParamType::Number;
  std::string label;
  std::string help;
  Unit unit = Unit::None;
  double hardMin = -1e9;
  double hardMax = 1e9;
  double usualMin = 0;  // what a slider shows
  double usualMax = 1;
  double step = 0.1;
  std::vector<Option> options;
  std::string shownBy;                // id of a choice or toggle, or empty
  std::vector<std::string> shownFor;  // its values that show this; for a toggle "on" or "off"
  std::string fileKind;               // "image" or "mesh" for files
  bool isOptional = false;            // a file that may be left out
  SiteRole siteRole = SiteRole::None;
  std::function<std::string(const std::string&)>
      check;  // of a text: what is wrong with it, or empty; asked at every key
  ParamValue defaultValue;
  std::function<void(void*, const ParamValue&)> assign;  // into the kind's own Params struct

  // Builders, so that a declaration reads as one line.
  ParamSpec& in(Unit u) {
    unit = u;
    return *this;
  }
  ParamSpec& checked(std::function<std::string(const std::string&)> by) {
    check = std::move(by);
    return *this;
  }
  ParamSpec& inSite(SiteRole role) {
    siteRole = role;
    return *this;
  }
  ParamSpec& optional() {
    isOptional = true;
    return *this;
  }
  ParamSpec& hard(double from, double to) {
    hardMin = from;
    hardMax = to;
    return *this;
  }
  ParamSpec& usual(double from, double to, double by = 0) {
    usualMin = from;
    usualMax = to;
    step = by > 0 ? by : (to - from) / 100;
    return *this;
  }
  ParamSpec& shown(std::string by, std::vector<std::string> values) {
    shownBy = std::move(by);
    shownFor = std::move(values);
    return *this;
  }
};

inline constexpr std::size_t kNumbersPerDab = 6;
std::vector<double> numbersOf(const Strokes& strokes);
Strokes strokesFrom(const std::vector<double>& numbers);

/// Is `value` of the right shape and in the hard range? Empty text when it is, else what is wrong.
std::string faultOf(const ParamSpec& spec, const ParamValue& value);

namespace detail {
template <typename T>
ParamValue toValue(const T& v, const std::vector<Option>& options) {
  if constexpr (std::is_same_v<T, bool>)
    return v;
  else if constexpr (std::is_enum_v<T>)
    return options[static_cast<std::size_t>(v)].id;
  else if constexpr (std::is_arithmetic_v<T>)
    return static_cast<double>(v);
  else if constexpr (std::is_same_v<T, Vec3>)
    return std::vector<double>{static_cast<double>(v.x), static_cast<double>(v.y), static_cast<double>(v.z)};
  else if constexpr (std::is_same_v<T, Range>)
    return std::vector<double>{static_cast<double>(v.from), static_cast<double>(v.to)};
  else if constexpr (std::is_same_v<T, Band>)
    return std::vector<double>{static_cast<double>(v.fadeIn), static_cast<double>(v.fullFrom),
                               static_cast<double>(v.fullTo), static_cast<double>(v.fadeOut)};
  else if constexpr (std::is_same_v<T, CurveShape>) {
    std::vector<double> out;
    for (const Vec2& p : v.points) out.insert(out.end(), {static_cast<double>(p.x), static_cast<double>(p.y)});
    return out;
  } else if constexpr (std::is_same_v<T, Strokes>)
    return numbersOf(v);
  else if constexpr (std::is_same_v<T, FaceList>)
    return std::vector<double>(v.faces.begin(), v.faces.end());
  else
    return v;
}

template <typename T>
void fromValue(T& out, const ParamValue& value, const std::vector<Option>& options) {
  const auto numbers = [&] { return std::get<std::vector<double>>(value); };
  const auto f = [](double d) { return static_cast<float>(d); };
  if constexpr (std::is_same_v<T, bool>)
    out = std::get<bool>(value);
  else if constexpr (std::is_enum_v<T>) {
    for (std::size_t i = 0; i < options.size(); ++i)
      if (options[i].id == std::get<std::string>(value)) out = static_cast<T>(i);
  } else if constexpr (std::is_arithmetic_v<T>)
    out = static_cast<T>(std::get<double>(value));
  else if constexpr (std::is_same_v<T, Vec3>) {
    const auto n = numbers();
    out = {f(n[0]), f(n[1]), f(n[2])};
  } else if constexpr (std::is_same_v<T, Range>) {
    const auto n = numbers();
    out = {f(n[0]), f(n[1])};
  } else if constexpr (std::is_same_v<T, Band>) {
    const auto n = numbers();
    out = {f(n[0]), f(n[1]), f(n[2]), f(n[3])};
  } else if constexpr (std::is_same_v<T, CurveShape>) {
    const auto n = numbers();
    out.points.clear();
    for (std::size_t i = 0; i + 1 < n.size(); i += 2) out.points.push_back({f(n[i]), f(n[i + 1])});
  } else if constexpr (std::is_same_v<T, Strokes>)
    out = strokesFrom(numbers());
  else if constexpr (std::is_same_v<T, FaceList>) {
    out.faces.clear();
    for (const double d : numbers()) out.faces.push_back(static_cast<std::uint32_t>(d));
  } else
    out = std::get<T>(value);
}

template <typename T>
constexpr ParamType typeOf() {
  if constexpr (std::is_same_v<T, bool>)
    return ParamType::Toggle;
  else if constexpr (std::is_enum_v<T>)
    return ParamType::Choice;
  else if constexpr (std::is_integral_v<T>)
    return ParamType::Integer;
  else if constexpr (std::is_floating_point_v<T>)
    return ParamType::Number;
  else if constexpr (std::is_same_v<T, Vec3>)
    return ParamType::Vector;
  else if constexpr (std::is_same_v<T, Range>)
    return ParamType::Range;
  else if constexpr (std::is_same_v<T, Band>)
    return ParamType::Band;
  else if constexpr (std::is_same_v<T, PropChoices>)
    return ParamType::Props;
  else if constexpr (std::is_same_v<T, CurveShape>)
    return ParamType::Curve;
  else if constexpr (std::is_same_v<T, Strokes>)
    return ParamType::Strokes;
  else if constexpr (std::is_same_v<T, FaceList>)
    return ParamType::Faces;
  else
    return ParamType::Text;
}
}  // namespace detail

/// Declares a parameter held in `member` of the kind's Params struct; its default is the struct's own.
template <typename P, typename T>
ParamSpec param(std::string id, T P::*member, std::string label, std::string help, std::vector<Option> options = {}) {
  ParamSpec spec;
  spec.id = std::move(id);
  spec.type = detail::typeOf<T>();
  spec.label = std::move(label);
  spec.help = std::move(help);
  spec.options = std::move(options);
  spec.defaultValue = detail::toValue(P{}.*member, spec.options);
  if (spec.type == ParamType::Integer) spec.step = 1;
  const std::vector<Option> choices = spec.options;
  spec.assign = [member, choices](void* params, const ParamValue& value) {
    detail::fromValue(static_cast<P*>(params)->*member, value, choices);
  };
  return spec;
}

/// A text parameter that names a file ("image" or "mesh"); its content becomes part of the node's key.
template <typename P>
ParamSpec fileParam(std::string id, std::string P::*member, std::string label, std::string help, std::string fileKind) {
  ParamSpec spec = param(std::move(id), member, std::move(label), std::move(help));
  spec.type = ParamType::File;
  spec.fileKind = std::move(fileKind);
  return spec;
}

}  // namespace arvesk
