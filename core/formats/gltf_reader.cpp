// glTF 2.0 by tinygltf, without its image loader, and with our own checks of every accessor and reference, which it
// does not do.
#include "core/base/safe_file.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/own_words.h"
#include "core/formats/polygons.h"
#include "core/formats/tinygltf.h"
#include "core/geometry/motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <functional>

namespace arvesk {
namespace {

Failure bad(std::string message) {
  return fail(ProblemCode::FileUnreadable, "glTF: " + std::move(message),
              "Check the file with a glTF validator, or export it again");
}

/// Keeps the bytes of images as they are in the file.
bool keepImageBytes(tinygltf::Image* image, const int, std::string*, std::string*, int, int, const unsigned char* bytes,
                    int size, void*) {
  if (size > 0) image->image.assign(bytes, bytes + size);
  return true;
}

/// What the library asks for beside the file comes by way of `files`.
tinygltf::FsCallbacks filesBeside(ReadFiles& files) {
  return {[](const std::string& path, void* data) { return static_cast<ReadFiles*>(data)->find(path).has_value(); },
          [](const std::string& path, void*) { return path; },
          [](std::vector<unsigned char>* out, std::string* error, const std::string& path, void* data) {
            const auto found = static_cast<ReadFiles*>(data)->find(path);
            const auto bytes = readWhole(found.value_or(path), std::size_t{4} << 30);
            if (!bytes) {
              *error += path + ": " + bytes.error().message;
              return false;
            }
            out->assign(bytes->begin(), bytes->end());
            return true;
          },
          nullptr, &files};
}

bool isCompression(const std::string& extension) {
  return extension == "KHR_draco_mesh_compression" || extension == "EXT_meshopt_compression";
}

Failure compressed(const std::string& extension) {
  return fail(ProblemCode::FileUnreadable, fmt::format("its meshes are compressed ({}), which is not read", extension),
              "Export the file again without compression of meshes");
}

Result<tinygltf::Model> load(const std::string& path, ReadFiles& files) {
  const auto bytes = readWhole(path, std::size_t{4} << 30);
  if (!bytes) return Failure(bytes.error());
  tinygltf::TinyGLTF loader;
  loader.SetImageLoader(&keepImageBytes, nullptr);
  loader.SetFsCallbacks(filesBeside(files));
  tinygltf::Model model;
  std::string error;
  std::string warning;
  const bool isBinary = bytes->size() >= 4 && std::memcmp(bytes->data(), "glTF", 4) == 0;
  if (bytes->size() > std::numeric_limits<unsigned>::max()) return bad("is larger than 4 GB");
  const auto size = static_cast<unsigned>(bytes->size());
  const std::size_t slash = path.find_last_of('/');
  const std::string folder = slash == std::string::npos ? "." : path.substr(0, slash);
  bool ok = false;
  try {
    ok = isBinary ? loader.LoadBinaryFromMemory(&model, &error, &warning,
                                                reinterpret_cast<const unsigned char*>(bytes->data()), size, folder)
                  : loader.LoadASCIIFromString(&model, &error, &warning, bytes->data(), size, folder);
  } catch (const std::logic_error& e) {  // of a buffer that has a length and no bytes
    return bad(inOwnWords(e));
  }
  if (!ok) return bad(inOwnWords(error));
  for (const std::string& needed : model.extensionsRequired)
    if (isCompression(needed)) return compressed(needed);
  return model;
}

/// Numbers that `a`, or a part of accessor `index`, lays out, row by row, as double; all bounds are checked before a
/// byte is read.
Result<std::vector<double>> rowsOf(const tinygltf::Model& m, const tinygltf::Accessor& a, int index, int components) {
  if (tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(a.type)) != components)
    return bad(fmt::format("accessor {} has another number of components than {}", index, components));
  const int size = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.componentType));
  if (size <= 0) return bad(fmt::format("accessor {} has an unknown component type", index));
  if (a.bufferView < 0) {  // zeros, as the standard says; a file that is compressed has its numbers elsewhere
    const auto it = std::find_if(m.extensionsUsed.begin(), m.extensionsUsed.end(), isCompression);
    if (it != m.extensionsUsed.end()) return compressed(*it);
    if (a.count > 100'000'000) return bad(fmt::format("accessor {} has {} zeros", index, a.count));
    return std::vector<double>(a.count * static_cast<std::size_t>(components), 0.0);
  }
  if (static_cast<std::size_t>(a.bufferView) >= m.bufferViews.size())
    return bad(fmt::format("accessor {} has no buffer view", index));
  const tinygltf::BufferView& view = m.bufferViews[static_cast<std::size_t>(a.bufferView)];
  if (view.buffer < 0 || static_cast<std::size_t>(view.buffer) >= m.buffers.size())
    return bad(fmt::format("buffer view {} has no buffer", a.bufferView));
  const std::vector<unsigned char>& bytes = m.buffers[static_cast<std::size_t>(view.buffer)].data;
  const std::size_t row = static_cast<std::size_t>(components) * static_cast<std::size_t>(size);
  const std::size_t stride = view.byteStride == 0 ? row : view.byteStride;
  if (view.byteOffset > bytes.size() || view.byteLength > bytes.size() - view.byteOffset)
    return bad(fmt::format("buffer view {} goes past the end of its buffer", a.bufferView));
  if (a.count > 0 &&
      (a.byteOffset > view.byteLength || stride < row || (a.count - 1) > (view.byteLength - a.byteOffset) / stride ||
       (a.count - 1) * stride + row > view.byteLength - a.byteOffset))
    return bad(fmt::format("accessor {} goes past the end of its buffer view", index));
  std::vector<double> out(a.count * static_cast<std::size_t>(components));
  const unsigned char* start = bytes.data() + view.byteOffset + a.byteOffset;
  const auto scaled = [&](double v, double most) { return a.normalized ? std::max(-1.0, v / most) : v; };
  for (std::size_t i = 0; i < a.count; ++i) {
    for (std::size_t c = 0; c < static_cast<std::size_t>(components); ++c) {
      const unsigned char* raw = start + i * stride + c * static_cast<std::size_t>(size);
      double& v = out[i * static_cast<std::size_t>(components) + c];
      const auto as = [&](auto type) {
        std::memcpy(&type, raw, sizeof type);
        return static_cast<double>(type);
      };
      switch (a.componentType) {
        case TINYGLTF_COMPONENT_TYPE_BYTE: v = scaled(as(std::int8_t{}), 127); break;
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: v = scaled(as(std::uint8_t{}), 255); break;
        case TINYGLTF_COMPONENT_TYPE_SHORT: v = scaled(as(std::int16_t{}), 32767); break;
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: v = scaled(as(std::uint16_t{}), 65535); break;
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: v = as(std::uint32_t{}); break;
        case TINYGLTF_COMPONENT_TYPE_FLOAT: v = as(float{}); break;
        case TINYGLTF_COMPONENT_TYPE_DOUBLE: v = as(double{}); break;
        default: return bad(fmt::format("accessor {} has an unknown component type", index));
      }
    }
  }
  return out;
}

