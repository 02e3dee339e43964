// The functions that declare the node kinds; arvesk_add_node lines in CMake name them, and the build writes the list.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

#define ARVESK_NODE(function) const NodeKind& function();
#include "arvesk_nodes.inc"
#undef ARVESK_NODE

}  // namespace arvesk::nodes
