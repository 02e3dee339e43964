// The layers of an evaluated plan: which nodes are layers that are shown, and what a node gave.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

/// The points at the node's first output; null when it gave none.
PointsPtr pointsOf(const Evaluation& evaluation, const std::string& uid);
/// A layer that is not skipped and visible.
bool isShownLayer(const Node& node);

}  // namespace arvesk
