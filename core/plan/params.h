// Parameters: the values that documents hold and their declarations. Bench, checks, files, command line and manual all
// come from these.
#pragma once

#include "core/base/band.h"
#include "core/base/curve.h"
#include "core/base/hand_points.h"
#include "core/base/strokes.h"
#include "core/base/text.h"
#include "core/base/touch_ups.h"
#include "core/base/vec.h"

#include <functional>
#include <initializer_list>
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
/// A type of its own, so that ParamValue counts as one that could be without a value: for those that could not, the
/// standard library of GCC 12 destroys what was never made when memory runs out while they are copied.
struct PropChoices : std::vector<PropChoice> {
  using vector::vector;
};

/// Numbers are in the unit of the declaration; vectors hold 3, ranges 2 and bands 4 numbers, curves x and y of each
/// point, strokes x, y, z, radius, strength and softness of each dab, face lists the halves of each face's key.
using ParamValue = std::variant<bool, double, std::string, std::vector<double>, PropChoices, HandPoints, TouchUps>;
using ParamMap = std::map<std::string, ParamValue>;

enum class ParamType {
  Toggle,
  Number,
  Integer,
  Choice,
  Text,
  File,
  Vector,
  Range,
  Band,
  Props,
  Curve,
  Strokes,
  Faces,
  Points,
  Touches
};
enum class Unit { None, Meter, Degree, Percent, PerSquareMeter, PerCubicMeter, PerMeter, Share, Pixel, Second };

/// Suffix for people: " m", "°", " %"; empty for none.
const char* unitSuffix(Unit unit);

/// What a parameter is to Site's handles and brushes, so that these know it without knowing its node.
enum class SiteRole {
  None,
  Center,
  Extent,
  Heading,
  Tilt,
  Size,
  Softness,
  BrushRadius,
  BrushStrength,
  BrushSoftness,
  BrushSides,
  BrushOn
};

/// What a text is made of, so that a view can show it as rows: rules that name props by a range of a mask or by a name
/// (nodes/dress/prop_rules.h), colors with weights, colors in a row, one color.
enum class TextForm { Line, RangeRules, NameRules, Palette, Ramp, Color };

struct Option {
  std::string id;  // in files
  std::string label;
  bool operator==(const Option&) const = default;
};

/// An option as it is declared.
struct OptionText {
  const char* id;
  const char* label;
};

struct ParamSpec {
  ParamSpec();
  ParamSpec(const ParamSpec&);
  ParamSpec(ParamSpec&&) noexcept;
  ParamSpec& operator=(const ParamSpec&);
  ParamSpec& operator=(ParamSpec&&) noexcept;
  ~ParamSpec();  // in one place: a node file makes dozens, and their copies took most of the time to compile it

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
  TextForm form = TextForm::Line;
  std::string countedBy;    // id of a number that says how many of a row of parameters count, or empty
  double countedFrom = 0;   // the least of it that shows this
  std::string fileKind;     // "image" or "mesh" for files
  bool isOptional = false;  // a file that may be left out
  bool isOfTool = false;    // says how a tool in Site works; the node's result does not depend on it
  SiteRole siteRole = SiteRole::None;
  std::string group;  // heading that it is folded under on the Bench; empty: always in sight
  std::function<std::string(const std::string&)>
      check;  // of a text: what is wrong with it, or empty; asked at every key
  ParamValue defaultValue;
  std::size_t offset = 0;  // of the member, in the kind's own Params struct
  void (*assignField)(void* member, const ParamValue&, const std::vector<Option>&) = nullptr;

  /// Sets the member of the kind's own Params struct; the value is without fault.
  void assign(void* params, const ParamValue& value) const {
    assignField(static_cast<char*>(params) + offset, value, options);
  }

