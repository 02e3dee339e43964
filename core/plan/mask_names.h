// Names that masks ask points for, and points that do not carry them.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk {

/// Masks ask points for numbers and texts by name; one that they do not carry is told where the mask is used.
void warnOfMaskNames(const NodeKind& kind, const Inputs& inputs, std::vector<Problem>& problems);

}  // namespace arvesk
