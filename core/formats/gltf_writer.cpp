// glTF 2.0 with EXT_mesh_gpu_instancing: one mesh per prop, one node per layer and prop. Placements are streamed to the file in
// the order in which the buffer views name them, so no second copy of them is held.
#include "core/formats/exporter.h"
#include "core/formats/safe_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <filesystem>

namespace arvesk {
namespace {

using json = nlohmann::json;
constexpr int kFloat = 5126;
constexpr int kUint = 5125;

/// Buffer views, accessors and a list of what writes their bytes.
class GltfBuffer {
 public:
  json views = json::array();
  json accessors = json::array();
  std::size_t size = 0;
  std::vector<std::function<void(SafeFile&)>> writers;

  int addView(std::size_t bytes, int target, std::function<void(SafeFile&)> writer) {
    json view{{"buffer", 0}, {"byteOffset", size}, {"byteLength", bytes}};
    if (target) view["target"] = target;
    views.push_back(view);
    const std::size_t padding = (4 - bytes % 4) % 4;
    size += bytes + padding;
    writers.push_back([writer = std::move(writer), padding](SafeFile& file) {
      writer(file);
      const std::array<char, 4> zeros{};
      file.write(zeros.data(), padding);
    });
    return static_cast<int>(views.size()) - 1;
  }
  int addAccessor(int view, int componentType, const char* type, std::size_t count) {
    accessors.push_back({{"bufferView", view}, {"componentType", componentType}, {"type", type}, {"count", count}});
    return static_cast<int>(accessors.size()) - 1;
  }
  /// An array that lives at least as long as this.
  template <typename T>
  int addArray(const Array<T>& values, int componentType, const char* type, int target) {
    const std::size_t bytes = values.size() * sizeof(T);
    return addAccessor(addView(bytes, target, [&values, bytes](SafeFile& f) { f.write(values.data(), bytes); }), componentType, type, values.size());
  }
  /// One value per point of a group, made while writing.
  template <typename T, typename Get>
  int addPerPoint(const exporters::Group& group, int componentType, const char* type, Get get) {
    const std::size_t count = group.points.size();
    const int view = addView(count * sizeof(T), 0, [&group, get](SafeFile& f) {
      std::vector<T> block;
      block.reserve(65536);
      for (const std::uint32_t i : group.points) {
        block.push_back(get(*group.layer->points, i));
        if (block.size() < 65536) continue;
        f.write(block.data(), block.size() * sizeof(T));
        block.clear();
      }
      f.write(block.data(), block.size() * sizeof(T));
    });
    return addAccessor(view, componentType, type, count);
  }
};

/// A prop's arrays in the shape that glTF wants: the triangles of each material together.
struct MeshArrays {
  SurfacePtr surface;
  std::vector<Array<std::uint32_t>> indices;  // per material
};

class GltfWriter {
 public:
  json root{{"asset", {{"version", "2.0"}, {"generator", "Arvesk"}}}};
  GltfBuffer buffer;

