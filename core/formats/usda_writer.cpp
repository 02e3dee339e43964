// USD as text: one PointInstancer per layer, prototypes with their geometry inside or by reference to files beside.
// Meters, Y up (Universal Scene Description, schemas UsdGeom and UsdShade with UsdPreviewSurface).
#include "core/formats/delivered.h"
#include "core/formats/exporter.h"
#include "core/formats/sidecars.h"
#include "core/props/baked.h"
#include "core/props/coloring.h"

#include <fmt/format.h>

#include <filesystem>
#include <set>

namespace arvesk {
namespace {

/// A valid USD prim name, unique among `used`. ASCII only: readers before 24.03 take no other letters.
std::string primName(std::set<std::string>& used, const std::string& text) {
  const auto isDigit = [](char c) { return c >= '0' && c <= '9'; };
  std::string name;
  for (const char c : text) name += isDigit(c) || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ? c : '_';
  if (name.empty() || isDigit(name.front())) name = fmt::format("_{}", name);
  return exporters::uniqueColumn(used, name);
}

class UsdaFile {
 public:
  UsdaFile(SafeFile& file, const Task& task) : m_file(file), m_task(task) {}
  void text(const std::string& s) { m_file.write(s); }
  /// An attribute that is a list. `interpolation` says what its values belong to (UsdGeomPrimvar): "vertex", "uniform"
  /// for faces, or nothing where the schema knows; it is metadata of the attribute.
  template <typename Count, typename Item>
  void list(const std::string& head, Count count, Item item, const char* interpolation = nullptr) {
    m_block = head + " = ";
    const std::string pad(head.find_first_not_of(' '), ' ');
    items(count, item);
    m_file.write(m_block + (interpolation
                                ? fmt::format(" (\n{0}    interpolation = \"{1}\"\n{0})\n", pad, interpolation)
                                : "\n"));
  }
  /// An attribute that is a list at each of some moments, which `frames` are numbers of.
  template <typename Count, typename Item>
  void samples(const std::string& head, const std::vector<std::pair<double, std::size_t>>& frames, Count count,
               Item item) {
    const std::string pad(head.find_first_not_of(' '), ' ');
    m_file.write(head + ".timeSamples = {\n");
    for (const auto& [frame, sample] : frames) {
      m_block = fmt::format("{}    {}: ", pad, frame);
      items(count(sample), [&, k = sample](std::size_t i, std::string& out) { item(k, i, out); });
      m_file.write(m_block + ",\n");
    }
    m_file.write(pad + "}\n");
  }

 private:
  template <typename Count, typename Item>
  void items(Count count, Item item) {
    m_block += "[";
    for (std::size_t i = 0; i < count && !m_task.isCancelled(); ++i) {
      if (i > 0) m_block += ", ";
      item(i, m_block);
      if (m_block.size() < (1 << 20)) continue;
      m_file.write(m_block);
      m_block.clear();
    }
    m_block += "]";
  }

  SafeFile& m_file;
  const Task& m_task;
  std::string m_block;
};

template <typename... Args>
void add(std::string& out, fmt::format_string<Args...> format, Args&&... args) {
  fmt::format_to(std::back_inserter(out), format, std::forward<Args>(args)...);
}

void addExtent(UsdaFile& file, const std::string& pad, const Box3& box) {
  if (!box.isEmpty())
    file.text(fmt::format("{}float3[] extent = [({}, {}, {}), ({}, {}, {})]\n", pad, box.min.x, box.min.y, box.min.z,
                          box.max.x, box.max.y, box.max.z));
}

/// Prims of the materials of one mesh and of the faces that have each.
struct MaterialNames {
  std::vector<std::string> materials;
  std::vector<std::string> faces;
};
MaterialNames materialNames(const Surface& s) {
  std::set<std::string> used;
  MaterialNames out;
  for (const Material& m : s.materials) {
    out.materials.push_back(primName(used, m.name.empty() ? "material" : m.name));
    out.faces.push_back(primName(used, out.materials.back() + "_faces"));
  }
  return out;
}

std::string quoted(const std::string& text) {
  std::string out;
  for (const char c : text)
    out += c == '"' || c == '\\' ? std::string("\\") + c
                                 : std::string(1, static_cast<unsigned char>(c) < 0x20 ? ' ' : c);
  return out;
}

/// Materials as UsdPreviewSurface; textures are written beside as they were read.
class Materials {
 public:
  /// `isInside`: of a file that stands in the folder of the others itself.
  Materials(exporters::Sidecars& sidecars, bool isInside) : m_sidecars(sidecars), m_isInside(isInside) {}

