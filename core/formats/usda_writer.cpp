// USD as text: one PointInstancer per layer, prototypes with their geometry inside. Meters, Y up (Universal Scene Description, UsdGeom schemas).
#include "core/formats/exporter.h"
#include "core/formats/safe_file.h"

#include <fmt/format.h>

#include <set>

namespace arvesk {
namespace {

/// A valid USD prim name, unique among `used`.
std::string primName(std::set<std::string>& used, const std::string& text) {
  std::string name;
  for (const char c : text) name += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
  if (name.empty() || std::isdigit(static_cast<unsigned char>(name.front()))) name = fmt::format("_{}", name);
  const std::string base = name;
  for (int n = 2; !used.insert(name).second; ++n) name = fmt::format("{}_{}", base, n);
  return name;
}

class UsdaFile {
 public:
  UsdaFile(const std::string& path, const Task& task) : m_file(path), m_task(task) {}
  void text(const std::string& s) { m_file.write(s); }
  template <typename Count, typename Item>
  void list(const std::string& head, Count count, Item item) {
    m_block = head + " = [";
    for (std::size_t i = 0; i < count && !m_task.isCancelled(); ++i) {
      if (i > 0) m_block += ", ";
      item(i, m_block);
      if (m_block.size() < (1 << 20)) continue;
      m_file.write(m_block);
      m_block.clear();
    }
    m_file.write(m_block + "]\n");
  }
  Result<void> commit() {
    if (m_task.isCancelled()) return Failure(cancelled());
    return m_file.commit();
  }

 private:
  SafeFile m_file;
  const Task& m_task;
  std::string m_block;
};

template <typename... Args>
void add(std::string& out, fmt::format_string<Args...> format, Args&&... args) { fmt::format_to(std::back_inserter(out), format, std::forward<Args>(args)...); }

void writeMesh(UsdaFile& file, const Surface& s, const std::string& name) {
  file.text(fmt::format("        def Mesh \"{}\"\n        {{\n            uniform token subdivisionScheme = \"none\"\n            uniform bool doubleSided = 1\n", name));
  file.list("            int[] faceVertexCounts", s.faceCount(), [](std::size_t, std::string& out) { out += '3'; });
  file.list("            int[] faceVertexIndices", s.faceCount(), [&](std::size_t f, std::string& out) { add(out, "{}, {}, {}", s.triangles[f].x, s.triangles[f].y, s.triangles[f].z); });
  file.list("            point3f[] points", s.positions.size(), [&](std::size_t i, std::string& out) { add(out, "({}, {}, {})", s.positions[i].x, s.positions[i].y, s.positions[i].z); });
  if (!s.normals.empty()) {
    file.list("            normal3f[] normals", s.normals.size(), [&](std::size_t i, std::string& out) { add(out, "({}, {}, {})", s.normals[i].x, s.normals[i].y, s.normals[i].z); });
    file.text("            uniform token normals:interpolation = \"vertex\"\n");
  }
  // Colors per face: the material's base color times the vertex colors' mean, so that viewers without materials show the prop as it is.
  file.list("            color3f[] primvars:displayColor", s.faceCount(), [&](std::size_t f, std::string& out) {
    Vec3 c(s.materialOf(f).baseColor);
    const UVec3 t = s.triangles[f];
    if (!s.colors.empty()) c *= Vec3(s.colors[t.x] + s.colors[t.y] + s.colors[t.z]) / 3.0F;
    add(out, "({}, {}, {})", c.x, c.y, c.z);
  });
  file.text("            uniform token primvars:displayColor:interpolation = \"uniform\"\n        }\n");
}

void writeLayer(UsdaFile& file, const std::vector<const exporters::Group*>& groups, const std::string& name, const std::string& title) {
  struct Placement { const exporters::Group* group; std::uint32_t point; std::size_t prototype; };
  Array<Placement> all;
  std::set<std::string> used;
  std::vector<std::string> prototypes;
  for (std::size_t k = 0; k < groups.size(); ++k) {
    prototypes.push_back(primName(used, groups[k]->prop->name));
    for (const std::uint32_t i : groups[k]->points) all.push_back({groups[k], i, k});
  }
  const auto points = [&](std::size_t i) -> const Points& { return *all[i].group->layer->points; };
  std::string targets;
  for (const std::string& p : prototypes) targets += fmt::format("{}</World/{}/Prototypes/{}>", targets.empty() ? "" : ", ", name, p);
  std::string quoted;
  for (const char c : title) quoted += c == '"' || c == '\\' ? std::string("\\") + c : std::string(1, c);
  file.text(fmt::format("    def PointInstancer \"{}\" (\n        displayName = \"{}\"\n    )\n    {{\n        rel prototypes = [{}]\n", name, quoted, targets));
  file.list("        int[] protoIndices", all.size(), [&](std::size_t i, std::string& out) { add(out, "{}", all[i].prototype); });
  file.list("        point3f[] positions", all.size(), [&](std::size_t i, std::string& out) {
    const Vec3& p = points(i).position[all[i].point];
    add(out, "({}, {}, {})", p.x, p.y, p.z);
  });
  file.list("        quath[] orientations", all.size(), [&](std::size_t i, std::string& out) {
    const Quat q = glm::normalize(points(i).orientation[all[i].point]);
    add(out, "({}, {}, {}, {})", q.w, q.x, q.y, q.z);
  });
  file.list("        float3[] scales", all.size(), [&](std::size_t i, std::string& out) {
    const Vec3& s = points(i).size[all[i].point];
    add(out, "({}, {}, {})", s.x, s.y, s.z);
  });
  // int64 in USD is signed; the bits are those of the id.
  file.list("        int64[] ids", all.size(), [&](std::size_t i, std::string& out) { add(out, "{}", static_cast<std::int64_t>(points(i).id[all[i].point])); });
  file.text("        def Scope \"Prototypes\"\n        {\n");
  for (std::size_t k = 0; k < groups.size(); ++k) writeMesh(file, *groups[k]->prop->surface, prototypes[k]);
  file.text("        }\n    }\n");
}

}  // namespace

Result<void> exporters::usda(const std::vector<Group>& groups, const std::string& path, const Task& task) {
  UsdaFile file(path, task);
  file.text("#usda 1.0\n(\n    defaultPrim = \"World\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\ndef Xform \"World\"\n{\n");
  std::vector<const ExportLayer*> order;
  std::map<const ExportLayer*, std::vector<const Group*>> layers;
  for (const Group& g : groups) {
    if (!layers.contains(g.layer)) order.push_back(g.layer);
    layers[g.layer].push_back(&g);
  }
  std::set<std::string> used;
  for (const ExportLayer* layer : order) writeLayer(file, layers[layer], primName(used, layer->name), layer->name);
  file.text("}\n");
  return file.commit();
}

}  // namespace arvesk