  int addMesh(const SurfacePtr& surface, const std::string& name) {
    auto arrays = std::make_shared<MeshArrays>();
    m_keep.push_back(arrays);
    arrays->surface = surface;
    const Surface& s = *surface;
    arrays->indices.resize(std::max<std::size_t>(1, s.materials.size()));
    for (std::size_t f = 0; f < s.faceCount(); ++f) {
      Array<std::uint32_t>& list = arrays->indices[s.faceMaterials.empty() ? 0 : s.faceMaterials[f]];
      const UVec3 t = s.triangles[f];
      list.insert(list.end(), {t.x, t.y, t.z});
    }
    constexpr int kVertices = 34962;
    constexpr int kIndices = 34963;
    json attributes;
    const int position = buffer.addArray(s.positions, kFloat, "VEC3", kVertices);
    const Box3 box = s.bounds();
    buffer.accessors[static_cast<std::size_t>(position)]["min"] = {box.min.x, box.min.y, box.min.z};
    buffer.accessors[static_cast<std::size_t>(position)]["max"] = {box.max.x, box.max.y, box.max.z};
    attributes["POSITION"] = position;
    if (!s.normals.empty()) attributes["NORMAL"] = buffer.addArray(s.normals, kFloat, "VEC3", kVertices);
    if (!s.uvs.empty()) attributes["TEXCOORD_0"] = buffer.addArray(s.uvs, kFloat, "VEC2", kVertices);
    if (!s.colors.empty()) attributes["COLOR_0"] = buffer.addArray(s.colors, kFloat, "VEC4", kVertices);
    json primitives = json::array();
    for (std::size_t m = 0; m < arrays->indices.size(); ++m) {
      if (arrays->indices[m].empty()) continue;
      json primitive{{"attributes", attributes}, {"indices", buffer.addArray(arrays->indices[m], kUint, "SCALAR", kIndices)}};
      if (m < s.materials.size()) primitive["material"] = addMaterial(s.materials[m]);
      primitives.push_back(std::move(primitive));
    }
    m_meshes.push_back({{"name", name}, {"primitives", primitives}});
    return static_cast<int>(m_meshes.size()) - 1;
  }

  int addNode(json node) {
    m_nodes.push_back(std::move(node));
    return static_cast<int>(m_nodes.size()) - 1;
  }

  Result<void> write(const std::string& path, bool isBinary, const std::vector<int>& sceneNodes, const Task& task) {
    json scene{{"name", "Arvesk"}};
    if (!sceneNodes.empty()) scene["nodes"] = sceneNodes;
    root["scenes"] = json::array({scene});
    root["scene"] = 0;
    for (const auto& [key, list] : std::initializer_list<std::pair<const char*, const json&>>{{"nodes", m_nodes}, {"meshes", m_meshes}, {"materials", m_materials},
             {"textures", m_textures}, {"images", m_images}, {"accessors", buffer.accessors}, {"bufferViews", buffer.views}})
      if (!list.empty()) root[key] = list;
    const std::filesystem::path target(path);
    const std::string binName = target.stem().string() + ".bin";
    if (buffer.size > 0) {
      json b{{"byteLength", buffer.size}};
      if (!isBinary) b["uri"] = binName;
      root["buffers"] = json::array({b});
    }
    std::string text = root.dump(-1, ' ', false, json::error_handler_t::replace);
    if (!isBinary) {
      SafeFile bin((target.parent_path() / binName).string());
      if (auto ok = writeBuffer(bin, task); !ok) return ok;
      if (auto ok = bin.commit(); !ok) return ok;
      return writeWhole(path, text);
    }
    text.append((4 - text.size() % 4) % 4, ' ');
    const std::uint64_t total = 12 + 8 + text.size() + (buffer.size > 0 ? 8 + buffer.size : 0);
    if (total > 0xffffffffULL) return fail(ProblemCode::TooMany, fmt::format("would have {} bytes, a .glb holds 4 GB at most", total), "Export as .gltf, or fewer outputs", path);
    SafeFile file(path);
    const auto word = [&](std::uint64_t v) {
      const auto w = static_cast<std::uint32_t>(v);
      file.write(&w, sizeof w);
    };
    word(0x46546c67);
    word(2);
    word(total);
    word(text.size());
    word(0x4e4f534a);
    file.write(text);
    if (buffer.size > 0) {
      word(buffer.size);
      word(0x004e4942);
      if (auto ok = writeBuffer(file, task); !ok) return ok;
    }
    return file.commit();
  }

 private:
  Result<void> writeBuffer(SafeFile& file, const Task& task) {
    for (std::size_t i = 0; i < buffer.writers.size(); ++i) {
      if (task.isCancelled()) return Failure(cancelled());
      buffer.writers[i](file);
      task.report(static_cast<float>(i + 1) / static_cast<float>(buffer.writers.size()));
    }
    return {};
  }

