#include "app/model/front_targets.h"

#include "core/plan/inside.h"

namespace arvesk {
namespace {

void addTargets(const Plan& document, const InsidePath& path, const std::string& front, std::vector<FrontTarget>& to) {
  const Plan here = planInside(document, path);
  for (const Node& node : here.nodes)
    for (const auto& [param, formula] : node.follows) {
      if (formula != front) continue;
      if (!node.isInstance()) {
        to.push_back({node.uid, param});
        continue;
      }
      InsidePath deeper = path;
      deeper.push_back(node.uid.substr(here.path.size()));
      if (existingPath(document, deeper) == deeper) addTargets(document, deeper, param, to);
    }
}

}  // namespace

std::vector<FrontTarget> frontTargets(const Plan& document, const std::string& instance, const std::string& front) {
  std::vector<FrontTarget> out;
  const auto found = findInside(document, instance);
  if (!found) return out;
  InsidePath path = found->path;
  path.push_back(found->uid.substr(planInside(document, path).path.size()));
  if (existingPath(document, path) == path) addTargets(document, path, front, out);
  return out;
}

}  // namespace arvesk
