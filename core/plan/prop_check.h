// What is odd about a prop, in words, each with a remedy that one click applies to its settings.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

struct PropWarning {
  enum class About { NoNormals, Open, Mirrored, PivotOff, OddSize, Heavy, Large, InsideOut };
  About about;
  std::string message;
  std::string fix;                        // what the remedy does, for its button; empty when there is none
  std::function<void(PropEntry&)> apply;  // changes the settings; empty when there is none
};

/// Triangles above which a prop is heavy.
inline constexpr std::size_t kHeavyTriangles = 100'000;

/// `file` as read, `prop` as made with the entry's settings, even if it is larger than props are made unasked.
std::vector<PropWarning> warningsOf(const PropEntry& entry, const Surface& file, const Prop& prop);

}  // namespace arvesk
