#include "core/geometry/prop.h"
#include "core/geometry/shapes.h"

#include <meshoptimizer.h>

namespace arvesk {
namespace {

struct Massing {
  SurfacePtr surface;
  void countBytes(ByteCounter& counter) const { surface->countBytes(counter); }
};

Vec4 meanColor(const Surface& s) {
  Vec4 sum(0);
  float area = 0;
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    const UVec3 t = s.triangles[f];
    Vec4 c = s.materialOf(f).baseColor;
    if (!s.colors.empty()) c *= (s.colors[t.x] + s.colors[t.y] + s.colors[t.z]) / 3.0F;
    sum += c * s.faceArea(f);
    area += s.faceArea(f);
  }
  return area > 0 ? sum / area : Vec4(0.6F, 0.6F, 0.6F, 1);
}

Surface boxOf(const Surface& s) {
  const Box3 bounds = s.bounds();
  Surface box = transformed(makeBox(glm::max(bounds.extent(), Vec3(1e-3F))),
                            {bounds.center().x, bounds.min.y, bounds.center().z}, Quat(1, 0, 0, 0), 1);
  box.materials.assign(1, Material{});
  box.materials[0].baseColor = meanColor(s);
  box.faceMaterials.clear();
  return box;
}

/// Edge collapses by error (meshoptimizer, after Garland and Heckbert, "Surface simplification using quadric error
/// metrics", 1997); where seams keep it from the target, its looser way by cells.
Surface simplified(const Surface& s, int triangles) {
  if (s.faceCount() <= static_cast<std::size_t>(triangles)) return s;
  // Vertices at one place as one, or seams of normals and uvs would stop every collapse.
  std::vector<unsigned> remap(s.positions.size());
  const std::size_t unique = meshopt_generateVertexRemap(remap.data(), nullptr, s.positions.size(), s.positions.data(),
                                                         s.positions.size(), sizeof(Vec3));
  std::vector<Vec3> places(unique);
  std::vector<std::uint32_t> original(unique);
  for (std::size_t v = 0; v < remap.size(); ++v) {
    places[remap[v]] = s.positions[v];
    original[remap[v]] = static_cast<std::uint32_t>(v);
  }
  const std::size_t materials = std::max<std::size_t>(1, s.materials.size());
  std::vector<std::vector<unsigned>> groups(materials);
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    for (int k = 0; k < 3; ++k)
      groups[s.faceMaterials.empty() ? 0 : s.faceMaterials[f]].push_back(remap[s.triangles[f][k]]);
  Surface out = s;
  out.triangles.clear();
  out.faceMaterials.clear();
  out.faceParts.clear();
  for (std::size_t m = 0; m < materials; ++m) {
    std::vector<unsigned>& indices = groups[m];
    if (indices.empty()) continue;
    const std::size_t target = std::max<std::size_t>(
        12, 3 * static_cast<std::size_t>(static_cast<double>(triangles) * static_cast<double>(indices.size()) / 3 /
                                         static_cast<double>(s.faceCount())));
    std::vector<unsigned> kept(indices.size());
    kept.resize(meshopt_simplify(kept.data(), indices.data(), indices.size(), &places[0].x, places.size(), sizeof(Vec3),
                                 target, 1.0F, 0, nullptr));
    if (kept.size() > target + target / 2) {
      kept.resize(indices.size());
      kept.resize(meshopt_simplifySloppy(kept.data(), indices.data(), indices.size(), &places[0].x, places.size(),
                                         sizeof(Vec3), target, 1.0F, nullptr));
    }
    for (std::size_t i = 0; i + 2 < kept.size(); i += 3) {
      out.triangles.edit().push_back({original[kept[i]], original[kept[i + 1]], original[kept[i + 2]]});
      if (!s.faceMaterials.empty()) out.faceMaterials.edit().push_back(static_cast<std::uint16_t>(m));
    }
  }
  if (out.triangles.empty()) return boxOf(s);
  out.parts.assign(1, "massing");
  Array<std::uint32_t> all(out.faceCount());
  for (std::size_t f = 0; f < all.size(); ++f) all[f] = static_cast<std::uint32_t>(f);
  out = cutTo(out, all);  // only the vertices that are left
  computeSmoothNormals(out);
  return out;
}

}  // namespace

SurfacePtr massingOf(const Prop& prop) {
  if (prop.massing.light) return prop.massing.light;
  const auto key = std::uint64_t{prop.massing.isBox} << 32 | static_cast<std::uint32_t>(prop.massing.triangles);
  return prop.surface->derived
      .get<Massing>(
          key,
          [&] {
            auto made = std::make_shared<Massing>();
            made->surface = std::make_shared<const Surface>(
                prop.massing.isBox ? boxOf(*prop.surface) : simplified(*prop.surface, prop.massing.triangles));
            return std::shared_ptr<const Massing>(made);
          })
      ->surface;
}

}  // namespace arvesk
