#include "core/plan/context.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {

std::optional<ValueType> typeOf(const Value& value) {
  if (std::holds_alternative<SurfacePtr>(value)) return ValueType::Surface;
  if (std::holds_alternative<PointsPtr>(value)) return ValueType::Points;
  if (std::holds_alternative<MaskPtr>(value)) return ValueType::Mask;
  if (std::holds_alternative<KitPtr>(value)) return ValueType::Kit;
  if (std::holds_alternative<VolumePtr>(value)) return ValueType::Volume;
  return {};
}

const char* valueTypeName(ValueType type) {
  switch (type) {
    case ValueType::Surface: return "surface";
    case ValueType::Points: return "points";
    case ValueType::Mask: return "mask";
    case ValueType::Kit: return "kit";
    case ValueType::Volume: return "volume";
  }
  return "";
}

void countBytes(const Value& value, ByteCounter& counter) {
  if (const auto* s = std::get_if<SurfacePtr>(&value); s && *s) (*s)->countBytes(counter);
  if (const auto* m = std::get_if<MaskPtr>(&value); m && *m) (*m)->countBytes(counter);
  if (const auto* k = std::get_if<KitPtr>(&value); k && *k) (*k)->countBytes(counter);
  if (const auto* v = std::get_if<VolumePtr>(&value); v && *v) (*v)->countBytes(counter);
  if (const auto* p = std::get_if<PointsPtr>(&value); p && *p) {
    (*p)->countBytes(counter);
    if ((*p)->kit) (*p)->kit->countBytes(counter);
  }
}

std::size_t bytesOf(const Value& value) {
  ByteCounter counter;
  countBytes(value, counter);
  return counter.bytes();
}

std::size_t countOf(const Value& value) {
  if (const auto* s = std::get_if<SurfacePtr>(&value)) return *s ? (*s)->faceCount() : 0;
  if (const auto* p = std::get_if<PointsPtr>(&value)) return *p ? (*p)->count : 0;
  return 0;
}

Histogram makeHistogram(std::string label, const char* suffix, float from, float to, const Array<float>& values,
                        const Array<std::uint8_t>& kept) {
  constexpr std::size_t kBins = 60;
  Histogram h;
  h.label = std::move(label);
  h.suffix = suffix;
  if (from >= to && !values.empty()) {
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    from = *low;
    to = *high > *low ? *high : *low + 1;
  }
  h.from = from;
  h.to = to > from ? to : from + 1;
  h.kept.assign(kBins, 0);
  h.left.assign(kBins, 0);
  const float perUnit = static_cast<float>(kBins) / (h.to - h.from);
  for (std::size_t i = 0; i < values.size(); ++i) {
    const float at = std::clamp((values[i] - h.from) * perUnit, 0.0F, static_cast<float>(kBins - 1));
    ++(kept[i] ? h.kept : h.left)[static_cast<std::size_t>(at)];
    ++(kept[i] ? h.keptCount : h.leftCount);
  }
  if (!values.empty()) {
    Array<float> sorted = values;
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    h.median = *middle;
  }
  return h;
}

std::string listOf(const std::vector<std::string>& names) {
  constexpr std::size_t kMost = 12;
  std::string out;
  for (std::size_t i = 0; i < std::min(names.size(), kMost); ++i) out += (i > 0 ? "; " : "") + names[i];
  return names.size() > kMost ? fmt::format("{} and {} more", out, names.size() - kMost) : out;
}

void EvalContext::warnUnmatched(const Patterns& patterns, const std::vector<std::string>& names,
                                const char* what) const {
  for (const std::string& entry : patterns.unmatched(names))
    warn(fmt::format("no {} is called \"{}\"", what, entry),
         names.empty() ? fmt::format("There is no {} with a name", what) : "There are: " + listOf(names));
}

Result<void> guardPoints(const EvalContext& ctx, double estimate, const std::string& advice) {
  if (estimate > static_cast<double>(ctx.limits.points))
    return fail(ProblemCode::TooMany,
                fmt::format("would make {:.0f} points, the limit is {}", estimate, ctx.limits.points), advice);
  // Place, id, draw and what it stands on: what a point takes at least while it is made.
  return guardMemory(estimate, 48, "points", advice);
}

}  // namespace arvesk