  int addMaterial(const Material& m) {
    json pbr{{"baseColorFactor", {m.baseColor.r, m.baseColor.g, m.baseColor.b, m.baseColor.a}}, {"roughnessFactor", m.roughness}, {"metallicFactor", m.metallic}};
    if (m.textureFile) pbr["baseColorTexture"] = {{"index", addTexture(m)}};
    json material{{"pbrMetallicRoughness", pbr}};
    if (!m.name.empty()) material["name"] = m.name;
    if (m.isTwoSided) material["doubleSided"] = true;
    m_materials.push_back(std::move(material));
    return static_cast<int>(m_materials.size()) - 1;
  }

  int addTexture(const Material& m) {
    const auto bytes = m.textureFile;
    const auto [it, isNew] = m_textureOf.emplace(bytes.get(), static_cast<int>(m_textures.size()));
    if (isNew) {
      const int view = buffer.addView(bytes->size(), 0, [bytes](SafeFile& f) { f.write(bytes->data(), bytes->size()); });
      m_images.push_back({{"bufferView", view}, {"mimeType", m.textureType}});
      m_textures.push_back({{"source", static_cast<int>(m_images.size()) - 1}});
    }
    return it->second;
  }

  std::vector<std::shared_ptr<const MeshArrays>> m_keep;
  json m_nodes = json::array();
  json m_meshes = json::array();
  json m_materials = json::array();
  json m_textures = json::array();
  json m_images = json::array();
  std::map<const void*, int> m_textureOf;
};

}  // namespace

Result<void> exporters::gltf(const std::vector<Group>& groups, const std::string& path, bool isBinary, const Task& task) {
  GltfWriter writer;
  std::map<const Prop*, int> meshes;
  std::map<const ExportLayer*, json> layers;
  std::vector<const ExportLayer*> order;
  for (const Group& g : groups) {
    const auto [it, isNew] = meshes.emplace(g.prop.get(), 0);
    if (isNew) it->second = writer.addMesh(g.prop->surface, g.prop->name);
    json attributes;
    attributes["TRANSLATION"] = writer.buffer.addPerPoint<Vec3>(g, kFloat, "VEC3", [](const Points& p, std::uint32_t i) { return p.position[i]; });
    attributes["ROTATION"] = writer.buffer.addPerPoint<Vec4>(g, kFloat, "VEC4", [](const Points& p, std::uint32_t i) {
      const Quat q = glm::normalize(p.orientation[i]);
      return Vec4(q.x, q.y, q.z, q.w);
    });
    attributes["SCALE"] = writer.buffer.addPerPoint<Vec3>(g, kFloat, "VEC3", [](const Points& p, std::uint32_t i) { return p.size[i]; });
    // Ids have 64 bits: low half first.
    attributes["_ID"] = writer.buffer.addPerPoint<glm::uvec2>(g, kUint, "VEC2", [](const Points& p, std::uint32_t i) {
      return glm::uvec2(static_cast<std::uint32_t>(p.id[i]), static_cast<std::uint32_t>(p.id[i] >> 32));
    });
    const int node = writer.addNode({{"name", g.name}, {"mesh", it->second}, {"extensions", {{"EXT_mesh_gpu_instancing", {{"attributes", attributes}}}}}});
    if (!layers.contains(g.layer)) order.push_back(g.layer);
    layers[g.layer].push_back(node);
  }
  if (!groups.empty()) {
    writer.root["extensionsUsed"] = json::array({"EXT_mesh_gpu_instancing"});
    writer.root["extensionsRequired"] = json::array({"EXT_mesh_gpu_instancing"});
  }
  std::vector<int> scene;
  for (const ExportLayer* layer : order) scene.push_back(writer.addNode({{"name", layer->name}, {"children", layers[layer]}}));
  return writer.write(path, isBinary, scene, task);
}

Result<void> exporters::glbOf(const Surface& surface, const std::string& name, const std::string& path) {
  GltfWriter writer;
  const int mesh = writer.addMesh(std::make_shared<const Surface>(surface), name);
  return writer.write(path, true, {writer.addNode({{"name", name}, {"mesh", mesh}})}, {});
}

}  // namespace arvesk
