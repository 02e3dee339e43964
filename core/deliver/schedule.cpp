#include "core/deliver/schedule.h"

#include "core/deliver/layers.h"
#include "core/deliver/titles.h"

#include <algorithm>
#include <set>

namespace arvesk {
namespace {

/// What one placement takes in an export: position, turn, size, id.
constexpr std::size_t kBytesPerPlacement = sizeof(Vec3) + sizeof(Quat) + sizeof(Vec3) + sizeof(std::uint64_t);

}  // namespace

Schedule scheduleOf(const Plan& plan, const Evaluation& evaluation, const std::string& inSite) {
  Schedule out;
  std::set<const Prop*> counted;
  std::vector<std::string> shown;
  if (!inSite.empty()) shown.push_back(inSite);  // a node, or an instance of a sub-plan
  for (const Node& node : plan.nodes)
    if (inSite.empty() && isShownLayer(node)) shown.push_back(node.uid);
  for (const std::string& uid : shown) {
    const PointsPtr points = evaluation.firstOf<PointsPtr>(uid);
    if (!points || !points->kit) continue;
    const Node* node = plan.find(uid);
    std::vector<ScheduleRow> rows(points->kit->entries.size());
    std::vector<double> sums(rows.size());
    for (std::size_t i = 0; i < points->count; ++i) {
      if (points->prop[i] == kNoProp) continue;
      const auto k = static_cast<std::size_t>(points->prop[i]);
      const Vec3 s = glm::abs(points->size[i]);
      const float mean = (s.x + s.y + s.z) / 3;
      rows[k].smallest = rows[k].count == 0 ? mean : std::min(rows[k].smallest, mean);
      rows[k].largest = std::max(rows[k].largest, mean);
      ++rows[k].count;
      sums[k] += static_cast<double>(mean);
    }
    for (std::size_t k = 0; k < rows.size(); ++k) {
      ScheduleRow& row = rows[k];
      if (row.count == 0) continue;
      row.output = uid;
      row.title = node ? node->title : titleOf(evaluation, uid);
      row.prop = points->kit->entries[k].prop;
      row.triangles = row.count * row.prop->surface->faceCount();
      const std::size_t geometry = row.prop->surface->bytes();
      row.bytes = geometry + row.count * kBytesPerPlacement;
      row.meanSize = sums[k] / static_cast<double>(row.count);
      out.count += row.count;
      out.triangles += row.triangles;
      out.bytes += row.count * kBytesPerPlacement + (counted.insert(row.prop.get()).second ? geometry : 0);
    }
    std::erase_if(rows, [](const ScheduleRow& r) { return r.count == 0; });
    std::stable_sort(rows.begin(), rows.end(),
                     [](const ScheduleRow& a, const ScheduleRow& b) { return a.count > b.count; });
    out.rows.insert(out.rows.end(), rows.begin(), rows.end());
  }
  for (ScheduleRow& row : out.rows)
    row.share = out.count > 0 ? static_cast<double>(row.count) / static_cast<double>(out.count) : 0;
  return out;
}

double budgetShare(const Budget& budget, double count, double triangles) {
  return std::max(budget.placements > 0 ? count / budget.placements : 0,
                  budget.triangles > 0 ? triangles / budget.triangles : 0);
}

}  // namespace arvesk