/// Numbers of an accessor, row by row, as double. Where it says so, some rows take the place of what it holds else
/// (glTF 2.0, 3.6.2.3).
Result<std::vector<double>> numbersOf(const tinygltf::Model& m, int index, int components) {
  if (index < 0 || static_cast<std::size_t>(index) >= m.accessors.size())
    return bad(fmt::format("accessor {} is not there", index));
  const tinygltf::Accessor& a = m.accessors[static_cast<std::size_t>(index)];
  auto out = rowsOf(m, a, index, components);
  if (!out || !a.sparse.isSparse) return out;
  const auto& sparse = a.sparse;
  if (sparse.count < 0 || sparse.indices.bufferView < 0 || sparse.values.bufferView < 0 ||
      sparse.indices.byteOffset < 0 || sparse.values.byteOffset < 0)
    return bad(fmt::format("accessor {} does not say which of its rows are written", index));
  tinygltf::Accessor rows;
  rows.bufferView = sparse.indices.bufferView;
  rows.byteOffset = static_cast<std::size_t>(sparse.indices.byteOffset);
  rows.componentType = sparse.indices.componentType;
  rows.type = TINYGLTF_TYPE_SCALAR;
  rows.count = static_cast<std::size_t>(sparse.count);
  tinygltf::Accessor values = a;
  values.bufferView = sparse.values.bufferView;
  values.byteOffset = static_cast<std::size_t>(sparse.values.byteOffset);
  values.count = rows.count;
  const auto where = rowsOf(m, rows, index, 1);
  if (!where) return where;
  const auto what = rowsOf(m, values, index, components);
  if (!what) return what;
  const auto width = static_cast<std::size_t>(components);
  for (std::size_t k = 0; k < where->size(); ++k) {
    const double row = (*where)[k];
    if (!(row >= 0 && row < static_cast<double>(a.count)))
      return bad(fmt::format("accessor {} has a row that is not there", index));
    for (std::size_t c = 0; c < width; ++c) (*out)[static_cast<std::size_t>(row) * width + c] = (*what)[k * width + c];
  }
  return out;
}

