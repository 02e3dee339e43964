#include "app/site/site_selection.h"

#include <set>

namespace arvesk {

IdSet::IdSet(std::vector<std::uint64_t> ids) {
  std::sort(ids.begin(), ids.end());
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  m_ids = std::make_shared<const std::vector<std::uint64_t>>(std::move(ids));
}

/// What is in order already is not sorted again: a union of a million is made while the window waits.
IdSet IdSet::ofRising(std::vector<std::uint64_t> ids) {
  IdSet out;
  out.m_ids = std::make_shared<const std::vector<std::uint64_t>>(std::move(ids));
  return out;
}

IdSet IdSet::with(const IdSet& others) const {
  std::vector<std::uint64_t> both;
  std::set_union(m_ids->begin(), m_ids->end(), others.m_ids->begin(), others.m_ids->end(), std::back_inserter(both));
  return ofRising(std::move(both));
}

IdSet IdSet::without(const IdSet& others) const {
  std::vector<std::uint64_t> left;
  std::set_difference(m_ids->begin(), m_ids->end(), others.m_ids->begin(), others.m_ids->end(),
                      std::back_inserter(left));
  return ofRising(std::move(left));
}

ShownPoints shownOf(const SiteSelection& selection) {
  ShownPoints out;
  for (const auto& [uid, ids] : selection) out[uid] = [ids](std::uint64_t id) { return ids.contains(id); };
  return out;
}

std::size_t countOf(const SiteSelection& selection) {
  std::size_t n = 0;
  for (const auto& [source, ids] : selection) n += ids.size();
  return n;
}

SiteSelection selectedIn(const std::vector<PictureLayer>& layers, const Camera& camera, int width, int height,
                         const QPolygonF& area, const Film* film, const Task& task) {
  SiteSelection out;
  const QRectF box = area.boundingRect();
  for (const PictureLayer& layer : layers) {
    const Points& p = *layer.points;
    std::vector<std::uint64_t> ids;
    for (std::size_t i = 0; i < p.count; ++i) {
      if ((i & 8191U) == 0 && task.isCancelled()) return {};
      const Vec3 at = camera.projected(p.position[i], width, height);
      const QPointF pixel(static_cast<double>(at.x), static_cast<double>(at.y));
      if (at.z <= 0 || !box.contains(pixel) || !area.containsPoint(pixel, Qt::OddEvenFill)) continue;
      if (film) {
        const int x = std::clamp(static_cast<int>(pixel.x() * film->width / width), 0, film->width - 1);
        const int y = std::clamp(static_cast<int>(pixel.y() * film->height / height), 0, film->height - 1);
        // Its own body may stand before its place; what is farther behind is hidden by something else.
        const float reach = film->distance[film->at(x, y)] + 0.3F + 2 * p.effectiveFootprint(i);
        if (glm::distance(p.position[i], camera.eye) > reach * 1.01F) continue;
      }
      ids.push_back(p.id[i]);
    }
    if (!ids.empty()) out[layer.source] = out[layer.source].with(IdSet(std::move(ids)));
  }
  return out;
}

SiteSelection extended(const std::vector<PictureLayer>& layers, const SiteSelection& selection, SameAs what) {
  std::set<std::string> props;
  std::set<std::uint64_t> clumps;
  std::set<std::uint64_t> owners;
  SiteSelection out;
  const auto parentsOf = [](const Points& p) { return columnOf<Column<std::uint64_t>>(p.attributes, "parent"); };
  for (const PictureLayer& layer : layers) {
    const auto it = selection.find(layer.source);
    if (it == selection.end()) continue;
    const Points& p = *layer.points;
    for (std::size_t i = 0; i < p.count; ++i) {
      if (!it->second.contains(p.id[i])) continue;
      if (const std::string& uid = propUidOf(p, i); !uid.empty()) props.insert(uid);
      if (const auto* parents = parentsOf(p)) clumps.insert((*parents)[i]);
      if (const std::uint64_t owner = ownerKeyOf(p, i); owner != 0) owners.insert(owner);
    }
  }
  for (const PictureLayer& layer : layers) {
    const Points& p = *layer.points;
    const bool isSelected = selection.contains(layer.source);
    const auto* parents = parentsOf(p);
    std::vector<std::uint64_t> ids;
    for (std::size_t i = 0; i < p.count; ++i) {
      const bool takes = what == SameAs::Node    ? isSelected
                         : what == SameAs::Clump ? parents && clumps.contains((*parents)[i]) && (*parents)[i] != 0
                         : what == SameAs::Owner ? owners.contains(ownerKeyOf(p, i))
                                                 : props.contains(propUidOf(p, i));
      if (takes) ids.push_back(p.id[i]);
    }
    if (!ids.empty()) out[layer.source] = out[layer.source].with(IdSet(std::move(ids)));
  }
  return out.empty() ? selection : out;
}

std::vector<Vec3> placesOf(const std::vector<PictureLayer>& layers, const SiteSelection& selection, std::size_t most,
                           const Task& task) {
  std::vector<Vec3> out;
  for (const PictureLayer& layer : layers) {
    const auto it = selection.find(layer.source);
    if (it == selection.end()) continue;
    for (std::size_t i = 0; i < layer.points->count && out.size() < most && !task.isCancelled(); ++i)
      if (it->second.contains(layer.points->id[i])) out.push_back(layer.points->position[i]);
  }
  return out;
}

std::vector<PictureLayer> withoutHidden(const std::vector<PictureLayer>& layers, const SiteHidden& hidden) {
  if (hidden.isEmpty()) return layers;
  std::vector<PictureLayer> out;
  for (const PictureLayer& layer : layers) {
    const Points& p = *layer.points;
    Array<std::uint8_t> keeps(p.count);
    for (std::size_t i = 0; i < p.count; ++i) keeps[i] = !hidden.hides(layer.source, p.id[i]);
    out.push_back({split(p, keeps).first, layer.isGhost, layer.source});
  }
  return out;
}

}  // namespace arvesk
