// Values of a prop's vertices that masks make in its own space: for shaders that bend leaves, wet feet, wear edges.
#pragma once

#include "core/base/task.h"
#include "core/plan/document.h"

namespace arvesk {

/// Writes `values` into the vertex attributes and colors of a prop's surface (m, in its own space as placed), in their
/// order. What cannot be as it is asked for is told in `warnings`, with what is done in its place.
void addValues(Surface& surface, const std::vector<ValueEntry>& values, std::vector<Problem>& warnings,
               const Task& task);

/// The least and the greatest of a vertex value and its mean over the vertices that faces use; nothing without faces.
struct ValueSpan {
  float least = 0;
  float most = 0;
  float mean = 0;
};
std::optional<ValueSpan> spanOf(const Surface& surface, const Column<float>& values);
/// A channel of the vertex colors: 0 red, 1 green, 2 blue, 3 alpha. 1 throughout where there are no colors.
Column<float> channelOf(const Surface& surface, int channel);

}  // namespace arvesk
