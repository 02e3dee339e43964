#include "core/formats/expected.h"

#include "core/props/baked.h"
#include "core/props/coloring.h"

namespace arvesk::readback {
namespace {

bool hasTexture(const Surface& s) {
  return std::any_of(s.materials.begin(), s.materials.end(),
                     [](const Material& m) { return m.textureFile != nullptr; });
}

/// How many corners of faces each vertex is.
std::vector<std::uint32_t> cornersOf(const Surface& s) {
  std::vector<std::uint32_t> out(s.positions.size());
  for (const UVec3& t : s.triangles)
    for (int k = 0; k < 3; ++k) ++out[t[k]];
  return out;
}

/// A mesh where it stands, vertex by vertex. `colorOf` gives the color of a vertex; without, none is said.
void addGeometry(Thing& thing, const Surface& s, const std::vector<std::uint32_t>& corners, const Vec3& at,
                 const Quat& turn, const Vec3& size, const std::function<Vec3(std::size_t)>& colorOf) {
  thing.triangles += s.faceCount();
  for (std::size_t v = 0; v < s.positions.size(); ++v) {
    if (corners[v] == 0) continue;
    thing.box.add(at + turn * (size * s.positions[v]));
    if (colorOf) thing.addColor(colorOf(v), corners[v]);
  }
}

Vec3 heldIn(const Vec3& color) { return glm::clamp(color, Vec3(0), Vec3(1)); }

void addRows(Things& out, const exporters::Job& job) {
  const bool isColored = std::any_of(job.layers.begin(), job.layers.end(), [](const ExportLayer* l) {
    return l->points && !PointColors(*l->points).isPlain();
  });
  for (const ExportLayer* layer : job.layers) {
    if (!layer->points) continue;
    const Points& p = *layer->points;
    const PointColors colors(p);
    for (std::size_t i = 0; i < p.count; ++i) {
      const Prop* prop = p.prop[i] == kNoProp ? nullptr
                                              : p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop.get();
      Thing& thing = out[rowName(layer->name, prop ? prop->name : std::string())];
      ++thing.placements;
      thing.box.add(p.position[i]);
      if (!isColored) continue;
      const Vec3 mean = prop ? meanColorOf(*prop->surface) : Vec3(0.6F);
      thing.addColor(heldIn(colors.apply(mean, i, mean)));
    }
  }
}

enum class Holds { Factors, Colors, Geometry };

void addGroup(Thing& thing, const exporters::Group& g, Holds what) {
  const Points& p = *g.layer->points;
  const Surface& s = *g.prop->surface;
  const PointColors colors(p);
  const Vec3 mean = meanColorOf(s);
  if (what != Holds::Geometry) {
    // Of what is delivered by its file the export knows the place only.
    const Box3 own = g.prop->delivery ? Box3{Vec3(0), Vec3(0)} : s.bounds();
    for (const std::uint32_t i : g.points) {
      ++thing.placements;
      if (!g.prop->delivery) thing.triangles += s.faceCount();
      thing.box.add(placedBox(own, p.position[i], p.orientation[i], p.size[i]));
      if (!colors.isPlain())
        thing.addColor(what == Holds::Factors ? colors.factor(i, mean) : colors.apply(mean, i, mean));
    }
    return;
  }
  const std::vector<std::uint32_t> corners = cornersOf(s);
  const Array<Vec3> base = materialColors(s);
  const bool isTextured = hasTexture(s);  // a factor on a picture: what is seen is not in any number
  for (const std::uint32_t i : g.points)
    addGeometry(
        thing, s, corners, p.position[i], p.orientation[i], p.size[i],
        isTextured ? std::function<Vec3(std::size_t)>() : [&](std::size_t v) {
          const Vec3 made = base[v] * (s.colors.empty() ? Vec3(1) : Vec3(s.colors[v]));
          return colors.isPlain() ? made : heldIn(colors.apply(made, i, mean));
        });
}

}  // namespace

Things expectedOf(const exporters::Job& job) {
  Things out;
  const auto isEnding = [&](std::string_view ending) { return job.path.ends_with(ending); };
  if (isEnding(".csv") || isEnding(".ply")) {
    addRows(out, job);
    return out;
  }
  const bool isGltf = isEnding(".glb") || isEnding(".gltf");
  const bool isReal = isEnding(".obj") || (isGltf && job.options.gltfWay == GltfWay::Mesh);
  for (const exporters::Group& g : job.groups)
    addGroup(out[g.written], g, isReal ? Holds::Geometry : isGltf ? Holds::Factors : Holds::Colors);
  for (const exporters::Solid& solid : job.solids) {
    const Surface& s = *solid.surface;
    const Array<Vec3> base = materialColors(s);
    addGeometry(
        out[solid.written], s, cornersOf(s), Vec3(0), Quat(1, 0, 0, 0), Vec3(1),
        hasTexture(s) ? std::function<Vec3(std::size_t)>()
                      : [&](std::size_t v) { return base[v] * (s.colors.empty() ? Vec3(1) : Vec3(s.colors[v])); });
  }
  return out;
}

}  // namespace arvesk::readback