  Result<std::string> textureOf(const Material& m) {
    if (!m.textureFile) return std::string();
    std::string& reference = m_references[m.textureFile.get()];
    if (reference.empty()) {
      const auto name = m_sidecars.add("texture", m.textureType == "image/jpeg" ? ".jpg" : ".png",
                                       exporters::bytesOf(*m.textureFile));
      if (!name) return Failure(name.error());
      reference = "./" + (m_isInside ? std::filesystem::path(*name).filename().string() : *name);
    }
    return reference;
  }

 private:
  exporters::Sidecars& m_sidecars;
  bool m_isInside;
  std::map<const void*, std::string> m_references;
};

/// A mesh with its materials below it; `path` is the prim's own path, `pad` the indentation.
Result<void> writeMesh(UsdaFile& file, const Surface& s, const std::string& name, const std::string& path,
                       const std::string& pad, const std::vector<std::string>& tags, Materials& materials) {
  std::string tagText;
  for (const std::string& tag : tags) tagText += (tagText.empty() ? "\"" : ", \"") + quoted(tag) + "\"";
  file.text(
      fmt::format("{0}def Mesh \"{1}\" (\n{0}    prepend apiSchemas = [\"MaterialBindingAPI\"]\n{0})\n{0}{{\n{0}    "
                  "uniform token subdivisionScheme = \"none\"\n{0}    uniform bool doubleSided = 1\n",
                  pad, name));
  const std::string in = pad + "    ";
  if (!tagText.empty()) file.text(fmt::format("{}custom string[] tags = [{}]\n", in, tagText));
  addExtent(file, in, s.bounds());
  file.list(in + "int[] faceVertexCounts", s.faceCount(), [](std::size_t, std::string& out) { out += '3'; });
  file.list(in + "int[] faceVertexIndices", s.faceCount(), [&](std::size_t f, std::string& out) {
    add(out, "{}, {}, {}", s.triangles[f].x, s.triangles[f].y, s.triangles[f].z);
  });
  file.list(in + "point3f[] points", s.positions.size(), [&](std::size_t i, std::string& out) {
    add(out, "({}, {}, {})", s.positions[i].x, s.positions[i].y, s.positions[i].z);
  });
  if (!s.normals.empty()) {
    file.list(
        in + "normal3f[] normals", s.normals.size(),
        [&](std::size_t i, std::string& out) {
          add(out, "({}, {}, {})", s.normals[i].x, s.normals[i].y, s.normals[i].z);
        },
        "vertex");
  }
  if (!s.uvs.empty()) {
    file.list(
        in + "texCoord2f[] primvars:st", s.uvs.size(),
        [&](std::size_t i, std::string& out) { add(out, "({}, {})", s.uvs[i].x, 1 - s.uvs[i].y); }, "vertex");
  }
  // Colors per face: the material's base color times the vertex colors' mean, so that viewers without materials show
  // the prop as it is.
  file.list(
      in + "color3f[] primvars:displayColor", s.faceCount(),
      [&](std::size_t f, std::string& out) {
        Vec3 c(s.materialOf(f).baseColor);
        const UVec3 t = s.triangles[f];
        if (!s.colors.empty()) c *= Vec3(s.colors[t.x] + s.colors[t.y] + s.colors[t.z]) / 3.0F;
        add(out, "({}, {}, {})", c.x, c.y, c.z);
      },
      "uniform");
  std::set<std::string> used{"st", "displayColor"};
  for (const auto& [attribute, column] : s.vertexAttributes) {
    const auto* numbers = std::get_if<Column<float>>(&column);
    if (!numbers || numbers->isConstant()) continue;
    file.list(
        in + "float[] primvars:" + primName(used, attribute), s.positions.size(),
        [&](std::size_t i, std::string& out) { add(out, "{}", (*numbers)[i]); }, "vertex");
  }
  const MaterialNames prims = materialNames(s);
  const std::vector<std::string>& names = prims.materials;
  if (!s.colors.empty() && std::none_of(s.materials.begin(), s.materials.end(),
                                        [](const Material& m) { return m.textureFile != nullptr; })) {
    file.text(pad + "}\n");  // vertex colors say it all; a bound material would hide them
    return {};
  }
  if (!names.empty()) file.text(in + "uniform token subsetFamily:materialBind:familyType = \"nonOverlapping\"\n");
  for (std::size_t m = 0; m < names.size(); ++m) {
    std::vector<std::size_t> faces;
    for (std::size_t f = 0; f < s.faceCount(); ++f)
      if ((s.faceMaterials.empty() ? 0 : s.faceMaterials[f]) == m) faces.push_back(f);
    if (faces.empty()) continue;
    file.text(fmt::format(
        "{0}def GeomSubset \"{1}\" (\n{0}    prepend apiSchemas = [\"MaterialBindingAPI\"]\n{0})\n{0}{{\n{0}    "
        "uniform token elementType = \"face\"\n{0}    uniform token familyName = \"materialBind\"\n",
        in, prims.faces[m]));
    file.list(in + "    int[] indices", faces.size(),
              [&](std::size_t i, std::string& out) { add(out, "{}", faces[i]); });
    file.text(fmt::format("{0}    rel material:binding = <{1}/{2}>\n{0}}}\n", in, path, names[m]));
    const Material& material = s.materials[m];
    const auto texture = materials.textureOf(material);
    if (!texture) return Failure(texture.error());
    const std::string own = path + "/" + names[m];
    file.text(fmt::format(
        "{0}def Material \"{1}\"\n{0}{{\n{0}    token outputs:surface.connect = <{2}/shader.outputs:surface>\n{0}    "
        "def Shader \"shader\"\n{0}    {{\n{0}        uniform token info:id = \"UsdPreviewSurface\"\n",
        in, names[m], own));
    if (texture->empty())
      file.text(fmt::format("{}        color3f inputs:diffuseColor = ({}, {}, {})\n", in, material.baseColor.r,
                            material.baseColor.g, material.baseColor.b));
    else
      file.text(fmt::format("{}        color3f inputs:diffuseColor.connect = <{}/color.outputs:rgb>\n", in, own));
    if (material.cutBelow > 0) {
      if (texture->empty())
        file.text(fmt::format("{}        float inputs:opacity = {}\n", in, material.baseColor.a));
      else
        file.text(fmt::format("{}        float inputs:opacity.connect = <{}/color.outputs:a>\n", in, own));
      file.text(fmt::format("{}        float inputs:opacityThreshold = {}\n", in,
                            material.isBlended ? 0.0F : material.cutBelow));
    }
    file.text(
        fmt::format("{0}        float inputs:roughness = {1}\n{0}        float inputs:metallic = {2}\n{0}        token "
                    "outputs:surface\n{0}    }}\n",
                    in, material.roughness, material.metallic));
    if (!texture->empty())
      file.text(fmt::format(
          "{0}    def Shader \"place\"\n{0}    {{\n{0}        uniform token info:id = \"UsdPrimvarReader_float2\"\n{0} "
          "       string inputs:varname = \"st\"\n{0}        float2 outputs:result\n{0}    }}\n"
          "{0}    def Shader \"color\"\n{0}    {{\n{0}        uniform token info:id = \"UsdUVTexture\"\n{0}        "
          "asset inputs:file = @{1}@\n{0}        token inputs:sourceColorSpace = \"sRGB\"\n{0}        float2 "
          "inputs:st.connect = <{2}/place.outputs:result>\n{0}        float3 outputs:rgb\n{0}        float "
          "outputs:a\n{0}    }}\n",
          in, *texture, own));
    file.text(in + "}\n");
  }
  file.text(pad + "}\n");
  return {};
}

/// Chosen attributes as primvars, one value per placement.
void writeAttributes(UsdaFile& file, const std::vector<std::string>& names, std::size_t count,
                     const std::function<const Points&(std::size_t)>& points,
                     const std::function<std::uint32_t(std::size_t)>& index) {
  std::set<std::string> used{"displayColor"};
  for (const std::string& name : names) {
    std::size_t sort = std::variant_npos;
    for (std::size_t i = 0; i < count && sort == std::variant_npos; ++i)
      if (const auto it = points(i).attributes.find(name); it != points(i).attributes.end()) sort = it->second.index();
    if (sort == std::variant_npos) continue;
    const std::string prim = "primvars:" + primName(used, name);
    const auto each = [&](const char* type, auto write) {
      file.list(
          fmt::format("        {}[] {}", type, prim), count,
          [&](std::size_t i, std::string& out) { write(points(i), index(i), out); }, "vertex");
    };
    if (sort == 0)
      each("float", [&](const Points& p, std::uint32_t i, std::string& out) {
        const auto* c = columnOf<Column<float>>(p.attributes, name);
        add(out, "{}", c ? (*c)[i] : 0.0F);
      });
    if (sort == 1)
      each("float3", [&](const Points& p, std::uint32_t i, std::string& out) {
        const auto* c = columnOf<Column<Vec3>>(p.attributes, name);
        const Vec3 v = c ? (*c)[i] : Vec3(0);
        add(out, "({}, {}, {})", v.x, v.y, v.z);
      });
    if (sort == 2)
      each("string", [&](const Points& p, std::uint32_t i, std::string& out) {
        const auto* c = columnOf<TextColumn>(p.attributes, name);
        add(out, "\"{}\"", c ? quoted(c->at(i)) : std::string());
      });
    if (sort == 3)
      each("uint64", [&](const Points& p, std::uint32_t i, std::string& out) {
        const auto* c = columnOf<Column<std::uint64_t>>(p.attributes, name);
        add(out, "{}", c ? (*c)[i] : 0);
      });
  }
}

/// Where prototypes lie: in the file, or each in one of its own.
struct Prototypes {
  UsdPrototypes way;
  exporters::Sidecars& sidecars;
  std::map<const Prop*, std::string> files;  // as seen from the main file
  std::set<std::string> names;
};

/// A prototype that is its file: put where the prop's geometry would be, its materials as they are there.
Result<void> writeDelivered(UsdaFile& file, const Prop& prop, const std::string& name, exporters::Job& job) {
  const auto found = exporters::deliveredOf(prop, job);
  if (!found) return Failure(found.error());
  const std::string from = exporters::pathFrom(job.path, found->path);
  if (from.find("@@@") != std::string::npos)
    return fail(ProblemCode::BadParameter, fmt::format("USD cannot name the file {}", from), "Rename it", job.path);
  const std::string mark = from.find('@') == std::string::npos ? "@" : "@@@";
  const std::string prim = found->prim.empty() ? std::string() : fmt::format("</{}>", found->prim);
  std::string rows;
  for (int column = 0; column < 4; ++column) {  // USD's rows are our columns
    const glm::dvec4& c = found->toProp[column];
    rows += fmt::format("{}({}, {}, {}, {})", column > 0 ? ", " : "", c.x, c.y, c.z, c.w);
  }
  // The prim that holds the transform is not the one that names the file: what that says of its own place stays.
  file.text(fmt::format(
      "            def Xform \"{0}\"\n            {{\n                def Xform \"placed\"\n                {{\n"
      "                    matrix4d xformOp:transform = ({5})\n"
      "                    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n"
      "                    def \"asset\" (\n                        prepend {1} = {2}{3}{2}{4}\n"
      "                    )\n                    {{\n                    }}\n                }}\n            }}\n",
      name, job.options.isUsdPayload ? "payload" : "references", mark, from, prim, rows));
  job.report.byReference[prop.name] = from;
  return {};
}

constexpr std::uint64_t kReadableId = 0x7fffffffffffffffULL;

/// Who is not there at which frame, by id; held from each to the next.
void writeAbsent(UsdaFile& file, const LayerFrames& over, std::size_t count,
                 const std::function<std::uint32_t(std::size_t)>& point,
                 const std::function<std::uint64_t(std::size_t)>& id) {
  std::vector<std::vector<std::size_t>> absent(over.at.size());
  std::vector<std::pair<double, std::size_t>> frames;
  for (std::size_t f = 0; f < over.at.size(); ++f) {
    for (std::size_t i = 0; i < count; ++i)
      if (!over.at[f].isThere[point(i)]) absent[f].push_back(i);
    if (f == 0 || absent[f] != absent[f - 1]) frames.emplace_back(over.frames[f], f);
  }
  if (frames.size() == 1 && absent[0].empty()) return;
  file.samples(
      "        int64[] invisibleIds", frames, [&](std::size_t f) { return absent[f].size(); },
      [&](std::size_t f, std::size_t k, std::string& out) { add(out, "{}", id(absent[f][k])); });
}

/// `path` is that of the instancer's prim, `name` its last part.
Result<void> writeLayer(UsdaFile& file, const std::vector<exporters::Group*>& groups, const std::string& path,
                        const std::string& name, const std::string& title, exporters::Job& job, Prototypes& props,
                        Materials& materials) {
  struct Placement {
    const exporters::Group* group;
    std::uint32_t point;
    std::uint32_t prototype;
  };
  Array<Placement> all;
  std::set<std::string> used;
  std::vector<std::string> prototypes;
  for (std::size_t k = 0; k < groups.size(); ++k) {
    prototypes.push_back(primName(used, groups[k]->prop->name));
    groups[k]->written = path + "/Prototypes/" + prototypes.back();
    for (const std::uint32_t i : groups[k]->points) all.push_back({groups[k], i, static_cast<std::uint32_t>(k)});
  }
  const auto points = [&](std::size_t i) -> const Points& { return *all[i].group->layer->points; };
  std::string targets;
  for (const std::string& p : prototypes)
    targets += fmt::format("{}<{}/Prototypes/{}>", targets.empty() ? "" : ", ", path, p);
  file.text(fmt::format(
      "    def PointInstancer \"{}\" (\n        displayName = \"{}\"\n    )\n    {{\n        rel prototypes = [{}]\n",
      name, quoted(title), targets));
  Box3 box;
  for (const exporters::Group* group : groups) {
    const Box3 own = group->prop->surface->bounds();  // asked once: it is behind a lock
    const Points& p = *group->layer->points;
    for (const std::uint32_t i : group->points) box.add(placedBox(own, p.position[i], p.orientation[i], p.size[i]));
  }
  const LayerFrames* over = groups.front()->layer->over.get();
  if (over)
    for (const exporters::Group* group : groups) {
      const Box3 own = group->prop->surface->bounds();
      for (const LayerFrames::At& at : over->at)
        for (const std::uint32_t i : group->points)
          if (at.isThere[i]) box.add(placedBox(own, at.position[i], at.turn[i], at.size[i]));
    }
  addExtent(file, "        ", box);
  file.list("        int[] protoIndices", all.size(),
            [&](std::size_t i, std::string& out) { add(out, "{}", all[i].prototype); });
  const auto addVector = [](std::string& out, const Vec3& v) { add(out, "({}, {}, {})", v.x, v.y, v.z); };
  const auto addTurn = [](std::string& out, const Quat& turn) {
    const Quat q = glm::normalize(turn);
    add(out, "({}, {}, {}, {})", q.w, q.x, q.y, q.z);
  };
  // What is the same at all frames is written once, and of a stretch of frames that are alike the first and the last.
  const auto place = [&](const char* head, auto ofPoints, auto ofFrame, auto write) {
    if (over) {
      const auto isSame = [&](std::size_t a, std::size_t b) {
        for (const Placement& one : all)
          if (ofFrame(over->at[a])[one.point] != ofFrame(over->at[b])[one.point]) return false;
        return true;
      };
      std::vector<std::pair<double, std::size_t>> frames;
      bool wasSame = false;
      for (std::size_t f = 0; f < over->at.size(); ++f) {
        const bool isLike = f > 0 && isSame(f - 1, f);
        if (isLike && wasSame) frames.pop_back();
        frames.emplace_back(over->frames[f], f);
        wasSame = isLike;
      }
      if (frames.size() > 2 || (frames.size() == 2 && !isSame(frames[0].second, frames[1].second)))
        return file.samples(
            head, frames, [&](std::size_t) { return all.size(); },
            [&](std::size_t f, std::size_t i, std::string& out) { write(out, ofFrame(over->at[f])[all[i].point]); });
    }
    file.list(head, all.size(),
              [&](std::size_t i, std::string& out) { write(out, ofPoints(points(i))[all[i].point]); });
  };
  place(
      "        point3f[] positions", [](const Points& p) -> const auto& { return p.position; },
      [](const LayerFrames::At& at) -> const auto& { return at.position; }, addVector);
  place(
      "        quath[] orientations", [](const Points& p) -> const auto& { return p.orientation; },
      [](const LayerFrames::At& at) -> const auto& { return at.turn; }, addTurn);
  place(
      "        float3[] scales", [](const Points& p) -> const auto& { return p.size; },
      [](const LayerFrames::At& at) -> const auto& { return at.size; }, addVector);
  if (over)
    writeAbsent(
        file, *over, all.size(), [&](std::size_t i) { return all[i].point; },
        [&](std::size_t i) { return points(i).id[all[i].point] & kReadableId; });
  // Readers take no negative ids: these are the low 63 bits.
  file.list("        int64[] ids", all.size(),
            [&](std::size_t i, std::string& out) { add(out, "{}", points(i).id[all[i].point] & kReadableId); });
  if (std::any_of(groups.begin(), groups.end(),
                  [](const exporters::Group* g) { return !PointColors(*g->layer->points).isPlain(); }))
    file.list(
        "        color3f[] primvars:displayColor", all.size(),
        [&](std::size_t i, std::string& out) {
          const Vec3 mean = meanColorOf(*all[i].group->prop->surface);
          const Vec3 c = PointColors(points(i)).apply(mean, all[i].point, mean);
          add(out, "({}, {}, {})", c.x, c.y, c.z);
        },
        "vertex");
  writeAttributes(file, job.options.attributes, all.size(), points, [&](std::size_t i) { return all[i].point; });
  file.text("        def Scope \"Prototypes\"\n        {\n");
  for (std::size_t k = 0; k < groups.size(); ++k) {
    const Prop& prop = *groups[k]->prop;
    if (prop.delivery) {
      if (auto ok = writeDelivered(file, prop, prototypes[k], job); !ok) return ok;
      continue;
    }
    if (props.way == UsdPrototypes::Inside) {
      if (auto ok = writeMesh(file, *prop.surface, prototypes[k], groups[k]->written, "            ", prop.tags,
                              materials);
          !ok)
        return ok;
      continue;
    }
    std::string& own = props.files[&prop];
    if (own.empty()) {
      const auto beside = props.sidecars.add(
          primName(props.names, prop.name), ".usda", [&](SafeFile& to) -> Result<void> {
            UsdaFile propFile(to, job.task);
            propFile.text("#usda 1.0\n(\n    defaultPrim = \"prop\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\n");
            Materials inFolder(props.sidecars, true);
            if (auto ok = writeMesh(propFile, *prop.surface, "prop", "/prop", "", prop.tags, inFolder); !ok) return ok;
            if (job.task.isCancelled()) return Failure(cancelled());
            return {};
          });
      if (!beside) return Failure(beside.error());
      own = "./" + *beside;
    }
    file.text(
        fmt::format("            def Mesh \"{}\" (\n                prepend references = @{}@\n            )\n       "
                    "     {{\n            }}\n",
                    prototypes[k], own));
  }
  file.text("        }\n    }\n");
  return {};
}

}  // namespace

Result<void> exporters::usda(Job& job) {
  const std::filesystem::path target(job.path);
  SafeFile main(job.path);
  UsdaFile file(main, job.task);
  Sidecars sidecars(job.path, true, {".usda", ".png", ".jpg"});
  Prototypes props{job.options.usdPrototypes, sidecars, {}, {}};
  Materials materials(sidecars, false);
  std::set<std::string> none;
  const std::string root = primName(none, job.options.planName.empty() ? target.stem().string() : job.options.planName);
  std::string time;
  for (const ExportLayer* layer : job.layers)
    if (layer->over && time.empty())
      time = fmt::format(
          "    endTimeCode = {1}\n    framesPerSecond = {2}\n    startTimeCode = {0}\n"
          "    timeCodesPerSecond = {2}\n",
          layer->over->frames.front(), layer->over->frames.back(), layer->over->rate);
  file.text(fmt::format(
      "#usda 1.0\n(\n    defaultPrim = \"{0}\"\n{1}    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\ndef Xform "
      "\"{0}\"\n{{\n",
      root, time));
  std::set<std::string> used;
  std::map<const ExportLayer*, std::string> prims;
  for (const ExportLayer* layer : job.layers) prims[layer] = primName(used, job.titles.at(layer));
  for (const ExportLayer* layer : job.layers) {
    std::vector<Group*> groups;
    for (Group& g : job.groups)
      if (g.layer == layer) groups.push_back(&g);
    if (groups.empty()) continue;
    const std::string& name = prims.at(layer);
    if (auto ok = writeLayer(file, groups, "/" + root + "/" + name, name, layer->name, job, props, materials); !ok)
      return ok;
  }
  for (const ExportLayer* layer : job.layers) {
    std::vector<Solid*> solids;
    for (Solid& solid : job.solids)
      if (solid.layer == layer) solids.push_back(&solid);
    if (solids.empty()) continue;
    std::string parent = "/" + root;
    const bool isOne = solids.front()->name == job.titles.at(layer);
    if (!isOne) {  // many objects, under one prim
      parent += "/" + prims.at(layer);
      file.text(fmt::format("    def Xform \"{}\"\n    {{\n", prims.at(layer)));
    }
    std::set<std::string> within;
    for (Solid* solid : solids) {
      const std::string name = isOne ? prims.at(layer) : primName(within, solid->name);
      solid->written = parent + "/" + name;
      if (auto ok = writeMesh(file, *solid->surface, name, solid->written, isOne ? "    " : "        ", {}, materials);
          !ok)
        return ok;
    }
    if (!isOne) file.text("    }\n");
  }
  file.text("}\n");
  if (job.task.isCancelled()) return Failure(cancelled());
  if (auto ok = main.commit(); !ok) return ok;
  sidecars.keep();
  job.report.files.insert(job.report.files.end(), sidecars.files().begin(), sidecars.files().end());
  return {};
}

}  // namespace arvesk
