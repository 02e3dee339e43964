// glTF 2.0 read back: nodes with meshes, instances by EXT_mesh_gpu_instancing, materials' and vertices' colors. Nodes
// are taken one by one while the text is parsed, since there may be a million.
#include "core/formats/own_words.h"
#include "core/formats/read_files.h"
#include "core/formats/readback.h"

#include "core/props/baked.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cstring>
#include <filesystem>

namespace arvesk::readback {
namespace {

using json = nlohmann::json;

struct Node {
  std::string name;
  int mesh = -1;
  Vec3 position{0};
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
  json instances;     // attribute → accessor; null where it stands once
  json factor;        // of its color; null where it has none
  std::string asset;  // the file that stands there; empty: it has a mesh
  bool isPlacement = false;
};

class File {
 public:
  /// Throws json's own exceptions, and std::out_of_range, where the file is not as glTF wants it.
  File(const std::string& path, std::string_view text, std::string_view binary)
      : m_binary(binary), m_folder(std::filesystem::path(path).parent_path()) {
    bool isInNodes = false;
    m_root = json::parse(text, [&](int depth, json::parse_event_t event, json& value) {
      if (depth == 1 && event == json::parse_event_t::key) isInNodes = value == "nodes";
      if (depth == 2 && event == json::parse_event_t::object_end && isInNodes) {
        take(value);
        return false;
      }
      return true;
    });
    if (m_root.contains("buffers") && m_root.at("buffers").at(0).contains("uri")) {
      const auto uri = m_root.at("buffers").at(0).at("uri").get<std::string>();
      m_beside = std::make_unique<MappedFile>((std::filesystem::path(path).parent_path() / pathOfUri(uri)).string());
      m_binary = m_beside->bytes();
    }
  }

  Things things(const Task& task) {
    Things out;
    for (const Node& node : m_nodes) {
      if ((node.mesh < 0 && node.asset.empty()) || task.isCancelled()) continue;
      const Shape& shape = node.mesh < 0 ? shapeOfAsset(node.asset) : shapeOf(node.mesh);
      if (!node.instances.is_null()) {
        Thing& thing = out[node.name];
        const auto at = values<Vec3>(node.instances.at("TRANSLATION"));
        const auto turn = values<Vec4>(node.instances.at("ROTATION"));
        const auto size = values<Vec3>(node.instances.at("SCALE"));
        const auto factors = node.instances.contains("_COLOR_FACTOR") ? values<Vec3>(node.instances.at("_COLOR_FACTOR"))
                                                                      : Values<Vec3>();
        if (turn.count != at.count || size.count != at.count ||
            values<glm::uvec2>(node.instances.at("_ID")).count != at.count)
          throw std::out_of_range("attributes of instances differ in length");
        for (std::size_t i = 0; i < at.count; ++i) {
          const Vec4 q = turn[i];
          place(thing, shape, at[i], Quat(q.w, q.x, q.y, q.z), size[i]);
        }
        for (std::size_t i = 0; i < factors.count; ++i) thing.addColor(factors[i]);
        continue;
      }
      if (node.isPlacement) {
        Thing& thing = out[node.name.substr(0, node.name.find_last_of(' '))];
        place(thing, shape, node.position, node.turn, node.size);
        if (!node.factor.is_null())
          thing.addColor(
              {node.factor.at(0).get<float>(), node.factor.at(1).get<float>(), node.factor.at(2).get<float>()});
        continue;
      }
      Thing& thing = out[node.name];
      thing.triangles += shape.triangles;
      thing.box.add(placedBox(shape.box, node.position, node.turn, node.size));
      thing.colors += shape.colors;
      thing.colored += shape.triangles * 3;
    }
    return out;
  }

 private:
  /// A list in the buffer; numbers may lie at any address.
  template <typename T>
  struct Values {
    std::string_view bytes;
    std::size_t count = 0;
    T operator[](std::size_t i) const {
      T value;
      std::memcpy(&value, bytes.data() + i * sizeof(T), sizeof(T));
      return value;
    }
  };
  struct Shape {
    std::uint64_t triangles = 0;
    Box3 box;
    glm::dvec3 colors{0};  // sum over the corners: the material's times the vertex's
  };

  void take(const json& value) {
    Node node;
    node.name = value.value("name", std::string());
    node.mesh = value.value("mesh", -1);
    const auto vec = [&](const char* key, auto& out) {
      const auto it = value.find(key);
      if (it == value.end()) return;
      for (int k = 0; k < out.length(); ++k) out[k] = it->at(static_cast<std::size_t>(k)).get<float>();
    };
    vec("translation", node.position);
    Vec4 turn(0, 0, 0, 1);
    vec("rotation", turn);
    node.turn = Quat(turn.w, turn.x, turn.y, turn.z);
    vec("scale", node.size);
    if (const auto extensions = value.find("extensions"); extensions != value.end())
      node.instances = extensions->at("EXT_mesh_gpu_instancing").at("attributes");
    if (const auto extras = value.find("extras"); extras != value.end()) {
      node.isPlacement = extras->contains("id");
      node.factor = extras->value("color_factor", json());
      if (const auto asset = extras->find("asset"); asset != extras->end())
        node.asset = asset->at("file").get<std::string>();
    }
    m_nodes.push_back(std::move(node));
  }

