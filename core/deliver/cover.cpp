#include "core/deliver/cover.h"

#include "core/base/task.h"
#include "core/spatial/ground.h"

#include <algorithm>
#include <cmath>

namespace arvesk {
float roundedUp(float value) {
  const float ten = std::pow(10.0F, std::floor(std::log10(std::max(value, 1e-6F))));
  for (const float m : {1.0F, 2.0F, 5.0F})
    if (ten * m >= value * 0.999F) return ten * m;  // what rounding took from a round number is not missed
  return ten * 10;
}

std::optional<float> CoverMap::at(Vec2 place) const {
  const Vec2 c = (place - corner) / cell;
  if (!(c.x >= 0) || !(c.y >= 0) || c.x >= static_cast<float>(columns) || c.y >= static_cast<float>(rows))
    return std::nullopt;
  return perSquareMeter(static_cast<int>(c.x), static_cast<int>(c.y));
}

std::optional<float> CoverMap::perCubicMeter(Vec2 place) const {
  if (inVolumes.empty() || !at(place)) return std::nullopt;
  const Vec2 c = (place - corner) / cell;
  const std::size_t i = at(static_cast<int>(c.x), static_cast<int>(c.y));
  const auto n = static_cast<float>(inVolumes[i]);
  const float spread = highest[i] - lowest[i];
  if (n < 2 || !(spread > 0)) return std::nullopt;
  return n * (n - 1) / ((n + 1) * spread * cell * cell);
}

CoverMap coverOf(const std::vector<PointsPtr>& layers, const std::vector<SurfacePtr>& grounds, int mostCells,
                 const Task& task) {
  CoverMap map;
  Box3 box;
  for (const SurfacePtr& g : grounds) {
    const Box3 b = g->bounds();
    box.add(b.min);
    box.add(b.max);
  }
  for (const PointsPtr& p : layers)
    for (std::size_t i = 0; i < p->count; ++i) box.add(p->position[i]);
  if (box.isEmpty()) return map;
  const Vec3 extent = box.extent();
  map.cell = roundedUp(std::max({extent.x, extent.z, 1e-3F}) / static_cast<float>(mostCells));
  map.corner = Vec2(std::floor(box.min.x / map.cell), std::floor(box.min.z / map.cell)) * map.cell;
  map.columns = static_cast<int>(std::floor((box.max.x - map.corner.x) / map.cell)) + 1;
  map.rows = static_cast<int>(std::floor((box.max.z - map.corner.y) / map.cell)) + 1;
  map.count.assign(static_cast<std::size_t>(map.columns) * static_cast<std::size_t>(map.rows), 0);
  for (const PointsPtr& p : layers) {
    const bool isInVolume = columnOf<Column<float>>(p->attributes, "depth") != nullptr;
    if (isInVolume && map.inVolumes.empty()) {
      map.inVolumes.assign(map.count.size(), 0);
      map.lowest.assign(map.count.size(), std::numeric_limits<float>::max());
      map.highest.assign(map.count.size(), std::numeric_limits<float>::lowest());
    }
    for (std::size_t i = 0; i < p->count; ++i) {
      const Vec2 c = (Vec2(p->position[i].x, p->position[i].z) - map.corner) / map.cell;
      const int column = std::clamp(static_cast<int>(c.x), 0, map.columns - 1);
      const int row = std::clamp(static_cast<int>(c.y), 0, map.rows - 1);
      const std::size_t at = map.at(column, row);
      map.most = std::max(map.most, ++map.count[at]);
      ++map.pointCount;
      if (!isInVolume || p->groundFace[i] != kNoFace) continue;  // those that were set down lie on ground
      ++map.inVolumes[at];
      map.lowest[at] = std::min(map.lowest[at], p->position[i].y);
      map.highest[at] = std::max(map.highest[at], p->position[i].y);
    }
  }
  constexpr int kReliefPixels = 480;
  map.shadePixels = std::max(1, kReliefPixels / std::max(map.columns, map.rows));
  const int width = map.columns * map.shadePixels;
  const int height = map.rows * map.shadePixels;
  map.shade.assign(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), -1.0F);
  std::vector<std::shared_ptr<const SurfaceIndex>> indices;
  for (const SurfacePtr& g : grounds)
    if (const auto index = SurfaceIndex::of(*g)) indices.push_back(*index);
  const Vec3 light = glm::normalize(Vec3(-0.55F, 0.7F, -0.45F));
  parallelPieces(task, map.shade.size(), 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const float step = map.cell / static_cast<float>(map.shadePixels);
      const Vec3 from(map.corner.x + (static_cast<float>(i % static_cast<std::size_t>(width)) + 0.5F) * step,
                      box.max.y + 1,
                      map.corner.y + (static_cast<float>(i / static_cast<std::size_t>(width)) + 0.5F) * step);
      float nearest = std::numeric_limits<float>::infinity();
      for (std::size_t s = 0; s < indices.size(); ++s) {
        const SurfaceHit hit = indices[s]->first(from, -kUp, extent.y + 2);
        if (!hit.isHit() || hit.distance >= nearest) continue;
        nearest = hit.distance;
        map.shade[i] = std::clamp(glm::dot(groundPlaceOf(*grounds[s], hit).normal, light), 0.0F, 1.0F);
      }
    }
  });
  return task.isCancelled() ? CoverMap() : map;
}

}  // namespace arvesk