  // Builders, so that a declaration reads as one line.
  ParamSpec& in(Unit u);
  ParamSpec& checked(std::function<std::string(const std::string&)> by);
  ParamSpec& inSite(SiteRole role);
  ParamSpec& optional();
  ParamSpec& ofTool();
  ParamSpec& hard(double from, double to);
  ParamSpec& usual(double from, double to, double by = 0);
  ParamSpec& shown(const char* by, std::initializer_list<const char*> values);
  ParamSpec& counted(const char* by, double from);
  ParamSpec& written(TextForm as);
};

inline constexpr std::size_t kNumbersPerDab = 9;
std::vector<double> numbersOf(const Strokes& strokes);
Strokes strokesFrom(const std::vector<double>& numbers);

inline constexpr std::size_t kNumbersPerFace = 2;  // the two halves of its key
std::vector<double> numbersOf(const FaceList& list);
FaceList facesFrom(const std::vector<double>& numbers);

/// Is `value` of the right shape and in the hard range? Empty text when it is, else what is wrong.
std::string faultOf(const ParamSpec& spec, const ParamValue& value);

/// Puts parameters under a heading of the Bench.
void putUnder(std::vector<ParamSpec>& params, const char* group, std::initializer_list<const char*> ids);

namespace detail {
// One pair for each type that a Params struct may hold; choices are enums over int, by their place in the list.
ParamValue valueOf(bool v);
ParamValue valueOf(int v);
ParamValue valueOf(std::uint32_t v);
ParamValue valueOf(float v);
ParamValue valueOf(double v);
ParamValue valueOf(const std::string& v);
ParamValue valueOf(const Vec3& v);
ParamValue valueOf(const Range& v);
ParamValue valueOf(const Band& v);
ParamValue valueOf(const CurveShape& v);
ParamValue valueOf(const Strokes& v);
ParamValue valueOf(const FaceList& v);
ParamValue valueOf(const PropChoices& v);
ParamValue valueOf(const HandPoints& v);
ParamValue valueOf(const TouchUps& v);

template <typename T>
void assignField(void* member, const ParamValue& value, const std::vector<Option>& options);
void assignChoice(void* member, const ParamValue& value, const std::vector<Option>& options);

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
  else if constexpr (std::is_same_v<T, HandPoints>)
    return ParamType::Points;
  else if constexpr (std::is_same_v<T, TouchUps>)
    return ParamType::Touches;
  else
    return ParamType::Text;
}

ParamSpec specOf(const char* id, const char* label, const char* help, ParamType type, std::size_t offset);
void setDefault(ParamSpec& spec, const OptionText* options, std::size_t optionCount, int chosen);
}  // namespace detail

/// Declares a parameter held in `member` of the kind's Params struct; its default is the struct's own.
template <typename P, typename T>
ParamSpec param(const char* id, T P::*member, const char* label, const char* help,
                std::initializer_list<OptionText> options = {}) {
  static const P defaults{};
  const auto offset = static_cast<std::size_t>(reinterpret_cast<const char*>(&(defaults.*member)) -
                                               reinterpret_cast<const char*>(&defaults));
  ParamSpec spec = detail::specOf(id, label, help, detail::typeOf<T>(), offset);
  if constexpr (std::is_enum_v<T>) {
    static_assert(std::is_same_v<std::underlying_type_t<T>, int>);
    detail::setDefault(spec, options.begin(), options.size(), static_cast<int>(defaults.*member));
    spec.assignField = &detail::assignChoice;
  } else {
    spec.defaultValue = detail::valueOf(defaults.*member);
    spec.assignField = &detail::assignField<T>;
  }
  return spec;
}

/// A text parameter that names a file ("image" or "mesh"); its content becomes part of the node's key.
template <typename P>
ParamSpec fileParam(const char* id, std::string P::*member, const char* label, const char* help, const char* fileKind) {
  ParamSpec spec = param(id, member, label, help);
  spec.type = ParamType::File;
  spec.fileKind = fileKind;
  return spec;
}

}  // namespace arvesk
