#include "core/plan/frame_keys.h"

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

/// The frame within the keys that stands for one beyond them.
double within(const Keys& keys, double frame) {
  const double first = keys.list.front().frame;
  const double last = keys.list.back().frame;
  const double length = last - first;
  const Beyond beyond = frame < first ? keys.before : frame > last ? keys.after : Beyond::Hold;
  if (beyond == Beyond::Hold || !(length > 0)) return std::clamp(frame, first, last);
  const double period = beyond == Beyond::Mirror ? 2 * length : length;
  double since = std::fmod(frame - first, period);
  if (since < 0) since += period;
  return first + (since > length ? period - since : since);
}

}  // namespace

double eased(const Key& key, double share) {
  const double t = share;
  switch (key.easing) {
    case Easing::Held: return t < 1 ? 0 : 1;
    case Easing::Even: return t;
    case Easing::Soft: return t * t * (3 - 2 * t);
    case Easing::Free: return t * ((1 - t) * ((1 - t) * key.leaves - t * key.reaches) + t * (3 - 2 * t));
  }
  return t;
}

ParamValue valueAt(const Keys& keys, double frame) {
  const double at = within(keys, frame);
  const auto next = std::upper_bound(keys.list.begin(), keys.list.end(), at,
                                     [](double f, const Key& key) { return f < key.frame; });
  if (next == keys.list.begin()) return next->value;
  const Key& key = *std::prev(next);
  if (next == keys.list.end() || at == key.frame) return key.value;
  const double share = eased(key, (at - key.frame) / (next->frame - key.frame));
  const auto between = [&](double from, double to) { return from + share * (to - from); };
  if (const auto* from = std::get_if<double>(&key.value))
    if (const auto* to = std::get_if<double>(&next->value)) return between(*from, *to);
  const auto* from = std::get_if<std::vector<double>>(&key.value);
  const auto* to = std::get_if<std::vector<double>>(&next->value);
  if (!from || !to || from->size() != to->size()) return key.value;
  std::vector<double> out(from->size());
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = between((*from)[i], (*to)[i]);
  return out;
}

void setKey(Keys& keys, Key key) {
  const auto at = std::lower_bound(keys.list.begin(), keys.list.end(), key.frame,
                                   [](const Key& k, double frame) { return k.frame < frame; });
  if (at != keys.list.end() && at->frame == key.frame)
    *at = std::move(key);
  else
    keys.list.insert(at, std::move(key));
}

bool canHaveKeys(ParamType type) {
  switch (type) {
    case ParamType::Toggle:
    case ParamType::Number:
    case ParamType::Integer:
    case ParamType::Choice:
    case ParamType::Vector:
    case ParamType::Range:
    case ParamType::Band: return true;
    default: return false;
  }
}

}  // namespace arvesk
