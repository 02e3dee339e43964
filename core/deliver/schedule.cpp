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
    const std::vector<KitEntry>& entries = points->kit->entries;
    std::vector<std::size_t> rowOf;  // of each entry
    std::map<std::string, std::size_t> known;
    for (std::size_t e = 0; e < entries.size(); ++e)
      rowOf.push_back(known.emplace(scheduleKeyOf(*entries[e].prop), known.size()).first->second);
    std::vector<ScheduleRow> rows(known.size());
    std::vector<double> sums(rows.size());
    std::vector<std::size_t> placed(entries.size());
    std::vector<std::set<std::uint64_t>> owners(rows.size());
    for (std::size_t i = 0; i < points->count; ++i) {
      if (points->prop[i] == kNoProp) continue;
      const auto e = static_cast<std::size_t>(points->prop[i]);
      const std::size_t k = rowOf[e];
      ++placed[e];
      if (entries[e].prop->piece) owners[k].insert(ownerKeyOf(*points, i));
      const Vec3 s = glm::abs(points->size[i]);
      const float mean = (s.x + s.y + s.z) / 3;
      rows[k].smallest = rows[k].count == 0 ? mean : std::min(rows[k].smallest, mean);
      rows[k].largest = std::max(rows[k].largest, mean);
      ++rows[k].count;
      sums[k] += static_cast<double>(mean);
    }
    std::vector<std::size_t> most(rows.size());
    for (std::size_t e = 0; e < entries.size(); ++e) {
      if (placed[e] == 0) continue;
      const PropPtr& prop = entries[e].prop;
      ScheduleRow& row = rows[rowOf[e]];
      if (placed[e] > most[rowOf[e]]) {
        most[rowOf[e]] = placed[e];
        row.prop = prop;
      }
      row.key = scheduleKeyOf(*prop);
      row.name = prop->piece ? prop->piece->ownerName : prop->name;
      row.pieces += prop->piece ? 1 : 0;
      row.triangles += placed[e] * prop->surface->faceCount();
      const std::size_t geometry = prop->surface->bytes();
      row.bytes += geometry;
      if (counted.insert(prop.get()).second) out.bytes += geometry;
    }
    for (std::size_t k = 0; k < rows.size(); ++k) {
      ScheduleRow& row = rows[k];
      if (row.count == 0) continue;
      row.output = uid;
      row.title = node ? node->title : titleOf(evaluation, uid);
      row.owners = owners[k].size();
      row.bytes += row.count * kBytesPerPlacement;
      row.meanSize = sums[k] / static_cast<double>(row.count);
      out.count += row.count;
      out.triangles += row.triangles;
      out.bytes += row.count * kBytesPerPlacement;
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

std::string scheduleKeyOf(const Prop& prop) { return prop.piece ? "pieces/" + prop.piece->owner : prop.uid; }

double budgetShare(const Budget& budget, double count, double triangles) {
  return std::max(budget.placements > 0 ? count / budget.placements : 0,
                  budget.triangles > 0 ? triangles / budget.triangles : 0);
}

}  // namespace arvesk
