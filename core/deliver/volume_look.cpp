#include "core/deliver/volume_look.h"

#include "core/geometry/welding.h"
#include "core/spatial/meshing.h"
#include "core/spatial/posed.h"

namespace arvesk {
namespace {

constexpr std::size_t kMostEdges = 300'000;

std::vector<SkinEdge> edgesOf(const Surface& skin) {
  std::vector<SkinEdge> out;
  if (skin.faceCount() * 3 / 2 > kMostEdges) return out;
  const Array<TriangleEdge> sides = edgesByPlace(skin, *weldedOf(skin));
  for (std::size_t i = 0; i + 1 < sides.size(); ++i) {
    const bool isFirst = i == 0 || sides[i - 1].places != sides[i].places;
    const bool areTwo = isFirst && sides[i].places == sides[i + 1].places &&
                        (i + 2 == sides.size() || sides[i + 2].places != sides[i].places);
    if (!areTwo) continue;
    const UVec3& t = skin.triangles[sides[i].triangle];
    const auto corner = static_cast<int>(sides[i].corner);
    out.push_back({skin.positions[t[corner]], skin.positions[t[(corner + 1) % 3]], skin.faceNormal(sides[i].triangle),
                   skin.faceNormal(sides[i + 1].triangle)});
  }
  return out;
}

}  // namespace

std::shared_ptr<const VolumeLook> lookOf(const VolumePtr& volume, const Task& task) {
  return volume->derived.get<VolumeLook>([&]() -> std::shared_ptr<const VolumeLook> {
    auto look = std::make_shared<VolumeLook>();
    if (const Posed* posed = volume->posed()) {
      const auto atRest = lookOf(posed->atRest, task);
      if (!atRest) return nullptr;
      *look = *atRest;
      if (look->facets) look->facets = posedSurface(*look->facets, posed->frame);
      for (SkinEdge& e : look->edges)
        e = {posed->frame.toWorld(DVec3(e.from)), posed->frame.toWorld(DVec3(e.to)), posed->frame.turned(e.normal),
             posed->frame.turned(e.other)};
      for (auto& [from, to] : look->open) {
        from = posed->frame.toWorld(DVec3(from));
        to = posed->frame.toWorld(DVec3(to));
      }
      return look;
    }
    const SurfacePtr skin = volume->isOffset() ? nullptr : skinOf(*volume, task);
    auto mesh = meshOf(volume, {volume->voxelSize(), 0}, task);
    if (task.isCancelled()) return nullptr;
    if (!mesh) look->problem = mesh.error();
    if (volume->hasLooseSkin()) {
      std::vector<SurfacePtr> surfaces;
      volume->addSurfaces(surfaces);
      for (const SurfacePtr& surface : surfaces)
        for (const auto& edge : openEdges(*surface))
          if (look->open.size() < kMostEdges) look->open.push_back(edge);
    }
    if (!mesh && !skin) return look;
    Surface facets = mesh ? **mesh : *skin;
    facets.name = "volume";
    facets.normals.clear();  // flat: every facet is seen
    Material clay;
    clay.name = "volume";
    clay.baseColor = {0.42F, 0.47F, 0.46F, 1};
    facets.materials = {clay};
    facets.faceMaterials.clear();
    look->facets = std::make_shared<const Surface>(std::move(facets));
    if (skin) look->edges = edgesOf(*skin);
    return look;
  });
}

}  // namespace arvesk
