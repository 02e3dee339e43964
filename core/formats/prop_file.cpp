#include "core/formats/prop_file.h"

#include "core/formats/exporter.h"

#include <algorithm>

namespace arvesk {

Result<void> writePropFile(const Prop& prop, const std::string& path) {
  const Home& home = prop.home;
  const Surface lying = transformed(*prop.surface, home.position, home.turn, home.size.x);
  std::vector<exporters::SceneItem> items;
  if (lying.parts.size() > 1)
    for (Surface& part : partsOf(lying)) items.push_back({part.name, std::make_shared<const Surface>(std::move(part))});
  else
    items.push_back({lying.parts.empty() || lying.parts.front().empty() ? prop.name : lying.parts.front(),
                     std::make_shared<const Surface>(lying)});
  for (const SceneNode& node : lying.nodes)
    if (std::find(lying.parts.begin(), lying.parts.end(), node.name) == lying.parts.end())
      items.push_back({node.name, nullptr, node.position, node.turn, node.size});
  return exporters::glbOf(items, path);
}

}  // namespace arvesk