glm::dmat4 localOf(const tinygltf::Node& node) {
  if (node.matrix.size() == 16) {
    glm::dmat4 m;
    for (int c = 0; c < 4; ++c)
      for (int r = 0; r < 4; ++r) m[c][r] = node.matrix[static_cast<std::size_t>(c * 4 + r)];
    return m;
  }
  const auto number = [](const std::vector<double>& v, std::size_t i, double fallback) {
    return i < v.size() ? v[i] : fallback;
  };
  const glm::dquat turn(number(node.rotation, 3, 1), number(node.rotation, 0, 0), number(node.rotation, 1, 0),
                        number(node.rotation, 2, 0));
  glm::dmat4 m = glm::mat4_cast(turn);
  for (int c = 0; c < 3; ++c) m[c] *= number(node.scale, static_cast<std::size_t>(c), 1);
  m[3] = {number(node.translation, 0, 0), number(node.translation, 1, 0), number(node.translation, 2, 0), 1};
  return m;
}

/// Visits the nodes of the scene with their world transform and the ordinal of their parent (−1: none); ordinals count
/// the visits. A loop or a wrong reference is an error.
Result<void> visitNodes(
    const tinygltf::Model& m,
    const std::function<Result<void>(const tinygltf::Node&, const glm::dmat4&, std::int32_t)>& visit) {
  std::vector<std::uint8_t> isSeen(m.nodes.size(), 0);
  struct Open {
    int index;
    glm::dmat4 parent;
    std::int32_t parentOrdinal;
  };
  std::int32_t ordinal = 0;
  std::vector<Open> open;
  const auto roots = [&]() -> std::vector<int> {
    const std::size_t scene = m.defaultScene >= 0 ? static_cast<std::size_t>(m.defaultScene) : 0;
    if (scene < m.scenes.size()) return m.scenes[scene].nodes;
    std::vector<int> all;
    for (std::size_t i = 0; i < m.nodes.size(); ++i) all.push_back(static_cast<int>(i));
    for (const tinygltf::Node& n : m.nodes)
      for (const int c : n.children) std::erase(all, c);
    return all;
  }();
  for (auto it = roots.rbegin(); it != roots.rend(); ++it) open.push_back({*it, glm::dmat4(1), -1});
  while (!open.empty()) {
    const Open next = open.back();
    open.pop_back();
    if (next.index < 0 || static_cast<std::size_t>(next.index) >= m.nodes.size())
      return bad(fmt::format("node {} is not there", next.index));
    if (isSeen[static_cast<std::size_t>(next.index)]++)
      return bad(fmt::format("node {} has two parents or is its own", next.index));
    const tinygltf::Node& node = m.nodes[static_cast<std::size_t>(next.index)];
    const glm::dmat4 world = next.parent * localOf(node);
    if (auto ok = visit(node, world, next.parentOrdinal); !ok) return ok;
    for (auto it = node.children.rbegin(); it != node.children.rend(); ++it) open.push_back({*it, world, ordinal});
    ++ordinal;
  }
  return {};
}

Material materialOf(const tinygltf::Model& m, const tinygltf::Material& source, Textures& textures,
                    std::vector<Problem>& warnings) {
  Material out;
  out.name = source.name;
  const auto& pbr = source.pbrMetallicRoughness;
  for (int i = 0; i < 4 && static_cast<std::size_t>(i) < pbr.baseColorFactor.size(); ++i)
    out.baseColor[i] = static_cast<float>(pbr.baseColorFactor[static_cast<std::size_t>(i)]);
  out.roughness = static_cast<float>(pbr.roughnessFactor);
  out.metallic = static_cast<float>(pbr.metallicFactor);
  out.isTwoSided = source.doubleSided;
  out.isBlended = source.alphaMode == "BLEND";
  if (source.alphaMode == "MASK")
    out.cutBelow = std::clamp(static_cast<float>(source.alphaCutoff), 0.0F, 1.0F);
  else if (out.isBlended)
    out.cutBelow = 0.5F;
  const int texture = pbr.baseColorTexture.index;
  if (texture < 0 || static_cast<std::size_t>(texture) >= m.textures.size()) return out;
  const int image = m.textures[static_cast<std::size_t>(texture)].source;
  if (image < 0 || static_cast<std::size_t>(image) >= m.images.size()) return out;
  const tinygltf::Image& pixels = m.images[static_cast<std::size_t>(image)];
  const std::string name = pixels.uri.empty() ? fmt::format("{} \"{}\"", image, pixels.name) : pixels.uri;
  if (!pixels.image.empty() || pixels.uri.empty())
    textures.add(name, pixels.image, out, warnings);
  else
    warnings.push_back({ProblemCode::FileMissing,
                        Severity::Warning,
                        {},
                        fmt::format("the texture {} of material \"{}\" is not there", name, source.name),
                        "Put it where the file says"});
  return out;
}

