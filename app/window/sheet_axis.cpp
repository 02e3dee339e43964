#include "app/window/sheet_axis.h"

#include "core/plan/inside.h"

#include <algorithm>
#include <cmath>

namespace arvesk {

double SheetAxis::at(int k, int count) const {
  if (!options.empty()) return k;
  const double share = count < 2 ? 0.5 : 0.05 + 0.9 * static_cast<double>(k) / static_cast<double>(count - 1);
  const double value = from + (to - from) * share;
  return isWhole ? std::round(value) : value;
}

int SheetAxis::most(int count) const {
  return options.empty() ? count : std::min(count, static_cast<int>(options.size()));
}

void SheetAxis::apply(Plan& plan, int k, int count) const {
  if (of == Of::Version) {
    if (k == 1) takeVersion(plan, *later, folder);
    return;
  }
  if (of == Of::Dial) {
    for (Dial& dial : plan.dials)
      if (dial.uid == id) {
        const double before = dial.draft;
        dial.draft = at(k, count);
        // One that is split stays in its proportion.
        dial.final = dial.final == before || before == 0 ? dial.draft : dial.final * (dial.draft / before);
      }
    return;
  }
  Node* changed = node.empty() ? nullptr : nodeBehind(plan, node);
  if (of == Of::Seed) {
    if (changed)
      changed->seed += static_cast<std::uint64_t>(k);
    else if (node.empty())
      plan.settings.seed += static_cast<std::uint64_t>(k);
    return;
  }
  if (!changed) return;
  changed->follows.erase(id);
  changed->keys.erase(id);
  if (options.empty())
    changed->params[id] = at(k, count);
  else if (const std::string& option = options[static_cast<std::size_t>(k)].id; isWhole)  // a switch
    changed->params[id] = option == "on";
  else
    changed->params[id] = option;
}

SheetAxis versionAxis(const Plan& plan, const LibraryToolPtr& later, const std::string& folder) {
  SheetAxis axis;
  axis.of = SheetAxis::Of::Version;
  axis.id = later->plan.tool;
  axis.later = later;
  axis.folder = folder;
  const SubPlan* has = plan.findSubPlan(axis.id);
  axis.label = has ? has->name : later->tool().name;
  axis.options = {{"has", {}}, {"later", {}}};
  return axis;
}

std::vector<SheetAxis> sheetAxes(const Plan& plan) {
  std::vector<SheetAxis> out;
  out.emplace_back();
  for (const Node& n : plan.nodes)
    if (const NodeKind* kind = kindOf(n); kind && kind->usesSeed && !n.isSkipped) {
      SheetAxis axis;
      axis.node = n.uid;
      axis.label = n.title;
      out.push_back(std::move(axis));
    }
  for (const Dial& dial : plan.dials) {
    SheetAxis axis;
    axis.of = SheetAxis::Of::Dial;
    axis.id = dial.uid;
    axis.label = dial.name;
    axis.from = std::min(0.0, 2 * dial.draft);
    axis.to = dial.draft == 0 ? 1.0 : std::max(0.0, 2 * dial.draft);
    out.push_back(std::move(axis));
  }
  for (const Node& n : plan.nodes) {
    const SubPlan* s = n.isInstance() && !n.isSkipped ? plan.findSubPlan(n.subPlan) : nullptr;
    if (!s) continue;
    for (const FrontControl& c : s->fronts) {
      SheetAxis axis;
      axis.of = SheetAxis::Of::Front;
      axis.node = n.uid;
      axis.id = c.id;
      axis.label = n.title + ": " + c.label;
      axis.unit = c.unit;
      axis.isWhole = c.type == ParamType::Integer || c.type == ParamType::Toggle;
      axis.from = c.usualLeast;
      axis.to = c.usualMost;
      if (c.type == ParamType::Toggle)
        axis.options = {{"off", "off"}, {"on", "on"}};
      else if (c.type == ParamType::Choice)
        axis.options = c.options;
      else if (c.type != ParamType::Number && c.type != ParamType::Integer)
        continue;
      out.push_back(std::move(axis));
    }
  }
  return out;
}

}  // namespace arvesk
