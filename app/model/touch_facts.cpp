#include "app/model/touch_facts.h"

#include <algorithm>
#include <unordered_map>

namespace arvesk {
namespace {

constexpr std::size_t kMostMarks = 5000;

/// The top of what stands there, where its mark can be seen.
Vec3 topOf(const Points& points, std::size_t i) {
  const float height = points.kit && points.prop[i] != kNoProp
                           ? points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->height
                           : 0;
  return points.position[i] + points.orientation[i] * (kUp * (height * points.size[i].y));
}

}  // namespace

TouchFacts touchFactsOf(const EvalView& view, const Task& task) {
  TouchFacts out;
  for (const Node& node : view.opened().nodes) {
    const nodes::TouchUpsParams params = nodes::touchUpsParams(node);
    if (params.touches.list.empty() || node.isSkipped || task.isCancelled()) continue;
    const PointsPtr in = inputsOf(view.opened(), view.evaluation, node).points();
    const PointsPtr made = view.evaluation.firstOf<PointsPtr>(node.uid);
    if (!in || !made) continue;
    std::vector<TouchRow>& rows = out.rows[node.uid];
    std::unordered_map<std::uint64_t, std::size_t> wanted;
    for (nodes::TouchStanding& s : nodes::standingOf(params, *in)) {
      TouchRow row;
      row.words = nodes::touchInWords(s.touch, params.touches, &view.plan->props);
      if (const PropEntry* entry = view.plan->findProp(params.touches.propOf(s.touch.was))) row.prop = entry->name;
      row.place = s.state == nodes::TouchState::Stray ? in->position[s.index] : s.touch.at;
      row.standing = std::move(s);
      rows.push_back(std::move(row));
    }
    std::stable_partition(rows.begin(), rows.end(), [](const TouchRow& r) { return r.standing.isWaiting(); });
    for (std::size_t k = 0; k < rows.size(); ++k)
      if (!rows[k].standing.isWaiting()) wanted.emplace(rows[k].standing.touch.id, k);
    for (std::size_t i = 0; i < made->count; ++i) {
      const auto it = wanted.find(made->id[i]);
      if (it == wanted.end()) continue;
      rows[it->second].place = made->position[i];
      if (out.touched.size() < kMostMarks) out.touched.push_back(topOf(*made, i));
    }
    for (const TouchRow& row : rows)
      if (row.standing.touch.isRemoved && row.standing.state == nodes::TouchState::Applied &&
          out.removed.size() < kMostMarks)
        out.removed.push_back(in->position[row.standing.index]);
  }
  return out;
}

}  // namespace arvesk