/// What a node's extras say in numbers, switches (0 and 1) and texts. Lists and what lies deeper have no place in
/// attributes of points.
std::map<std::string, NodeValue> valuesOf(const tinygltf::Value& extras) {
  std::map<std::string, NodeValue> out;
  if (!extras.IsObject()) return out;
  for (const std::string& key : extras.Keys()) {
    const tinygltf::Value& v = extras.Get(key);
    if (v.IsBool())
      out[key] = v.Get<bool>() ? 1.0 : 0.0;
    else if (v.IsNumber() && std::isfinite(v.GetNumberAsDouble()))
      out[key] = v.GetNumberAsDouble();
    else if (v.IsString())
      out[key] = v.Get<std::string>();
  }
  return out;
}

class MeshBuilder {
 public:
  MeshBuilder(const tinygltf::Model& model, std::vector<Problem>& warnings)
      : m_model(model), m_warnings(warnings), m_nodeAt(model.nodes.size(), kNotVisited) {
    Textures textures;
    for (const tinygltf::Material& material : model.materials)
      m_surface.materials.push_back(materialOf(model, material, textures, warnings));
    m_surface.materials.emplace_back();  // for primitives without one
  }

  Result<void> add(const tinygltf::Node& node, const glm::dmat4& world, std::int32_t parent) {
    m_nodeAt[static_cast<std::size_t>(&node - m_model.nodes.data())] = static_cast<std::uint32_t>(
        m_motion.nodes.size());
    m_surface.nodes.push_back(sceneNodeOf(node.name, parent, world));
    m_surface.nodes.back().values = valuesOf(node.extras);
    m_motion.nodes.push_back(jointOf(node));
    m_motion.parents.push_back(parent);
    if (node.mesh < 0) return {};
    if (static_cast<std::size_t>(node.mesh) >= m_model.meshes.size())
      return bad(fmt::format("mesh {} is not there", node.mesh));
    const tinygltf::Mesh& mesh = m_model.meshes[static_cast<std::size_t>(node.mesh)];
    std::vector<float>& shares = m_motion.nodes.back().shares;
    for (const tinygltf::Primitive& primitive : mesh.primitives)
      shares.resize(std::max(shares.size(), primitive.targets.size()), 0);
    const std::vector<double>& mixed = node.weights.empty() ? mesh.weights : node.weights;
    for (std::size_t k = 0; k < std::min(shares.size(), mixed.size()); ++k)
      shares[k] = std::isfinite(mixed[k]) ? static_cast<float>(mixed[k]) : 0;
    m_surface.parts.push_back(node.name.empty() ? mesh.name : node.name);
    for (const tinygltf::Primitive& primitive : mesh.primitives)
      if (auto ok = addPrimitive(primitive, world, node.skin); !ok) return ok;
    return {};
  }

  /// What hangs on shapes and skins is laid as it is at rest; what the file moves is kept.
  Result<void> finishMotion() {
    for (const tinygltf::Skin& skin : m_model.skins)
      if (auto ok = addSkin(skin); !ok) return ok;
    for (const tinygltf::Animation& animation : m_model.animations)
      if (auto ok = addClip(animation); !ok) return ok;
    if (m_motion.parts.empty() && m_motion.clips.empty()) return {};
    if (const auto ok = m_motion.check(m_surface.positions.size(), m_surface.nodes.size()); !ok) {
      warn(ok.error().message + "; it is not read", ok.error().advice);
      return {};
    }
    const Pose rest = poseOf(m_motion, {}, 0);
    Array<Vec3>& positions = m_surface.positions.edit();
    Array<Vec3>& normals = m_surface.normals.edit();
    for (const Motion::Part& part : m_motion.parts) {
      const std::vector<float>& shares = m_motion.nodes[part.node].shares;
      if (part.skin >= 0 || std::any_of(shares.begin(), shares.end(), [](float v) { return v != 0; }))
        posePart(m_motion, part, rest, {}, positions.data(), normals.data());
    }
    if (!m_motion.clips.empty()) m_surface.motion = std::make_shared<const Motion>(std::move(m_motion));
    return {};
  }

  Surface take() {
    if (!m_hasNormals) m_surface.normals.clear();
    if (!m_hasUvs) m_surface.uvs.clear();
    if (!m_hasColors) m_surface.colors.clear();
    for (auto& [name, values] : m_attributes) {
      values.resize(m_surface.positions.size(), 0.0F);
      m_surface.vertexAttributes[name] = Column<float>(std::move(values));
    }
    return std::move(m_surface);
  }

 private:
  Result<std::vector<double>> attribute(const tinygltf::Primitive& p, const char* name, int components,
                                        std::size_t count) {
    const auto it = p.attributes.find(name);
    if (it == p.attributes.end()) return std::vector<double>();
    auto values = numbersOf(m_model, it->second, components);
    if (values && values->size() != count * static_cast<std::size_t>(components))
      return bad(fmt::format("{} has another count than POSITION", name));
    return values;
  }

