#include "core/plan/key_edits.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace arvesk {
namespace {

constexpr double kLeastApart = 1;  // frames that are kept between keys which are pushed or stretched

}  // namespace

Keys movedKeys(const Keys& keys, double from, double to, KeyMove how) {
  const auto at = std::find_if(keys.list.begin(), keys.list.end(), [&](const Key& key) { return key.frame == from; });
  if (at == keys.list.end() || to == from) return keys;
  Keys out = keys;
  out.list.clear();
  switch (how) {
    case KeyMove::One:
    case KeyMove::Copy: {
      for (const Key& key : keys.list)
        if (key.frame != from || how == KeyMove::Copy) out.list.push_back(key);
      Key moved = *at;
      moved.frame = to;
      setKey(out, std::move(moved));
      return out;
    }
    case KeyMove::Along: {
      if (at != keys.list.begin()) to = std::max(to, std::min(from, std::prev(at)->frame + kLeastApart));
      for (Key key : keys.list) {
        if (key.frame >= from) key.frame += to - from;
        out.list.push_back(std::move(key));
      }
      return out;
    }
    case KeyMove::Stretch: {
      const double first = keys.list.front().frame;
      if (from == first) return keys;
      // The shortest way between two keys is not made shorter than a frame, unless it was.
      double shortest = from - first;
      for (std::size_t i = 1; i < keys.list.size(); ++i)
        shortest = std::min(shortest, keys.list[i].frame - keys.list[i - 1].frame);
      const double factor = std::max((to - first) / (from - first), std::min(1.0, kLeastApart / shortest));
      for (Key key : keys.list) {
        key.frame = first + factor * (key.frame - first);
        out.list.push_back(std::move(key));
      }
      return out;
    }
  }
  return out;
}

void setValueAt(Keys& keys, double frame, ParamValue value) {
  Key key{frame, std::move(value)};
  for (const Key& other : keys.list) {
    if (other.frame > frame) break;
    key.easing = other.easing;
    key.leaves = other.leaves;
    key.reaches = other.reaches;
  }
  setKey(keys, std::move(key));
}

Keys splitAt(const Keys& keys, double frame) {
  Keys out = keys;
  if (keys.isEmpty()) return out;
  Key added{frame, valueAt(keys, frame)};
  const auto next = std::find_if(out.list.begin(), out.list.end(), [&](const Key& key) { return key.frame >= frame; });
  if (next != out.list.end() && next->frame == frame) return out;
  if (next == out.list.begin() || next == out.list.end()) {  // beyond them: where they end is kept
    added.easing = next == out.list.end() ? out.list.back().easing : Easing::Held;
    setKey(out, std::move(added));
    return out;
  }
  Key& before = *std::prev(next);
  added.easing = before.easing;
  if (before.easing == Easing::Soft || before.easing == Easing::Free) {
    // A piece of a cubic is one: its ends have the slopes that the whole has there, in slopes of its own straight way.
    const double leaves = before.easing == Easing::Free ? before.leaves : 0;
    const double reaches = before.easing == Easing::Free ? before.reaches : 0;
    const double t = (frame - before.frame) / (next->frame - before.frame);
    const double risen = eased(before, t);
    const double slope = leaves * (3 * t * t - 4 * t + 1) + 6 * t * (1 - t) + reaches * (3 * t * t - 2 * t);
    const auto of = [](double s, double length, double rise) { return std::abs(rise) < 1e-9 ? 0 : s * length / rise; };
    before.easing = added.easing = Easing::Free;
    before.leaves = of(leaves, t, risen);
    before.reaches = of(slope, t, risen);
    added.leaves = of(slope, 1 - t, 1 - risen);
    added.reaches = of(reaches, 1 - t, 1 - risen);
  }
  setKey(out, std::move(added));
  return out;
}

std::vector<double> framesOf(const std::map<std::string, Keys>& tracks) {
  std::set<double> frames;
  for (const auto& [id, keys] : tracks)
    for (const Key& key : keys.list) frames.insert(key.frame);
  return {frames.begin(), frames.end()};
}

}  // namespace arvesk
