#include "core/nodes/scatter/children.h"

#include "core/props/coloring.h"

namespace arvesk::nodes {

void inherit(Points& children, const Points& parents, const Array<std::uint32_t>& parentOf) {
  for (const auto& [name, column] : gathered(parents.attributes, parentOf))
    children.attributes.insert_or_assign(
        name == kTint || name == kOwnColor || name == kOwnColorShare || name == "patch" ? name : "parent-" + name,
        column);
  children.attributes.insert_or_assign("parent", parents.id.gathered(parentOf));
}

}  // namespace arvesk::nodes