  static constexpr std::uint32_t kNotVisited = 0xffffffffU;
  static constexpr std::size_t kMostNumbers = 200'000'000;  // of shapes and tracks

  static Motion::Joint jointOf(const tinygltf::Node& node) {
    Motion::Joint joint;
    if (node.matrix.size() == 16) {
      joint.matrix = localOf(node);
      return joint;
    }
    const auto number = [](const std::vector<double>& v, std::size_t i, double fallback) {
      return static_cast<float>(i < v.size() ? v[i] : fallback);
    };
    joint.place = {number(node.translation, 0, 0), number(node.translation, 1, 0), number(node.translation, 2, 0)};
    joint.turn = Quat(number(node.rotation, 3, 1), number(node.rotation, 0, 0), number(node.rotation, 1, 0),
                      number(node.rotation, 2, 0));
    joint.size = {number(node.scale, 0, 1), number(node.scale, 1, 1), number(node.scale, 2, 1)};
    return joint;
  }

  /// Counts what is kept of shapes and tracks, so that a small file does not name one array a million times.
  Result<void> countNumbers(std::size_t count) {
    m_numbers += count;
    if (m_numbers <= kMostNumbers) return {};
    return fail(ProblemCode::TooMany, fmt::format("its shapes and motions hold over {} numbers", kMostNumbers),
                "Bake fewer shapes, or fewer frames");
  }

  void warn(std::string message, std::string advice) {
    m_warnings.push_back({ProblemCode::FileUnreadable, Severity::Warning, {}, std::move(message), std::move(advice)});
  }

  /// One whose joints are not in the scene: most often of another scene, and then nothing here wears it.
  Result<void> leaveSkin(const std::string& name) {
    const auto number = static_cast<std::int32_t>(m_motion.skins.size());
    m_motion.skins.emplace_back();
    bool isWorn = false;
    for (Motion::Part& part : m_motion.parts) {
      if (part.skin != number) continue;
      part.skin = -1;
      isWorn = true;
    }
    if (isWorn)
      warn(fmt::format("skin \"{}\" has joints that are not in the scene; what wears it lies as its node does", name),
           "Export the joints with the mesh");
    return {};
  }

  Result<void> addSkin(const tinygltf::Skin& source) {
    Motion::Skin skin;
    for (const int joint : source.joints) {
      if (joint < 0 || static_cast<std::size_t>(joint) >= m_nodeAt.size())
        return bad(fmt::format("skin \"{}\" has a joint that is not there", source.name));
      if (m_nodeAt[static_cast<std::size_t>(joint)] == kNotVisited) return leaveSkin(source.name);
      skin.joints.push_back(m_nodeAt[static_cast<std::size_t>(joint)]);
    }
    skin.fromBind.resize(skin.joints.size(), glm::dmat4(1));
    if (source.inverseBindMatrices >= 0) {
      const auto numbers = numbersOf(m_model, source.inverseBindMatrices, 16);
      if (!numbers) return Failure(numbers.error());
      if (numbers->size() < skin.joints.size() * 16)
        return bad(fmt::format("skin \"{}\" has fewer matrices than joints", source.name));
      for (std::size_t i = 0; i < skin.joints.size() * 16; ++i)
        skin.fromBind[i / 16][static_cast<int>(i % 16 / 4)][static_cast<int>(i % 4)] = (*numbers)[i];
    }
    m_motion.skins.push_back(std::move(skin));
    return {};
  }

