#include "core/plan/plan_paths.h"

#include <filesystem>

namespace arvesk {
namespace {

namespace fs = std::filesystem;

/// Calls `visit` with the path and who names it.
template <class PlanLike, class Visit>
void visitPaths(PlanLike& plan, const Visit& visit) {
  const auto visitNodes = [&](auto& nodes) {
    for (auto& node : nodes) {
      const NodeKind* kind = kindOf(node);
      if (!kind) continue;
      for (const ParamSpec& spec : kind->params) {
        if (spec.type != ParamType::File) continue;
        const auto it = node.params.find(spec.id);
        if (it == node.params.end()) continue;
        if (auto* path = std::get_if<std::string>(&it->second); path && !path->empty()) visit(*path, node.uid, false);
      }
    }
  };
  visitNodes(plan.nodes);
  for (auto& subPlan : plan.subPlans) {
    visitNodes(subPlan.nodes);
    for (auto& control : subPlan.fronts)
      if (auto* path = control.type == ParamType::File ? std::get_if<std::string>(&control.usual) : nullptr;
          path && !path->empty())
        visit(*path, subPlan.uid, false);
  }
  for (auto& prop : plan.props)
    for (auto* path : {&prop.file, &prop.lightFile, &prop.deliveredFile})
      if (!path->empty()) visit(*path, prop.uid, true);
}

/// Where the folder really is: ".." leads from there.
fs::path realFolder(const std::string& folder) {
  std::error_code fault;
  fs::path real = fs::weakly_canonical(folder, fault);
  return fault ? fs::path(folder) : real;
}

}  // namespace

std::vector<NamedFile> namedFiles(const Plan& plan) {
  std::vector<NamedFile> out;
  visitPaths(plan, [&](const std::string& path, const std::string& uid, bool isProp) {
    out.push_back({path, uid, isProp});
  });
  return out;
}

void changePaths(Plan& plan, const std::function<void(std::string&)>& change) {
  visitPaths(plan, [&](std::string& path, const std::string&, bool) { change(path); });
}

void rebasePaths(Plan& plan, const std::string& from, const std::string& to) {
  if (from.empty() || to.empty()) return;
  const fs::path before = realFolder(from);
  const fs::path after = realFolder(to);
  if (before == after) return;
  changePaths(plan, [&](std::string& path) {
    if (fs::path(path).is_absolute()) return;
    path = (before / path).lexically_normal().lexically_relative(after).generic_string();
  });
}

}  // namespace arvesk
