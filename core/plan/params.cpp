#include "core/plan/params.h"

#include <algorithm>

#include <fmt/format.h>

namespace arvesk {

const char* unitSuffix(Unit unit) {
  switch (unit) {
    case Unit::None: return "";
    case Unit::Meter: return " m";
    case Unit::Degree: return "°";
    case Unit::Percent: return " %";
    case Unit::PerSquareMeter: return " per m²";
    case Unit::PerCubicMeter: return " per m³";
    case Unit::PerMeter: return " per m";
    case Unit::Share: return "";
    case Unit::Pixel: return " px";
    case Unit::Second: return " s";
  }
  return "";
}

std::vector<double> numbersOf(const Strokes& strokes) {
  std::vector<double> out;
  out.reserve(strokes.dabs.size() * kNumbersPerDab);
  for (const Dab& d : strokes.dabs)
    for (const float v :
         {d.place.x, d.place.y, d.place.z, d.radius, d.strength, d.softness, d.side.x, d.side.y, d.side.z})
      out.push_back(static_cast<double>(v));
  return out;
}

std::vector<double> numbersOf(const FaceList& list) {
  std::vector<double> out;
  for (const std::uint64_t key : list.keys) {
    out.push_back(static_cast<double>(key >> 32));
    out.push_back(static_cast<double>(key & 0xffffffffU));
  }
  return out;
}

FaceList facesFrom(const std::vector<double>& n) {
  FaceList out;
  for (std::size_t i = 0; i + 1 < n.size(); i += 2)
    out.keys.push_back(static_cast<std::uint64_t>(n[i]) << 32 | static_cast<std::uint64_t>(n[i + 1]));
  return out;
}

Strokes strokesFrom(const std::vector<double>& n) {
  Strokes out;
  const auto f = [&](std::size_t i) { return static_cast<float>(n[i]); };
  for (std::size_t i = 0; i + kNumbersPerDab <= n.size(); i += kNumbersPerDab)
    out.dabs.push_back({{f(i), f(i + 1), f(i + 2)}, f(i + 3), f(i + 4), f(i + 5), {f(i + 6), f(i + 7), f(i + 8)}});
  return out;
}

ParamSpec::ParamSpec() = default;
ParamSpec::ParamSpec(const ParamSpec&) = default;
ParamSpec::ParamSpec(ParamSpec&&) noexcept = default;
ParamSpec& ParamSpec::operator=(const ParamSpec&) = default;
ParamSpec& ParamSpec::operator=(ParamSpec&&) noexcept = default;
ParamSpec::~ParamSpec() = default;

ParamSpec& ParamSpec::in(Unit u) {
  unit = u;
  return *this;
}
ParamSpec& ParamSpec::checked(std::function<std::string(const std::string&)> by) {
  check = std::move(by);
  return *this;
}
ParamSpec& ParamSpec::written(TextForm as) {
  form = as;
  return *this;
}
ParamSpec& ParamSpec::inSite(SiteRole role) {
  siteRole = role;
  return *this;
}
ParamSpec& ParamSpec::ofTool() {
  isOfTool = true;
  return *this;
}
ParamSpec& ParamSpec::optional() {
  isOptional = true;
  return *this;
}
ParamSpec& ParamSpec::hard(double from, double to) {
  hardMin = from;
  hardMax = to;
  return *this;
}
ParamSpec& ParamSpec::usual(double from, double to, double by) {
  usualMin = from;
  usualMax = to;
  step = by > 0 ? by : (to - from) / 100;
  return *this;
}
void putUnder(std::vector<ParamSpec>& params, const char* group, std::initializer_list<const char*> ids) {
  for (ParamSpec& spec : params)
    if (std::find(ids.begin(), ids.end(), spec.id) != ids.end()) spec.group = group;
}

ParamSpec& ParamSpec::counted(const char* by, double from) {
  countedBy = by;
  countedFrom = from;
  return *this;
}

ParamSpec& ParamSpec::shown(const char* by, std::initializer_list<const char*> values) {
  shownBy = by;
  shownFor.assign(values.begin(), values.end());
  return *this;
}

namespace detail {
namespace {

std::vector<double> numbers(std::initializer_list<float> values) {
  std::vector<double> out;
  for (const float v : values) out.push_back(static_cast<double>(v));
  return out;
}
const std::vector<double>& numbersIn(const ParamValue& value) { return std::get<std::vector<double>>(value); }
float at(const ParamValue& value, std::size_t i) { return static_cast<float>(numbersIn(value)[i]); }

}  // namespace

ParamValue valueOf(bool v) { return v; }
ParamValue valueOf(int v) { return static_cast<double>(v); }
ParamValue valueOf(std::uint32_t v) { return static_cast<double>(v); }
ParamValue valueOf(float v) { return static_cast<double>(v); }
ParamValue valueOf(double v) { return v; }
ParamValue valueOf(const std::string& v) { return v; }
ParamValue valueOf(const Vec3& v) { return numbers({v.x, v.y, v.z}); }
ParamValue valueOf(const Range& v) { return numbers({v.from, v.to}); }
ParamValue valueOf(const Band& v) { return numbers({v.fadeIn, v.fullFrom, v.fullTo, v.fadeOut}); }
ParamValue valueOf(const CurveShape& v) {
  std::vector<double> out;
  for (const Vec2& p : v.points) out.insert(out.end(), {static_cast<double>(p.x), static_cast<double>(p.y)});
  return out;
}
ParamValue valueOf(const Strokes& v) { return numbersOf(v); }
ParamValue valueOf(const FaceList& v) { return numbersOf(v); }
ParamValue valueOf(const PropChoices& v) { return v; }
ParamValue valueOf(const HandPoints& v) { return v; }
ParamValue valueOf(const TouchUps& v) { return v; }

namespace {

template <typename T>
void read(T& out, const ParamValue& value) {
  out = static_cast<T>(std::get<double>(value));
}
void read(bool& out, const ParamValue& value) { out = std::get<bool>(value); }
void read(std::string& out, const ParamValue& value) { out = std::get<std::string>(value); }
void read(PropChoices& out, const ParamValue& value) { out = std::get<PropChoices>(value); }
void read(HandPoints& out, const ParamValue& value) { out = std::get<HandPoints>(value); }
void read(TouchUps& out, const ParamValue& value) { out = std::get<TouchUps>(value); }
void read(Vec3& out, const ParamValue& value) { out = {at(value, 0), at(value, 1), at(value, 2)}; }
void read(Range& out, const ParamValue& value) { out = {at(value, 0), at(value, 1)}; }
void read(Band& out, const ParamValue& value) { out = {at(value, 0), at(value, 1), at(value, 2), at(value, 3)}; }
void read(Strokes& out, const ParamValue& value) { out = strokesFrom(numbersIn(value)); }
void read(CurveShape& out, const ParamValue& value) {
  out.points.clear();
  for (std::size_t i = 0; i + 1 < numbersIn(value).size(); i += 2)
    out.points.push_back({at(value, i), at(value, i + 1)});
}
void read(FaceList& out, const ParamValue& value) { out = facesFrom(numbersIn(value)); }

}  // namespace

template <typename T>
void assignField(void* member, const ParamValue& value, const std::vector<Option>&) {
  read(*static_cast<T*>(member), value);
}
template void assignField<bool>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<int>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<std::uint32_t>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<float>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<double>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<std::string>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<Vec3>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<Range>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<Band>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<CurveShape>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<Strokes>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<FaceList>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<PropChoices>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<HandPoints>(void*, const ParamValue&, const std::vector<Option>&);
template void assignField<TouchUps>(void*, const ParamValue&, const std::vector<Option>&);

void assignChoice(void* member, const ParamValue& value, const std::vector<Option>& options) {
  const auto& id = std::get<std::string>(value);
  for (std::size_t i = 0; i < options.size(); ++i)
    if (options[i].id == id) *static_cast<int*>(member) = static_cast<int>(i);
}

ParamSpec specOf(const char* id, const char* label, const char* help, ParamType type, std::size_t offset) {
  ParamSpec spec;
  spec.id = id;
  spec.type = type;
  spec.label = label;
  spec.help = help;
  spec.offset = offset;
  if (type == ParamType::Integer) spec.step = 1;
  return spec;
}

void setDefault(ParamSpec& spec, const OptionText* options, std::size_t optionCount, int chosen) {
  for (std::size_t i = 0; i < optionCount; ++i) spec.options.push_back({options[i].id, options[i].label});
  spec.defaultValue = spec.options[static_cast<std::size_t>(chosen)].id;
}

}  // namespace detail

std::string faultOf(const ParamSpec& spec, const ParamValue& value) {
  constexpr double kFarthest = 1e10;  // of numbers in lists, which have no range of their own
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
      if (!(std::abs(d) <= kFarthest)) return fmt::format("{} holds {}, which is out of any reason", spec.label, d);
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
      if (std::string fault = list(kNumbersPerFace); !fault.empty()) return fault;
      for (const double d : std::get<std::vector<double>>(value))
        if (d < 0 || d != std::floor(d) || d > 4294967295.0) return fmt::format("{}: {} is not a face", spec.label, d);
      return {};
    }
    case ParamType::Props:
      if (const auto* choices = std::get_if<PropChoices>(&value)) {
        for (const PropChoice& c : *choices)
          if (!(c.weight >= 0 && c.weight <= 1e9))
            return fmt::format("{}: a weight is {}, must be 0 to 1e9", spec.label, c.weight);
        return {};
      }
      return fmt::format("{} must be a list of props", spec.label);
    case ParamType::Points:
      // Whether they fit together is asked where files are read: nobody else makes any that do not.
      return std::holds_alternative<HandPoints>(value) ? "" : fmt::format("{} must be placed points", spec.label);
    case ParamType::Touches:
      return std::holds_alternative<TouchUps>(value) ? "" : fmt::format("{} must be touch-ups", spec.label);
  }
  return {};
}

}  // namespace arvesk