  Result<void> addClip(const tinygltf::Animation& source) {
    Motion::Clip clip;
    clip.name = source.name.empty() ? fmt::format("{}", m_motion.clips.size() + 1) : source.name;
    std::size_t unknown = 0;
    for (const tinygltf::AnimationChannel& channel : source.channels) {
      const auto target = static_cast<std::size_t>(channel.target_node);
      if (channel.target_node < 0 || target >= m_nodeAt.size() || channel.sampler < 0 ||
          static_cast<std::size_t>(channel.sampler) >= source.samplers.size()) {
        ++unknown;
        continue;
      }
      if (m_nodeAt[target] == kNotVisited) continue;  // of another scene
      const tinygltf::AnimationSampler& sampler = source.samplers[static_cast<std::size_t>(channel.sampler)];
      Motion::Track track;
      track.node = m_nodeAt[target];
      const std::string& path = channel.target_path;
      track.of = path == "translation" ? Motion::Track::Of::Place
                 : path == "rotation"  ? Motion::Track::Of::Turn
                 : path == "scale"     ? Motion::Track::Of::Size
                                       : Motion::Track::Of::Shares;
      if (track.of == Motion::Track::Of::Shares && (path != "weights" || m_motion.nodes[track.node].shares.empty())) {
        ++unknown;
        continue;
      }
      track.between = sampler.interpolation == "STEP"          ? Motion::Track::Between::Held
                      : sampler.interpolation == "CUBICSPLINE" ? Motion::Track::Between::Curved
                                                               : Motion::Track::Between::Even;
      const int width = track.of == Motion::Track::Of::Turn ? 4 : track.of == Motion::Track::Of::Shares ? 1 : 3;
      const auto times = numbersOf(m_model, sampler.input, 1);
      if (!times) return Failure(times.error());
      const auto values = numbersOf(m_model, sampler.output, width);
      if (!values) return Failure(values.error());
      if (auto ok = countNumbers(times->size() + values->size()); !ok) return ok;
      track.times.assign(times->begin(), times->end());
      track.values.assign(values->begin(), values->end());
      clip.tracks.push_back(std::move(track));
    }
    if (unknown > 0)
      warn(fmt::format("{} of the motions of \"{}\" move something else than nodes and shapes and are left out",
                       unknown, clip.name),
           "Bake them to nodes, shapes or a skin in the program that wrote the file");
    if (!clip.tracks.empty()) m_motion.clips.push_back(std::move(clip));
    return {};
  }

  /// `values` of `width` a vertex as vectors.
  static Array<Vec3> vectorsOf(const std::vector<double>& values) {
    Array<Vec3> out(values.size() / 3);
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = Vec3(glm::dvec3(values[i * 3], values[i * 3 + 1], values[i * 3 + 2]));
    return out;
  }

  /// Keeps of a primitive what is needed to lay it anew.
  Result<void> addPart(const tinygltf::Primitive& p, std::uint32_t first, int skin, const std::vector<double>& places,
                       const std::vector<double>& normals) {
    const std::size_t count = places.size() / 3;
    Motion::Part part;
    part.first = first;
    part.node = static_cast<std::uint32_t>(m_motion.nodes.size() - 1);
    part.positions = vectorsOf(places);
    if (!normals.empty()) part.normals = vectorsOf(normals);
    for (const auto& target : p.targets) {
      Motion::Shape& shape = part.shapes.emplace_back();
      for (const auto& [name, accessor] : target) {
        if (name != "POSITION" && name != "NORMAL") continue;
        const auto by = numbersOf(m_model, accessor, 3);
        if (!by) return Failure(by.error());
        if (by->size() != places.size()) return bad(fmt::format("a shape's {} has another count than POSITION", name));
        if (auto ok = countNumbers(by->size()); !ok) return ok;
        (name == "POSITION" ? shape.by : shape.normalBy) = vectorsOf(*by);
      }
      if (part.normals.empty()) shape.normalBy.clear();
    }
    if (skin >= 0) {
      if (static_cast<std::size_t>(skin) >= m_model.skins.size()) return bad(fmt::format("skin {} is not there", skin));
      std::vector<std::vector<double>> joints;
      std::vector<std::vector<double>> weights;
      for (int set = 0; p.attributes.contains(fmt::format("JOINTS_{}", set)); ++set) {
        auto of = attribute(p, fmt::format("JOINTS_{}", set).c_str(), 4, count);
        if (!of) return Failure(of.error());
        auto by = attribute(p, fmt::format("WEIGHTS_{}", set).c_str(), 4, count);
        if (!by) return Failure(by.error());
        if (by->size() != of->size()) return bad("a skin has joints without weights");
        joints.push_back(std::move(*of));
        weights.push_back(std::move(*by));
      }
      part.skin = skin;
      part.perVertex = static_cast<std::uint32_t>(4 * joints.size());
      Array<std::uint16_t> follows(count * part.perVertex);
      Array<float> by(count * part.perVertex);
      for (std::size_t i = 0; i < count; ++i)
        for (std::size_t k = 0; k < part.perVertex; ++k) {
          const double joint = joints[k / 4][i * 4 + k % 4];
          const double weight = weights[k / 4][i * 4 + k % 4];
          if (!(joint >= 0 && joint <= 0xffff)) return bad("a vertex follows a joint that is not there");
          follows[i * part.perVertex + k] = static_cast<std::uint16_t>(joint);
          by[i * part.perVertex + k] = std::isfinite(weight) ? static_cast<float>(weight) : 0;
        }
      part.joints = std::move(follows);
      part.weights = std::move(by);
    }
    m_motion.parts.push_back(std::move(part));
    return {};
  }

