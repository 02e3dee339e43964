#include "core/nodes/registry.h"

#include <algorithm>

namespace arvesk {

const std::vector<const NodeKind*>& allNodeKinds() {
  static const std::vector<const NodeKind*> kinds = [] {
    std::vector<const NodeKind*> list{
#define ARVESK_NODE(function) &nodes::function(),
#include "arvesk_nodes.inc"
#undef ARVESK_NODE
    };
    std::stable_sort(list.begin(), list.end(),
                     [](const NodeKind* a, const NodeKind* b) { return a->family < b->family; });
    return list;
  }();
  return kinds;
}

}  // namespace arvesk
