// Keep in: points inside of patches, a surface or a mask stay.
#include "core/nodes/registry.h"
#include "core/nodes/thin/keep_area.h"

namespace arvesk::nodes {

const NodeKind& keepIn() {
  static const NodeKind kind = makeKeepIn();
  return kind;
}

}  // namespace arvesk::nodes
