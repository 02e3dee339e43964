// Keep out: points outside of patches, a surface or a mask stay.
#include "core/nodes/registry.h"
#include "core/nodes/thin/keep_area.h"

namespace arvesk::nodes {

const NodeKind& keepOut() {
  static const NodeKind kind = makeKeepOut();
  return kind;
}

}  // namespace arvesk::nodes