  Result<void> addPrimitive(const tinygltf::Primitive& p, const glm::dmat4& world, int skin) {
    const int mode = p.mode < 0 ? TINYGLTF_MODE_TRIANGLES : p.mode;
    if (mode != TINYGLTF_MODE_TRIANGLES && mode != TINYGLTF_MODE_TRIANGLE_STRIP && mode != TINYGLTF_MODE_TRIANGLE_FAN)
      return {};
    const auto position = p.attributes.find("POSITION");
    if (position == p.attributes.end()) return {};
    const auto places = numbersOf(m_model, position->second, 3);
    if (!places) return Failure(places.error());
    const std::size_t count = places->size() / 3;
    const auto normals = attribute(p, "NORMAL", 3, count);
    if (!normals) return Failure(normals.error());
    const auto uvs = attribute(p, "TEXCOORD_0", 2, count);
    if (!uvs) return Failure(uvs.error());
    const auto colorIt = p.attributes.find("COLOR_0");
    const int colorWidth = colorIt != p.attributes.end() && colorIt->second >= 0 &&
                                   static_cast<std::size_t>(colorIt->second) < m_model.accessors.size() &&
                                   m_model.accessors[static_cast<std::size_t>(colorIt->second)].type ==
                                       TINYGLTF_TYPE_VEC3
                               ? 3
                               : 4;
    const auto colors = attribute(p, "COLOR_0", colorWidth, count);
    if (!colors) return Failure(colors.error());
    for (const auto& [name, accessor] : p.attributes) {  // numbers of the maker's own, such as _MOISTURE
      if (name.size() < 2 || name[0] != '_' || accessor < 0 ||
          static_cast<std::size_t>(accessor) >= m_model.accessors.size() ||
          m_model.accessors[static_cast<std::size_t>(accessor)].type != TINYGLTF_TYPE_SCALAR)
        continue;
      const auto own = numbersOf(m_model, accessor, 1);
      if (!own) return Failure(own.error());
      if (own->size() != count) return bad(fmt::format("{} has another count than POSITION", name));
      std::string key = name.substr(1);
      for (char& c : key) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
      Array<float>& values = m_attributes[key];
      values.resize(m_surface.positions.size(), 0.0F);
      for (const double v : *own) values.push_back(static_cast<float>(v));
    }
    m_hasNormals = m_hasNormals || !normals->empty();
    m_hasUvs = m_hasUvs || !uvs->empty();
    m_hasColors = m_hasColors || !colors->empty();

    const auto base = static_cast<std::uint32_t>(m_surface.positions.size());
    const glm::dmat3 normalTurn = glm::transpose(glm::inverse(glm::dmat3(world)));
    for (std::size_t i = 0; i < count; ++i) {
      m_surface.positions.edit().push_back(
          Vec3(world * glm::dvec4((*places)[i * 3], (*places)[i * 3 + 1], (*places)[i * 3 + 2], 1)));
      m_surface.normals.edit().push_back(
          normals->empty() ? Vec3(0)
                           : directionOr(Vec3(normalTurn * glm::dvec3((*normals)[i * 3], (*normals)[i * 3 + 1],
                                                                      (*normals)[i * 3 + 2])),
                                         Vec3(0)));
      m_surface.uvs.edit().push_back(uvs->empty() ? Vec2(0) : Vec2((*uvs)[i * 2], (*uvs)[i * 2 + 1]));
      const std::size_t w = static_cast<std::size_t>(colorWidth);
      m_surface.colors.edit().push_back(
          colors->empty()
              ? Vec4(1)
              : Vec4((*colors)[i * w], (*colors)[i * w + 1], (*colors)[i * w + 2], w == 4 ? (*colors)[i * w + 3] : 1));
    }
    if (!m_model.animations.empty() || skin >= 0 || !p.targets.empty())
      if (auto ok = addPart(p, base, skin, *places, *normals); !ok) return ok;
    std::vector<std::uint32_t> indices;
    if (p.indices >= 0) {
      const auto numbers = numbersOf(m_model, p.indices, 1);
      if (!numbers) return Failure(numbers.error());
      for (const double v : *numbers) {
        if (!(v >= 0 && v < static_cast<double>(count)))  // what is no number is out of range too
          return bad(fmt::format("an index is {:.0f}, but there are {} vertices", v, count));
        indices.push_back(static_cast<std::uint32_t>(v));
      }
    } else {
      for (std::uint32_t i = 0; i < count; ++i) indices.push_back(i);
    }
    const bool isMirrored = skin < 0 && glm::determinant(glm::dmat3(world)) < 0;  // where it lies counts nothing then
    m_surface.isMirrored = m_surface.isMirrored || isMirrored;
    const auto face = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
      if (isMirrored) std::swap(b, c);
      m_surface.triangles.edit().push_back({base + a, base + b, base + c});
      m_surface.faceParts.edit().push_back(static_cast<std::uint16_t>(m_surface.parts.size() - 1));
      const std::size_t plain = m_surface.materials.size() - 1;
      const bool hasMaterial = p.material >= 0 && static_cast<std::size_t>(p.material) < plain;
      m_surface.faceMaterials.edit().push_back(
          static_cast<std::uint16_t>(hasMaterial ? static_cast<std::size_t>(p.material) : plain));
    };
    for (std::size_t i = 0; i + 2 < indices.size(); i += mode == TINYGLTF_MODE_TRIANGLES ? 3 : 1) {
      if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
        face(indices[0], indices[i + 1], indices[i + 2]);
      else if (mode == TINYGLTF_MODE_TRIANGLE_STRIP && i % 2 == 1)
        face(indices[i + 1], indices[i], indices[i + 2]);
      else
        face(indices[i], indices[i + 1], indices[i + 2]);
    }
    return {};
  }

  const tinygltf::Model& m_model;
  std::vector<Problem>& m_warnings;
  Surface m_surface;
  Motion m_motion;
  std::vector<std::uint32_t> m_nodeAt;  // of each node of the file, its place among those of the scene
  std::size_t m_numbers = 0;
  std::map<std::string, Array<float>> m_attributes;
  bool m_hasNormals = false;
  bool m_hasUvs = false;
  bool m_hasColors = false;
};

}  // namespace

