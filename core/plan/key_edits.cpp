#include "core/plan/key_edits.h"

#include <algorithm>
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

std::vector<double> framesOf(const std::map<std::string, Keys>& tracks) {
  std::set<double> frames;
  for (const auto& [id, keys] : tracks)
    for (const Key& key : keys.list) frames.insert(key.frame);
  return {frames.begin(), frames.end()};
}

}  // namespace arvesk
