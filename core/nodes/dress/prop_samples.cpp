#include "core/nodes/dress/prop_samples.h"

#include "core/nodes/scatter/faces.h"
#include "core/nodes/scatter/sow.h"
#include "core/spatial/surface_index.h"

#include <map>

namespace arvesk::nodes {

PropSampleList samplesOf(const EvalContext& ctx, const Surface& s, SampleOf of, float spacing, std::uint64_t key) {
  PropSampleList out;
  const auto add = [&](const Vec3& place, const Vec3& normal, Vec2 uv, std::uint64_t code) {
    out.push_back({place, shortestTurn(kUp, normal), normal, uv, code, 0});
  };
  if (of == SampleOf::Faces) {
    for (const Face& face : facesOfSurface(s)) {
      const FaceMiddle m = middleOf(s, face);
      add(m.place, m.normal, s.uvAt(face.firstTriangle, Vec2(1.0F / 3, 1.0F / 3)), face.firstTriangle);
    }
    return out;
  }
  if (of == SampleOf::Vertices) {
    const auto less = [](const Vec3& a, const Vec3& b) { return std::tie(a.x, a.y, a.z) < std::tie(b.x, b.y, b.z); };
    std::map<Vec3, std::size_t, decltype(less)> seen(less);
    Array<std::uint8_t> isUsed;
    isUsed.assign(s.positions.size(), 0);
    for (const UVec3& t : s.triangles) isUsed[t.x] = isUsed[t.y] = isUsed[t.z] = 1;
    std::vector<Vec3> normals;
    for (std::uint32_t v = 0; v < s.positions.size(); ++v) {
      if (!isUsed[v]) continue;
      const auto [it, isNew] = seen.emplace(s.positions[v], out.size());
      if (isNew) {
        add(s.positions[v], kUp, s.uvs.empty() ? Vec2(0) : s.uvs[v], v);
        normals.emplace_back(0);
      }
      normals[it->second] += s.normals.empty() ? Vec3(0) : s.normals[v];
    }
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i].normal = directionOr(normals[i], kUp);
      out[i].turn = shortestTurn(kUp, out[i].normal);
    }
    return out;
  }
  const auto areas = areaTableOf(s);
  if (!(areas->total > 0)) return out;
  const Sown sown = sowEven(
      ctx.task, s, areas->area, spacing, spacing, false,
      [&](const Sown&, Array<float>& spacings) { std::fill(spacings.begin(), spacings.end(), spacing); },
      hashOf(ctx.nodeUid, key), ctx.draw("place"));
  for (std::size_t i = 0; i < sown.size(); ++i)
    add(sown.position[i], s.normalAt(sown.face[i], sown.weights[i]), s.uvAt(sown.face[i], sown.weights[i]), sown.id[i]);
  return out;
}

}  // namespace arvesk::nodes