  static void place(Thing& thing, const Shape& shape, const Vec3& at, const Quat& turn, const Vec3& size) {
    ++thing.placements;
    thing.triangles += shape.triangles;
    thing.box.add(placedBox(shape.box, at, turn, size));
  }

  template <typename T>
  Values<T> values(const json& accessorNumber) const {
    const json& accessor = m_root.at("accessors").at(accessorNumber.get<std::size_t>());
    const json& view = m_root.at("bufferViews").at(accessor.at("bufferView").get<std::size_t>());
    static const std::map<std::string, std::size_t> kParts{{"SCALAR", 1}, {"VEC2", 2}, {"VEC3", 3}, {"VEC4", 4}};
    const auto type = accessor.at("componentType").get<int>();
    if ((type != 5126 && type != 5125) || kParts.at(accessor.at("type").get<std::string>()) * 4 != sizeof(T))
      throw std::out_of_range("an accessor has another type than its name asks for");
    const auto count = accessor.at("count").get<std::size_t>();
    const auto offset = view.value("byteOffset", std::size_t{0}) + accessor.value("byteOffset", std::size_t{0});
    const auto length = view.at("byteLength").get<std::size_t>();
    if (count * sizeof(T) > length || offset > m_binary.size() || length > m_binary.size() - offset)
      throw std::out_of_range("an accessor goes beyond the buffer");
    return {m_binary.substr(offset, length), count};
  }

  /// What lies in the file is not ours to read: its place counts, and that it is there.
  const Shape& shapeOfAsset(const std::string& uri) {
    const auto [it, isNew] = m_assets.try_emplace(uri);
    if (!isNew) return it->second;
    std::error_code fault;
    if (!std::filesystem::is_regular_file(m_folder / pathOfUri(uri), fault))
      throw std::out_of_range(fmt::format("{}, which it names, is not there", uri));
    it->second.box.add(Vec3(0));
    return it->second;
  }

  const Shape& shapeOf(int mesh) {
    const auto [it, isNew] = m_shapes.try_emplace(mesh);
    Shape& shape = it->second;
    if (!isNew) return shape;
    for (const json& primitive : m_root.at("meshes").at(static_cast<std::size_t>(mesh)).at("primitives")) {
      const json& attributes = primitive.at("attributes");
      const auto positions = values<Vec3>(attributes.at("POSITION"));
      const auto indices = values<std::uint32_t>(primitive.at("indices"));
      const auto colors = attributes.contains("COLOR_0") ? values<Vec4>(attributes.at("COLOR_0")) : Values<Vec4>();
      Vec3 base(1);
      if (const auto m = primitive.find("material"); m != primitive.end()) {
        const json& factor =
            m_root.at("materials").at(m->get<std::size_t>()).at("pbrMetallicRoughness").at("baseColorFactor");
        for (int k = 0; k < 3; ++k) base[k] = factor.at(static_cast<std::size_t>(k)).get<float>();
      }
      shape.triangles += indices.count / 3;
      for (std::size_t i = 0; i < indices.count; ++i) {
        const std::uint32_t v = indices[i];
        if (v >= positions.count) throw std::out_of_range("an index without a vertex");
        shape.box.add(positions[v]);
        shape.colors += glm::dvec3(colors.count > v ? base * Vec3(colors[v]) : base);
      }
    }
    return shape;
  }

  json m_root;
  std::vector<Node> m_nodes;
  std::string_view m_binary;
  std::unique_ptr<MappedFile> m_beside;
  std::map<int, Shape> m_shapes;
  std::map<std::string, Shape> m_assets;
  std::filesystem::path m_folder;
};

}  // namespace

Result<Things> gltf(const std::string& path, const Task& task) {
  const MappedFile file(path);
  if (!file.isOpen()) return wrongFile(path, "cannot be opened");
  std::string_view text = file.bytes();
  std::string_view binary;
  if (text.starts_with("glTF")) {
    const auto word = [&](std::size_t at) -> std::size_t {
      std::uint32_t value = 0;
      if (at + 4 <= text.size()) std::memcpy(&value, text.data() + at, 4);
      return value;
    };
    if (word(8) != text.size()) return wrongFile(path, "its length is not the one that it says");
    const std::size_t length = word(12);
    if (20 + length > text.size()) return wrongFile(path, "its text goes beyond the file");
    if (28 + length <= text.size()) binary = text.substr(28 + length, word(20 + length));
    text = text.substr(20, length);
  }
  try {
    return File(path, text, binary).things(task);
  } catch (const std::exception& e) { return wrongFile(path, inOwnWords(e)); }
}

}  // namespace arvesk::readback
