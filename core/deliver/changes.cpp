#include "core/deliver/changes.h"

#include <algorithm>
#include <unordered_map>

namespace arvesk {
namespace {

bool isAlike(const Points& a, std::size_t i, const Points& b, std::size_t k) {
  return a.position[i] == b.position[k] && a.orientation[i] == b.orientation[k] && a.size[i] == b.size[k] &&
         propUidOf(a, i) == propUidOf(b, k);
}

}  // namespace

std::vector<Vec3> changedPlaces(const std::vector<PictureLayer>& before, const std::vector<PictureLayer>& now) {
  std::vector<Vec3> out;
  const auto layerOf = [](const std::vector<PictureLayer>& in, const std::string& source) -> const Points* {
    for (const PictureLayer& l : in)
      if (l.source == source) return l.points.get();
    return nullptr;
  };
  const auto addAll = [&](const Points& p) {
    for (std::size_t i = 0; i < p.count; ++i) out.push_back(p.position[i]);
  };
  for (const PictureLayer& layer : before) {
    const Points& a = *layer.points;
    const Points* b = layerOf(now, layer.source);
    if (!b) {
      addAll(a);
      continue;
    }
    if (&a == b) continue;
    std::unordered_map<std::uint64_t, std::size_t> known;
    for (std::size_t i = 0; i < a.count; ++i) known.emplace(a.id[i], i);
    for (std::size_t k = 0; k < b->count; ++k) {
      const auto it = known.find(b->id[k]);
      if (it == known.end()) {
        out.push_back(b->position[k]);
        continue;
      }
      if (!isAlike(a, it->second, *b, k)) out.push_back(b->position[k]);
      known.erase(it);
    }
    for (const auto& [id, i] : known) out.push_back(a.position[i]);
  }
  for (const PictureLayer& layer : now)
    if (!layerOf(before, layer.source)) addAll(*layer.points);
  return out;
}

Camera cameraOn(const std::vector<Vec3>& places, const Camera& camera, float aspect) {
  if (places.empty()) return camera;
  constexpr int kHeight = 1000;
  const int width = static_cast<int>(kHeight * aspect);
  const auto seenBy = [&](const Camera& from) {
    return static_cast<std::size_t>(std::count_if(places.begin(), places.end(), [&](const Vec3& p) {
      const Vec3 at = from.projected(p, width, kHeight);
      return at.z > 0 && at.x >= 0 && at.y >= 0 && at.x < static_cast<float>(width) && at.y < kHeight;
    }));
  };
  if (5 * seenBy(camera) >= 2 * places.size()) return camera;
  // Without the farthest twentieth at each end of each axis: one stray would make all the others small.
  Box3 box;
  Vec3 low(0);
  Vec3 high(0);
  for (int axis = 0; axis < 3; ++axis) {
    std::vector<float> values;
    for (const Vec3& p : places) values.push_back(p[axis]);
    std::sort(values.begin(), values.end());
    low[axis] = values[values.size() / 20];
    high[axis] = values[values.size() - 1 - values.size() / 20];
  }
  box.add(low - 0.5F);
  box.add(high + 0.5F);
  Camera looking = camera;
  Vec3 ahead = directionOr(camera.target - camera.eye, Vec3(0, 0, -1));
  ahead.y = std::min(ahead.y, -0.35F);
  looking.target = box.center();
  looking.eye = box.center() - ahead;
  // A ball around the box fits for sure; what lies flat is seen from nearer.
  const Camera whole = cameraFitting(box, looking);
  for (const float nearer : {0.4F, 0.5F, 0.6F, 0.7F, 0.85F}) {
    Camera closer = whole;
    closer.eye = whole.target + nearer * (whole.eye - whole.target);
    if (10 * seenBy(closer) >= 9 * places.size()) return closer;
  }
  return whole;
}

}  // namespace arvesk
