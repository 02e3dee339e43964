// glTF 2.0: instances by EXT_mesh_gpu_instancing, plain nodes, or real geometry. Placements are streamed to the file in
// the order in which the buffer views (or the list of nodes) name them, so no second copy of them is held.
#include "core/formats/delivered.h"
#include "core/formats/exporter.h"
#include "core/formats/sidecars.h"
#include "core/props/baked.h"
#include "core/props/coloring.h"

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
  template <typename Values>
  int addArray(const Values& values, int componentType, const char* type, int target) {
    const std::size_t bytes = values.size() * sizeof(values[0]);
    return addAccessor(addView(bytes, target, [&values, bytes](SafeFile& f) { f.write(values.data(), bytes); }),
                       componentType, type, values.size());
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

/// What glTF calls an attribute that is not its own: "_WEAR".
std::string attributeName(const std::string& name) {
  std::string out = "_";
  for (const char c : name)
    out += std::isalnum(static_cast<unsigned char>(c)) ? static_cast<char>(std::toupper(static_cast<unsigned char>(c)))
                                                       : '_';
  return out;
}

/// A prop's arrays in the shape that glTF wants: the triangles of each material together.
struct MeshArrays {
  SurfacePtr surface;
  std::vector<Array<std::uint32_t>> indices;  // per material
};

class GltfWriter {
 public:
  json root{{"asset", {{"version", "2.0"}, {"generator", "Arvesk"}}}};
  GltfBuffer buffer;

  /// Nodes that are made while writing: they come first in the list, `count` of them.
  struct StreamedNodes {
    std::size_t count = 0;
    std::function<void(const std::function<void(const std::string&)>&)>
        write;  // hands over JSON objects, one after the other
  };
  StreamedNodes streamed;

  int addMesh(const SurfacePtr& surface, const std::string& name, const std::vector<std::string>& tags = {}) {
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
    std::set<std::string> taken;
    for (const auto& [key, column] : s.vertexAttributes) {
      const auto* numbers = std::get_if<Column<float>>(&column);
      if (!numbers || numbers->isConstant()) continue;
      attributes[exporters::uniqueColumn(taken, attributeName(key))] = buffer.addArray(numbers->values(), kFloat,
                                                                                       "SCALAR", kVertices);
    }
    if (!s.colors.empty()) attributes["COLOR_0"] = buffer.addArray(s.colors, kFloat, "VEC4", kVertices);
    json primitives = json::array();
    for (std::size_t m = 0; m < arrays->indices.size(); ++m) {
      if (arrays->indices[m].empty()) continue;
      json primitive{{"attributes", attributes},
                     {"indices", buffer.addArray(arrays->indices[m], kUint, "SCALAR", kIndices)}};
      // What has no material is shown in ours; glTF's own would be white.
      primitive["material"] = addMaterial(m < s.materials.size() ? s.materials[m] : Material());
      primitives.push_back(std::move(primitive));
    }
    json mesh{{"name", name}, {"primitives", primitives}};
    if (!tags.empty()) mesh["extras"] = {{"tags", tags}};
    m_meshes.push_back(std::move(mesh));
    return static_cast<int>(m_meshes.size()) - 1;
  }

  /// A mesh whose vertices are made while writing.
  int addMadeMesh(const std::string& name, json primitives) {
    m_meshes.push_back({{"name", name}, {"primitives", std::move(primitives)}});
    return static_cast<int>(m_meshes.size()) - 1;
  }

  int addNode(json node) {
    m_nodes.push_back(std::move(node));
    return static_cast<int>(streamed.count + m_nodes.size()) - 1;
  }

  /// Gives the files beside it.
  Result<std::vector<std::string>> write(const std::string& path, bool isBinary, const std::vector<int>& sceneNodes,
                                         const Task& task) {
    json scene{{"name", "Arvesk"}};
    if (!sceneNodes.empty()) scene["nodes"] = sceneNodes;
    root["scenes"] = json::array({scene});
    root["scene"] = 0;
    for (const auto& [key, list] :
         std::initializer_list<std::pair<const char*, const json&>>{{"nodes", m_nodes},
                                                                    {"meshes", m_meshes},
                                                                    {"materials", m_materials},
                                                                    {"textures", m_textures},
                                                                    {"images", m_images},
                                                                    {"accessors", buffer.accessors},
                                                                    {"bufferViews", buffer.views}})
      if (!list.empty() && !(streamed.count > 0 && std::string_view(key) == "nodes")) root[key] = list;
    SafeFile file(path);
    exporters::Sidecars sidecars(path, false, {".bin"});
    if (buffer.size > 0) {
      json b{{"byteLength", buffer.size}};
      if (!isBinary) {
        const auto name = sidecars.add({}, ".bin", [&](SafeFile& bin) {
          bin.expect(buffer.size);
          return writeBuffer(bin, task);
        });
        if (!name) return Failure(name.error());
        b["uri"] = exporters::uriOf(*name);
      }
      root["buffers"] = json::array({b});
    }
    const std::string text = root.dump(-1, ' ', false, json::error_handler_t::replace);
    // The text goes out in pieces: what is known, then nodes as they are made. Asked twice: once to measure, once to
    // write.
    const auto pieces = [&](const std::function<void(const std::string&)>& out) {
      if (streamed.count == 0) {
        out(text);
        return;
      }
      out(text.substr(0, text.size() - 1) + ",\"nodes\":[");
      bool isFirst = true;
      streamed.write([&](const std::string& node) {
        out(isFirst ? node : "," + node);
        isFirst = false;
      });
      for (const json& node : m_nodes) out("," + node.dump(-1, ' ', false, json::error_handler_t::replace));
      out("]}");
    };
    if (!isBinary) {
      pieces([&](const std::string& piece) {
        if (!task.isCancelled()) file.write(piece);
      });
      if (task.isCancelled()) return Failure(cancelled());
      if (auto ok = file.commit(); !ok) return Failure(ok.error());
      sidecars.keep();
      return sidecars.files();
    }
    std::size_t length = 0;
    pieces([&](const std::string& piece) { length += piece.size(); });
    const std::size_t padding = (4 - length % 4) % 4;
    const std::uint64_t total = 12 + 8 + length + padding + (buffer.size > 0 ? 8 + buffer.size : 0);
    if (total > 0xffffffffULL)
      return fail(ProblemCode::TooMany, fmt::format("would have {} bytes, a .glb holds 4 GB at most", total),
                  "Export as .gltf, or fewer outputs", path);
    file.expect(total);
    const auto word = [&](std::uint64_t v) {
      const auto w = static_cast<std::uint32_t>(v);
      file.write(&w, sizeof w);
    };
    word(0x46546c67);
    word(2);
    word(total);
    word(length + padding);
    word(0x4e4f534a);
    pieces([&](const std::string& piece) {
      if (!task.isCancelled()) file.write(piece);
    });
    if (task.isCancelled()) return Failure(cancelled());
    file.write(std::string(padding, ' '));
    if (buffer.size > 0) {
      word(buffer.size);
      word(0x004e4942);
      if (auto ok = writeBuffer(file, task); !ok) return Failure(ok.error());
    }
    if (auto ok = file.commit(); !ok) return Failure(ok.error());
    return sidecars.files();
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

  int addTexture(const Material& m) {
    const auto bytes = m.textureFile;
    const auto [it, isNew] = m_textureOf.emplace(bytes.get(), static_cast<int>(m_textures.size()));
    if (isNew) {
      const int view = buffer.addView(bytes->size(), 0,
                                      [bytes](SafeFile& f) { f.write(bytes->data(), bytes->size()); });
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
  std::map<std::string, int> m_materialOf;  // by all that it says

 public:
  /// Equal materials are one, however many props bring them.
  int addMaterial(const Material& m) {
    json pbr{{"baseColorFactor", {m.baseColor.r, m.baseColor.g, m.baseColor.b, m.baseColor.a}},
             {"roughnessFactor", m.roughness},
             {"metallicFactor", m.metallic}};
    if (m.textureFile) pbr["baseColorTexture"] = {{"index", addTexture(m)}};
    json material{{"pbrMetallicRoughness", pbr}};
    if (!m.name.empty()) material["name"] = m.name;
    if (m.isTwoSided) material["doubleSided"] = true;
    if (m.isBlended) {
      material["alphaMode"] = "BLEND";
    } else if (m.cutBelow > 0) {
      material["alphaMode"] = "MASK";
      material["alphaCutoff"] = m.cutBelow;
    }
    const auto [it, isNew] = m_materialOf.emplace(material.dump(-1, ' ', false, json::error_handler_t::replace),
                                                  static_cast<int>(m_materials.size()));
    if (isNew) m_materials.push_back(std::move(material));
    return it->second;
  }
};

using exporters::Group;
using exporters::Job;

/// Values of the chosen attributes as accessors, by the names that glTF gives to what is not its own.
void addAttributes(GltfWriter& writer, const Group& g, const std::vector<std::string>& names, json& attributes,
                   json& texts) {
  std::set<std::string> taken{"_ID", "_COLOR_FACTOR"};
  for (const std::string& name : names) {
    const auto it = g.layer->points->attributes.find(name);
    if (it == g.layer->points->attributes.end()) continue;
    const std::string key = exporters::uniqueColumn(taken, attributeName(name));
    if (std::holds_alternative<Column<float>>(it->second))
      attributes[key] = writer.buffer.addPerPoint<float>(g, kFloat, "SCALAR", [name](const Points& p, std::uint32_t i) {
        return std::get<Column<float>>(p.attributes.at(name))[i];
      });
    if (std::holds_alternative<Column<Vec3>>(it->second))
      attributes[key] = writer.buffer.addPerPoint<Vec3>(g, kFloat, "VEC3", [name](const Points& p, std::uint32_t i) {
        return std::get<Column<Vec3>>(p.attributes.at(name))[i];
      });
    if (const auto* words = std::get_if<TextColumn>(&it->second)) {  // by number; the list stands in the node's extras
      attributes[key] = writer.buffer.addPerPoint<std::uint32_t>(
          g, kUint, "SCALAR",
          [name](const Points& p, std::uint32_t i) { return std::get<TextColumn>(p.attributes.at(name)).index[i]; });
      texts[key] = *words->names;
    }
    if (std::holds_alternative<Column<std::uint64_t>>(it->second))
      attributes[key] = writer.buffer.addPerPoint<glm::uvec2>(
          g, kUint, "VEC2", [name](const Points& p, std::uint32_t i) {
            const std::uint64_t id = std::get<Column<std::uint64_t>>(p.attributes.at(name))[i];
            return glm::uvec2(static_cast<std::uint32_t>(id), static_cast<std::uint32_t>(id >> 32));
          });
  }
}

/// What stands for the geometry of props by reference: the copied file, and how it comes to stand as the prop.
using Assets = std::map<const Prop*, json>;
Result<Assets> addAssets(Job& job, exporters::AssetFolder& folder) {
  Assets out;
  for (const Group& g : job.groups) {
    if (!g.prop->delivery || out.contains(g.prop.get())) continue;
    const auto found = exporters::deliveredOf(*g.prop, job);
    if (!found) return Failure(found.error());
    const auto file = folder.copy(*g.prop, *found);
    if (!file) return Failure(file.error());
    const exporters::Placing p = exporters::placingOf(found->toProp);
    out[g.prop.get()] = {{"file", exporters::uriOf(*file)},
                         {"translation", {p.position.x, p.position.y, p.position.z}},
                         {"rotation", {p.turn.x, p.turn.y, p.turn.z, p.turn.w}},
                         {"scale", {p.size, p.size, p.size}}};
    job.report.byReference[g.prop->name] = *file;
  }
  return out;
}

/// One mesh per prop, for all groups; of those by reference there is none.
std::map<const Prop*, int> addMeshes(GltfWriter& writer, const Job& job) {
  std::map<const Prop*, int> meshes;
  std::map<std::string, int> names;
  for (const Group& g : job.groups)
    if (!g.prop->delivery && !meshes.contains(g.prop.get()))
      meshes[g.prop.get()] = writer.addMesh(g.prop->surface, exporters::uniqueName(names, g.prop->name), g.prop->tags);
  return meshes;
}

Result<void> writeInstances(GltfWriter& writer, Job& job, exporters::AssetFolder& folder,
                            std::map<const ExportLayer*, json>& children) {
  const auto assets = addAssets(job, folder);
  if (!assets) return Failure(assets.error());
  const std::map<const Prop*, int> meshes = addMeshes(writer, job);
  for (Group& g : job.groups) {
    g.written = g.name;
    json attributes;
    attributes["TRANSLATION"] = writer.buffer.addPerPoint<Vec3>(
        g, kFloat, "VEC3", [](const Points& p, std::uint32_t i) { return p.position[i]; });
    attributes["ROTATION"] = writer.buffer.addPerPoint<Vec4>(g, kFloat, "VEC4", [](const Points& p, std::uint32_t i) {
      const Quat q = glm::normalize(p.orientation[i]);
      return Vec4(q.x, q.y, q.z, q.w);
    });
    attributes["SCALE"] = writer.buffer.addPerPoint<Vec3>(g, kFloat, "VEC3",
                                                          [](const Points& p, std::uint32_t i) { return p.size[i]; });
    // Ids have 64 bits: low half first.
    attributes["_ID"] = writer.buffer.addPerPoint<glm::uvec2>(g, kUint, "VEC2", [](const Points& p, std::uint32_t i) {
      return glm::uvec2(static_cast<std::uint32_t>(p.id[i]), static_cast<std::uint32_t>(p.id[i] >> 32));
    });
    if (!PointColors(*g.layer->points).isPlain()) {
      const Vec3 mean = meanColorOf(*g.prop->surface);
      attributes["_COLOR_FACTOR"] = writer.buffer.addPerPoint<Vec3>(
          g, kFloat, "VEC3", [mean](const Points& p, std::uint32_t i) { return PointColors(p).factor(i, mean); });
    }
    json texts = json::object();
    addAttributes(writer, g, job.options.attributes, attributes, texts);
    json node{{"name", g.name}, {"extensions", {{"EXT_mesh_gpu_instancing", {{"attributes", attributes}}}}}};
    if (!texts.empty()) node["extras"] = {{"texts", texts}};
    if (const auto asset = assets->find(g.prop.get()); asset != assets->end())
      node["extras"]["asset"] = asset->second;
    else
      node["mesh"] = meshes.at(g.prop.get());
    children[g.layer].push_back(writer.addNode(std::move(node)));
  }
  if (job.groups.empty()) return {};
  writer.root["extensionsUsed"] = json::array({"EXT_mesh_gpu_instancing"});
  writer.root["extensionsRequired"] = json::array({"EXT_mesh_gpu_instancing"});
  return {};
}

/// A placement's color and chosen attributes, as they follow the id in a node's extras.
std::string extrasOf(const Group& g, const PointColors& colors, const Vec3& mean, const std::vector<std::string>& names,
                     std::uint32_t i) {
  std::string out;
  std::set<std::string> taken{"id", "color_factor", "asset"};
  if (!colors.isPlain()) {
    const Vec3 f = colors.factor(i, mean);
    out += fmt::format(",\"color_factor\":[{},{},{}]", f.x, f.y, f.z);
  }
  for (const std::string& name : names) {
    const auto it = g.layer->points->attributes.find(name);
    if (it == g.layer->points->attributes.end()) continue;
    json value;
    if (const auto* number = std::get_if<Column<float>>(&it->second)) value = (*number)[i];
    if (const auto* words = std::get_if<TextColumn>(&it->second)) value = words->at(i);
    if (const auto* ids = std::get_if<Column<std::uint64_t>>(&it->second)) value = std::to_string((*ids)[i]);
    if (const auto* vector = std::get_if<Column<Vec3>>(&it->second)) {
      const Vec3 v = (*vector)[i];
      value = {v.x, v.y, v.z};
    }
    out += fmt::format(",{}:{}",
                       json(exporters::uniqueColumn(taken, name)).dump(-1, ' ', false, json::error_handler_t::replace),
                       value.dump(-1, ' ', false, json::error_handler_t::replace));
  }
  return out;
}

Result<void> writeNodes(GltfWriter& writer, Job& job, exporters::AssetFolder& folder) {
  const auto assets = addAssets(job, folder);
  if (!assets) return Failure(assets.error());
  const std::map<const Prop*, int> meshes = addMeshes(writer, job);
  std::size_t placements = 0;
  for (Group& g : job.groups) {
    g.written = g.name;
    placements += g.points.size();
  }
  // First all placements, then a node per output that holds a run of them: both made while writing.
  std::vector<const ExportLayer*> layers;
  for (const Group& g : job.groups)
    if (layers.empty() || layers.back() != g.layer) layers.push_back(g.layer);
  writer.streamed.count = placements + layers.size();
  writer.streamed.write = [&job, meshes, assets = *assets, layers](const std::function<void(const std::string&)>& out) {
    for (const Group& g : job.groups) {
      const Points& p = *g.layer->points;
      const std::string name = json(g.name).dump(-1, ' ', false, json::error_handler_t::replace);
      const auto asset = assets.find(g.prop.get());
      const std::string mesh = asset == assets.end() ? fmt::format(",\"mesh\":{}", meshes.at(g.prop.get()))
                                                     : std::string();
      const std::string stands = asset == assets.end() ? std::string() : ",\"asset\":" + asset->second.dump();
      const PointColors colors(p);
      const Vec3 mean = meanColorOf(*g.prop->surface);
      for (const std::uint32_t i : g.points) {
        const Quat q = glm::normalize(p.orientation[i]);
        const Vec3 at = p.position[i];
        const Vec3 s = p.size[i];
        out(
            fmt::format("{{\"name\":{} "
                        "{}\"{},\"translation\":[{},{},{}],\"rotation\":[{},{},{},{}],\"scale\":[{},{},{}],"
                        "\"extras\":{{\"id\":\"{}\"{}{}}}}}",
                        name.substr(0, name.size() - 1), p.id[i], mesh, at.x, at.y, at.z, q.x, q.y, q.z, q.w, s.x, s.y,
                        s.z, p.id[i], stands, extrasOf(g, colors, mean, job.options.attributes, i)));
      }
    }
    std::size_t first = 0;
    for (const ExportLayer* layer : layers) {
      std::string node = fmt::format("{{\"name\":{},\"children\":[",
                                     json(job.titles.at(layer)).dump(-1, ' ', false, json::error_handler_t::replace));
      std::size_t count = 0;
      for (const Group& g : job.groups)
        if (g.layer == layer) count += g.points.size();
      for (std::size_t k = 0; k < count; ++k) {
        if (k > 0) node += ',';
        node += std::to_string(first + k);
      }
      first += count;
      out(node + "]}");
    }
  };
  return {};
}

/// Placements that move, as channels of one animation. glTF has no visibility: what is not there has size 0 and comes
/// and goes at a step.
void addMotion(GltfWriter& writer, Job& job) {
  json samplers = json::array();
  json channels = json::array();
  std::optional<int> times;
  std::size_t node = 0;
  for (const Group& g : job.groups) {
    const std::shared_ptr<const LayerFrames> over = g.layer->over;
    if (!over) {
      node += g.points.size();
      continue;
    }
    if (!times) {
      const auto view = writer.buffer.addView(over->frames.size() * sizeof(float), 0, [over](SafeFile& f) {
        for (const double frame : over->frames) {
          const auto seconds = static_cast<float>((frame - over->frames.front()) / over->rate);
          f.write(&seconds, sizeof seconds);
        }
      });
      times = writer.buffer.addAccessor(view, kFloat, "SCALAR", over->frames.size());
      json& accessor = writer.buffer.accessors[static_cast<std::size_t>(*times)];
      accessor["min"] = {0.0F};
      accessor["max"] = {static_cast<float>((over->frames.back() - over->frames.front()) / over->rate)};
    }
    // One view for each sort of value, one accessor in it for each placement that has it.
    const auto add = [&](const char* path, const char* type, auto valueAt, auto isStep) {
      using T = decltype(valueAt(over->at[0], std::uint32_t{}));
      auto moving = std::make_shared<std::vector<std::uint32_t>>();
      std::vector<std::size_t> nodes;
      for (std::size_t k = 0; k < g.points.size(); ++k)
        for (std::size_t f = 1; f < over->at.size(); ++f)
          if (valueAt(over->at[f], g.points[k]) != valueAt(over->at[0], g.points[k])) {
            moving->push_back(g.points[k]);
            nodes.push_back(node + k);
            break;
          }
      if (moving->empty()) return;
      const std::size_t each = over->at.size() * sizeof(T);
      const int view = writer.buffer.addView(moving->size() * each, 0, [over, moving, valueAt](SafeFile& f) {
        std::vector<T> block(over->at.size());
        for (const std::uint32_t i : *moving) {
          for (std::size_t k = 0; k < block.size(); ++k) block[k] = valueAt(over->at[k], i);
          f.write(block.data(), block.size() * sizeof(T));
        }
      });
      for (std::size_t k = 0; k < moving->size(); ++k) {
        const int output = writer.buffer.addAccessor(view, kFloat, type, over->at.size());
        if (k > 0) writer.buffer.accessors[static_cast<std::size_t>(output)]["byteOffset"] = k * each;
        samplers.push_back(
            {{"input", *times}, {"output", output}, {"interpolation", isStep((*moving)[k]) ? "STEP" : "LINEAR"}});
        channels.push_back({{"sampler", samplers.size() - 1}, {"target", {{"node", nodes[k]}, {"path", path}}}});
      }
    };
    const auto never = [](std::uint32_t) { return false; };
    add(
        "translation", "VEC3", [](const LayerFrames::At& at, std::uint32_t i) { return at.position[i]; }, never);
    add(
        "rotation", "VEC4",
        [](const LayerFrames::At& at, std::uint32_t i) {
          const Quat q = glm::normalize(at.turn[i]);
          return Vec4(q.x, q.y, q.z, q.w);
        },
        never);
    add(
        "scale", "VEC3",
        [](const LayerFrames::At& at, std::uint32_t i) { return at.isThere[i] ? at.size[i] : Vec3(0); },
        [&](std::uint32_t i) {
          return std::any_of(over->at.begin(), over->at.end(), [&](const auto& at) { return !at.isThere[i]; });
        });
    node += g.points.size();
  }
  if (channels.empty()) return;
  writer.root["animations"] = json::array(
      {{{"name", "frames"}, {"samplers", std::move(samplers)}, {"channels", std::move(channels)}}});
}

/// The real geometry of one group: vertices made while writing, one accessor each for place, normal, uv and color.
class GroupGeometry {
 public:
  GroupGeometry(GltfWriter& writer, Job& job, const Group& group)
      : m_writer(writer),
        m_job(job),
        m_group(group),
        m_surface(group.prop->surface),
        m_count(m_surface->positions.size() * group.points.size()),
        m_isColored(!PointColors(*group.layer->points).isPlain()) {}

  json primitives() {
    const std::vector<int> materials = addMaterials();
    const json attributes = addAttributes();
    const Surface& s = *m_surface;
    json out = json::array();
    for (std::size_t m = 0; m < std::max<std::size_t>(1, s.materials.size()); ++m) {
      auto faces = std::make_shared<Array<std::uint32_t>>();
      for (std::size_t f = 0; f < s.faceCount(); ++f)
        if ((s.faceMaterials.empty() ? 0 : s.faceMaterials[f]) == m) faces->push_back(static_cast<std::uint32_t>(f));
      if (faces->empty()) continue;
      json primitive{{"attributes", attributes}, {"indices", addIndices(faces)}};
      primitive["material"] = materials[m];
      out.push_back(std::move(primitive));
    }
    return out;
  }

 private:
  GltfWriter& m_writer;
  Job& m_job;
  const Group& m_group;
  SurfacePtr m_surface;
  std::size_t m_count;
  bool m_isColored;  // copies whose color is in the vertices; materials without a texture are white below it

  /// Blocks of what `make(group, copy, out)` adds for each copy.
  template <typename T, typename Make>
  int addBlocks(std::size_t count, int target, Make make) {
    return m_writer.buffer.addView(count * sizeof(T), target, [group = &m_group, make](SafeFile& f) {
      std::vector<T> block;
      for (std::size_t k = 0; k < group->points.size(); ++k) {
        make(k, block);
        if (block.size() < 65536) continue;
        f.write(block.data(), block.size() * sizeof(T));
        block.clear();
      }
      f.write(block.data(), block.size() * sizeof(T));
    });
  }

  /// Every copy of a vertex: `make(place, turn, size, vertex)`.
  template <typename Make>
  int perVertex(const char* type, Make make) {
    using T = decltype(make(Vec3(), Quat(), Vec3(), std::size_t{}));
    const int view = addBlocks<T>(m_count, 34962, [group = &m_group, make](std::size_t k, std::vector<T>& block) {
      const Points& p = *group->layer->points;
      const std::uint32_t i = group->points[k];
      for (std::size_t v = 0; v < group->prop->surface->positions.size(); ++v)
        block.push_back(make(p.position[i], p.orientation[i], p.size[i], v));
    });
    return m_writer.buffer.addAccessor(view, kFloat, type, m_count);
  }

  std::vector<int> addMaterials() {
    const Surface& s = *m_surface;
    std::vector<std::uint8_t> isUsed(std::max<std::size_t>(1, s.materials.size()), s.faceMaterials.empty());
    for (const std::uint16_t m : s.faceMaterials) isUsed[m] = 1;
    std::vector<int> of;
    for (std::size_t m = 0; m < isUsed.size(); ++m) {
      Material material = m < s.materials.size() ? s.materials[m] : Material();
      if (m_isColored && !material.textureFile) material.baseColor = Vec4(1, 1, 1, material.baseColor.a);
      if (m_isColored && material.textureFile) m_job.report.approximateColors.insert(m_group.prop->name);
      of.push_back(isUsed[m] ? m_writer.addMaterial(material) : -1);
    }
    return of;
  }

  json addAttributes() {
    const Surface& s = *m_surface;
    const SurfacePtr surface = m_surface;
    json attributes;
    attributes["POSITION"] = addPositions();
    if (!s.normals.empty())
      attributes["NORMAL"] = perVertex("VEC3", [surface](const Vec3&, const Quat& q, const Vec3& size, std::size_t v) {
        return placedNormal(surface->normals[v], q, size);
      });
    if (!s.uvs.empty())
      attributes["TEXCOORD_0"] = perVertex(
          "VEC2", [surface](const Vec3&, const Quat&, const Vec3&, std::size_t v) { return surface->uvs[v]; });
    std::set<std::string> taken;
    for (const auto& [key, column] : s.vertexAttributes)
      if (const auto* numbers = std::get_if<Column<float>>(&column); numbers && !numbers->isConstant())
        attributes[exporters::uniqueColumn(taken, attributeName(key))] = perVertex(
            "SCALAR",
            [numbers = *numbers](const Vec3&, const Quat&, const Vec3&, std::size_t v) { return numbers[v]; });
    if (m_isColored)
      attributes["COLOR_0"] = addColors();
    else if (!s.colors.empty())
      attributes["COLOR_0"] = perVertex(
          "VEC4", [surface](const Vec3&, const Quat&, const Vec3&, std::size_t v) { return surface->colors[v]; });
    return attributes;
  }

  int addPositions() {
    const auto place = [surface = m_surface](const Vec3& at, const Quat& q, const Vec3& size, std::size_t v) {
      return at + q * (size * surface->positions[v]);
    };
    const int position = perVertex("VEC3", place);
    const Points& p = *m_group.layer->points;
    Box3 box;
    for (const std::uint32_t i : m_group.points)
      for (std::size_t v = 0; v < m_surface->positions.size(); ++v)
        box.add(place(p.position[i], p.orientation[i], p.size[i], v));
    json& accessor = m_writer.buffer.accessors[static_cast<std::size_t>(position)];
    accessor["min"] = {box.min.x, box.min.y, box.min.z};
    accessor["max"] = {box.max.x, box.max.y, box.max.z};
    return position;
  }

  int addColors() {
    const Surface& s = *m_surface;
    const Vec3 mean = meanColorOf(s);
    auto base = std::make_shared<Array<Vec3>>(materialColors(s));
    auto isTextured = std::make_shared<std::vector<std::uint8_t>>(s.positions.size(), 0);
    for (std::size_t f = 0; f < s.faceCount(); ++f)
      if (s.materialOf(f).textureFile)
        for (int k = 0; k < 3; ++k) (*isTextured)[s.triangles[f][k]] = 1;
    const auto colors = std::make_shared<PointColors>(*m_group.layer->points);
    const int view = addBlocks<Vec4>(m_count, 34962,
                                     [group = &m_group, &report = m_job.report, surface = m_surface, base, isTextured,
                                      mean, colors](std::size_t k, std::vector<Vec4>& block) {
                                       const std::uint32_t i = group->points[k];
                                       for (std::size_t v = 0; v < surface->positions.size(); ++v) {
                                         const Vec4 own = surface->colors.empty() ? Vec4(1) : surface->colors[v];
                                         const Vec3 c = (*isTextured)[v]
                                                            ? Vec3(own) * colors->factor(i, mean)
                                                            : colors->apply((*base)[v] * Vec3(own), i, mean);
                                         block.emplace_back(exporters::heldColor(report, c), own.a);
                                       }
                                     });
    return m_writer.buffer.addAccessor(view, kFloat, "VEC4", m_count);
  }

  int addIndices(const std::shared_ptr<Array<std::uint32_t>>& faces) {
    const std::size_t triangles = faces->size() * m_group.points.size();
    const int view = addBlocks<UVec3>(
        triangles, 34963, [group = &m_group, surface = m_surface, faces](std::size_t k, std::vector<UVec3>& block) {
          const bool isMirrored = isMirroring(group->layer->points->size[group->points[k]]);
          for (const std::uint32_t f : *faces) {
            UVec3 t = surface->triangles[f] + UVec3(static_cast<std::uint32_t>(k * surface->positions.size()));
            if (isMirrored) std::swap(t.y, t.z);
            block.push_back(t);
          }
        });
    return m_writer.buffer.addAccessor(view, kUint, "SCALAR", triangles * 3);
  }
};

Result<void> writeGeometry(GltfWriter& writer, Job& job, std::map<const ExportLayer*, json>& children) {
  if (auto ok = exporters::guardGeometry(job); !ok) return Failure(ok.error());
  for (Group& g : job.groups) {
    g.written = g.name;
    const std::size_t count = g.prop->surface->positions.size() * g.points.size();
    if (count > 0xfffffff0ULL)
      return fail(ProblemCode::TooMany,
                  fmt::format("{} would have {} vertices, a mesh holds 4,294,967,280 at most", g.name, count),
                  "Export instances", job.path);
    const int mesh = writer.addMadeMesh(g.name, GroupGeometry(writer, job, g).primitives());
    children[g.layer].push_back(writer.addNode({{"name", g.name}, {"mesh", mesh}}));
  }
  return {};
}

}  // namespace

Result<void> exporters::gltf(Job& job, bool isBinary) {
  GltfWriter writer;
  std::map<const ExportLayer*, json> children;
  std::vector<int> scene;
  AssetFolder folder(job);
  switch (job.options.gltfWay) {
    case GltfWay::Instances:
      if (auto ok = writeInstances(writer, job, folder, children); !ok) return ok;
      break;
    case GltfWay::Nodes:
      if (auto ok = writeNodes(writer, job, folder); !ok) return ok;
      break;
    case GltfWay::Mesh:
      if (auto ok = writeGeometry(writer, job, children); !ok) return ok;
      break;
  }
  if (job.options.gltfWay == GltfWay::Nodes) {
    addMotion(writer, job);
    std::size_t placements = 0;
    for (const Group& g : job.groups) placements += g.points.size();
    for (std::size_t i = placements; i < writer.streamed.count; ++i) scene.push_back(static_cast<int>(i));
  }
  for (exporters::Solid& solid : job.solids) {
    solid.written = solid.name;
    const int node = writer.addNode({{"name", solid.name}, {"mesh", writer.addMesh(solid.surface, solid.name)}});
    if (solid.name == job.titles.at(solid.layer))
      scene.push_back(node);
    else
      children[solid.layer].push_back(node);  // one of many
  }
  for (const ExportLayer* layer : job.layers)
    if (children.contains(layer))
      scene.push_back(writer.addNode({{"name", job.titles.at(layer)}, {"children", children[layer]}}));
  const auto beside = writer.write(job.path, isBinary, scene, job.task);
  if (!beside) return Failure(beside.error());
  folder.keep();
  job.report.files.insert(job.report.files.end(), beside->begin(), beside->end());
  return {};
}

Result<void> exporters::glbOf(const std::vector<SceneItem>& items, const std::string& path) {
  GltfWriter writer;
  std::vector<int> roots;
  std::map<std::string, json> parents;
  for (const SceneItem& item : items) {
    json node{{"name", item.name}};
    if (item.surface) node["mesh"] = writer.addMesh(item.surface, item.name);
    if (item.position != Vec3(0)) node["translation"] = {item.position.x, item.position.y, item.position.z};
    if (item.turn != Quat(1, 0, 0, 0)) node["rotation"] = {item.turn.x, item.turn.y, item.turn.z, item.turn.w};
    if (item.size != Vec3(1)) node["scale"] = {item.size.x, item.size.y, item.size.z};
    const int index = writer.addNode(std::move(node));
    if (item.under.empty())
      roots.push_back(index);
    else
      parents[item.under].push_back(index);
  }
  for (const auto& [name, list] : parents) roots.push_back(writer.addNode({{"name", name}, {"children", list}}));
  if (auto ok = writer.write(path, true, roots, {}); !ok) return Failure(ok.error());
  return {};
}

}  // namespace arvesk
