// The layers of a plan: which nodes are layers that are shown.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// A layer that is not skipped and visible.
bool isShownLayer(const Node& node);

}  // namespace arvesk