Result<Surface> readers::gltf(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files) {
  const auto model = load(path, files);
  if (!model) return Failure(model.error());
  if (auto ok = checkCounts(0, model->materials.size() + 1); !ok) return Failure(ok.error());  // one for those without
  MeshBuilder builder(*model, warnings);
  if (auto ok = visitNodes(*model, [&](const tinygltf::Node& node, const glm::dmat4& world,
                                       std::int32_t parent) { return builder.add(node, world, parent); });
      !ok)
    return Failure(ok.error());
  if (auto ok = builder.finishMotion(); !ok) return Failure(ok.error());
  Surface surface = builder.take();
  if (auto ok = checkCounts(surface.parts.size(), surface.materials.size()); !ok) return Failure(ok.error());
  return surface;
}

Result<std::vector<GltfInstance>> readGltfInstances(const std::string& path) {
  ReadFiles files;
  const auto model = load(path, files);
  if (!model) return Failure(model.error());
  std::vector<GltfInstance> out;
  const auto visit = [&](const tinygltf::Node& node, const glm::dmat4& world, std::int32_t) -> Result<void> {
    if (node.mesh < 0) return {};
    if (static_cast<std::size_t>(node.mesh) >= model->meshes.size())
      return bad(fmt::format("mesh {} is not there", node.mesh));
    GltfInstance plain{node.name, model->meshes[static_cast<std::size_t>(node.mesh)].name, Vec3(world[3]), {}, {}};
    const auto it = node.extensions.find("EXT_mesh_gpu_instancing");
    if (it == node.extensions.end()) {
      const SceneNode as = sceneNodeOf(node.name, -1, world);
      plain.size = as.size;
      plain.turn = as.turn;
      out.push_back(plain);
      return {};
    }
    const tinygltf::Value& attributes = it->second.Get("attributes");
    const auto column = [&](const char* name, int components) -> Result<std::vector<double>> {
      if (!attributes.Has(name)) return std::vector<double>();
      return numbersOf(*model, attributes.Get(name).GetNumberAsInt(), components);
    };
    const auto places = column("TRANSLATION", 3);
    const auto turns = column("ROTATION", 4);
    const auto sizes = column("SCALE", 3);
    if (!places || !turns || !sizes) return Failure(!places ? places.error() : !turns ? turns.error() : sizes.error());
    const std::size_t count = std::max({places->size() / 3, turns->size() / 4, sizes->size() / 3});
    for (std::size_t i = 0; i < count; ++i) {
      GltfInstance one = plain;
      if (!places->empty()) one.position = Vec3((*places)[i * 3], (*places)[i * 3 + 1], (*places)[i * 3 + 2]);
      if (!turns->empty())
        one.turn = Quat(static_cast<float>((*turns)[i * 4 + 3]), static_cast<float>((*turns)[i * 4]),
                        static_cast<float>((*turns)[i * 4 + 1]), static_cast<float>((*turns)[i * 4 + 2]));
      one.size = sizes->empty() ? Vec3(1) : Vec3((*sizes)[i * 3], (*sizes)[i * 3 + 1], (*sizes)[i * 3 + 2]);
      out.push_back(one);
    }
    return {};
  };
  if (auto ok = visitNodes(*model, visit); !ok) return Failure(ok.error());
  return out;
}

}  // namespace arvesk
