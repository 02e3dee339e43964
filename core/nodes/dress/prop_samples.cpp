#include "core/nodes/dress/prop_samples.h"

#include "core/geometry/welding.h"
#include "core/nodes/scatter/sow_even.h"
#include "core/spatial/surface_index.h"

#include <map>

namespace arvesk::nodes {

PropSampleList samplesOf(const EvalContext& ctx, const Surface& s, SampleOf of, const FaceRule& rule, float spacing,
                         const Vec3& size, std::uint64_t key) {
  PropSampleList out;
  const auto add = [&](const Vec3& place, const Vec3& normal, std::uint32_t face, Vec2 weights, std::uint64_t code) {
    out.push_back({place, shortestTurn(kUp, normal), Vec3(1), normal, s.uvAt(face, weights), code, 0, face, weights});
  };
  if (of == SampleOf::Faces) {
    const auto faces = facesBy(s, rule);
    for (std::size_t f = 0; f < faces->count(); ++f) {
      const FaceMiddle m = middleOf(s, *faces, f);
      add(m.place, m.normal, m.triangle, m.weights, keyOfFace(s, *faces, f));
    }
    return out;
  }
  if (of == SampleOf::Vertices) {
    // One per place, called by the lowest key of those that lie there; the normal is that of all its faces together.
    const auto welded = weldedOf(s);
    std::map<std::uint32_t, std::size_t> seen;
    std::vector<Vec3> normals;
    for (std::uint32_t t = 0; t < s.faceCount(); ++t)
      for (int k = 0; k < 3; ++k) {
        const std::uint32_t v = s.triangles[t][k];
        const auto [it, isNew] = seen.emplace(welded->place[v], out.size());
        if (isNew) {
          add(s.positions[v], kUp, t, {k == 1 ? 1 : 0, k == 2 ? 1 : 0}, s.vertexKey(v));
          normals.emplace_back(0);
        }
        out[it->second].code = std::min(out[it->second].code, s.vertexKey(v));
        normals[it->second] += s.faceNormal(t) * s.faceArea(t);
      }
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i].normal = directionOr(normals[i], kUp);
      out[i].turn = shortestTurn(kUp, out[i].normal);
    }
    return out;
  }
  Surface sized = s;
  if (size != Vec3(1))
    for (Vec3& p : sized.positions.edit()) p *= size;
  const auto areas = areaTableOf(sized);
  if (!(areas->total > 0)) return out;
  const FaceDomain faces(sized, areas->area, areas->total, false);
  const auto sown = sowEven(
      ctx.task, faces, spacing, spacing,
      [&](const Sown<Vec2>&, Array<float>& spacings) { std::fill(spacings.begin(), spacings.end(), spacing); },
      hashOf(ctx.nodeUid, key), ctx.draw("place"));
  for (std::size_t i = 0; i < sown.size(); ++i)
    add(s.positionAt(sown.cell[i], sown.weights[i]), s.normalAt(sown.cell[i], sown.weights[i]), sown.cell[i],
        sown.weights[i], sown.id[i]);
  return out;
}

}  // namespace arvesk::nodes
