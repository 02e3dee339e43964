// "Where" of nodes that make points: the chance that each stays, by its fixed rank, so that more of it only adds.
#pragma once

#include "core/nodes/thin/exposed.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

inline InputSpec chanceWhereInput() {
  return whereInput(ARVESK_TEXT("node", "The chance that a point stays, by its fixed rank."));
}

}  // namespace arvesk::nodes
