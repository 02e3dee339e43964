// Soft ranges: a band is four numbers (fade-in start, full from, full to, fade-out end); a range is two.
#pragma once

#include <algorithm>

namespace arvesk {

struct Range {
  float from = 0;
  float to = 1;
  bool operator==(const Range&) const = default;
};

struct Band {
  float fadeIn = 0;
  float fullFrom = 0;
  float fullTo = 1;
  float fadeOut = 1;
  bool operator==(const Band&) const = default;

  /// Share in [0, 1]: 0 outside, 1 between fullFrom and fullTo (ends included), smooth (3t² − 2t³) on the soft edges.
  float weight(float value) const {
    if (value >= fullFrom && value <= fullTo) return 1;
    if (!(value > fadeIn) || !(value < fadeOut)) return 0;
    const float t = value < fullFrom ? (value - fadeIn) / (fullFrom - fadeIn) : (fadeOut - value) / (fadeOut - fullTo);
    return t * t * (3.0F - 2.0F * t);
  }
  /// Inside the full range, as "by limit" means it.
  bool holds(float value) const { return value >= fullFrom && value <= fullTo; }
  /// The four numbers must not decrease.
  bool isOrdered() const { return fadeIn <= fullFrom && fullFrom <= fullTo && fullTo <= fadeOut; }
};

}  // namespace arvesk
