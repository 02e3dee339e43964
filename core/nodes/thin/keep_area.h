// Keep in and Keep out: points inside, or outside, of patches, a surface or a mask. Two kinds, one meaning of "inside".
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

NodeKind makeKeepIn();
NodeKind makeKeepOut();

}  // namespace arvesk::nodes
