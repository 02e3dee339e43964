// The layers of a plan: which nodes are layers that are shown or handed over.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// A layer that is not skipped and visible.
bool isShownLayer(const Node& node);
/// A layer that is not skipped and handed over.
bool isExportedLayer(const Node& node);

}  // namespace arvesk
