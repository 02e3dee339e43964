// STL and what else Assimp reads. Assimp passes on non-finite numbers and wrong indices; readMesh checks them after us.
#include "core/formats/mesh_reader.h"
#include "core/formats/own_words.h"
#include "core/formats/polygons.h"

#include <assimp/BaseImporter.h>
#include <assimp/DefaultIOSystem.h>
#include <assimp/config.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>
#include <array>
#include <assimp/Importer.hpp>
#include <set>

namespace arvesk {
namespace {

void addMesh(Surface& s, const aiMesh& mesh, const aiMatrix4x4& world) {
  const auto base = static_cast<std::uint32_t>(s.positions.size());
  const bool isMirrored = world.Determinant() < 0;
  s.isMirrored = s.isMirrored || isMirrored;
  const aiMatrix3x3 normalTurn = aiMatrix3x3(world).Inverse().Transpose();
  for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
    const aiVector3D p = world * mesh.mVertices[i];
    s.positions.edit().push_back({p.x, p.y, p.z});
    aiVector3D n = mesh.mNormals ? normalTurn * mesh.mNormals[i] : aiVector3D(0, 0, 0);
    s.normals.edit().push_back({n.x, n.y, n.z});
    s.uvs.edit().push_back(mesh.mTextureCoords[0] ? Vec2(mesh.mTextureCoords[0][i].x, 1 - mesh.mTextureCoords[0][i].y)
                                                  : Vec2(0));
    const aiColor4D* colors = mesh.mColors[0];
    s.colors.edit().push_back(colors ? Vec4(colors[i].r, colors[i].g, colors[i].b, colors[i].a) : Vec4(1));
  }
  const auto part = static_cast<std::uint16_t>(s.parts.size());  // more than it holds are refused afterwards
  s.parts.emplace_back(mesh.mName.C_Str());
  for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
    const aiFace& face = mesh.mFaces[f];
    if (face.mNumIndices != 3) continue;
    UVec3 t(face.mIndices[0], face.mIndices[1], face.mIndices[2]);
    if (isMirrored) std::swap(t.y, t.z);
    s.triangles.edit().push_back(t + UVec3(base));
    s.faceParts.edit().push_back(part);
    s.faceMaterials.edit().push_back(
        static_cast<std::uint16_t>(mesh.mMaterialIndex < s.materials.size() ? mesh.mMaterialIndex : 0));
  }
}

/// Nodes that lie inside of each other: more are refused.
constexpr int kDeepest = 1000;

/// What the file says of a node besides, in numbers and texts.
std::map<std::string, NodeValue> valuesOf(const aiNode& node) {
  std::map<std::string, NodeValue> out;
  if (!node.mMetaData) return out;
  for (unsigned k = 0; k < node.mMetaData->mNumProperties; ++k) {
    const std::string name = node.mMetaData->mKeys[k].C_Str();
    const aiMetadataEntry& e = node.mMetaData->mValues[k];
    const auto number = [&](double v) {
      if (std::isfinite(v)) out[name] = v;
    };
    if (!e.mData) continue;
    switch (e.mType) {
      case AI_BOOL: number(*static_cast<const bool*>(e.mData) ? 1 : 0); break;
      case AI_INT32: number(*static_cast<const std::int32_t*>(e.mData)); break;
      case AI_UINT64: number(static_cast<double>(*static_cast<const std::uint64_t*>(e.mData))); break;
      case AI_FLOAT: number(static_cast<double>(*static_cast<const float*>(e.mData))); break;
      case AI_DOUBLE: number(*static_cast<const double*>(e.mData)); break;
      case AI_AISTRING: out[name] = std::string(static_cast<const aiString*>(e.mData)->C_Str()); break;
      default: break;
    }
  }
  return out;
}

/// False when they lie deeper than that.
bool addNode(Surface& s, const aiScene& scene, const aiNode& node, const aiMatrix4x4& parent, std::int32_t parentNode,
             int depth) {
  if (depth > kDeepest) return false;
  const aiMatrix4x4 world = parent * node.mTransformation;
  glm::dmat4 m;
  for (unsigned row = 0; row < 4; ++row)
    for (unsigned column = 0; column < 4; ++column)
      m[static_cast<int>(column)][static_cast<int>(row)] = static_cast<double>(world[row][column]);
  const auto ordinal = static_cast<std::int32_t>(s.nodes.size());
  s.nodes.push_back(sceneNodeOf(node.mName.C_Str(), parentNode, m));
  s.nodes.back().values = valuesOf(node);
  for (unsigned i = 0; i < node.mNumMeshes; ++i)
    if (node.mMeshes[i] < scene.mNumMeshes) addMesh(s, *scene.mMeshes[node.mMeshes[i]], world);
  for (unsigned c = 0; c < node.mNumChildren; ++c)
    if (!addNode(s, scene, *node.mChildren[c], world, ordinal, depth + 1)) return false;
  return true;
}

/// Opens what Assimp asks for, and says so.
class NotedFiles final : public Assimp::DefaultIOSystem {
 public:
  explicit NotedFiles(ReadFiles& files) : m_files(files) {}
  bool Exists(const char* path) const override { return m_files.find(path).has_value(); }
  Assimp::IOStream* Open(const char* path, const char* mode) override {
    const auto found = m_files.find(path);
    return found ? DefaultIOSystem::Open(found->c_str(), mode) : nullptr;
  }

 private:
  ReadFiles& m_files;
};

/// Assimp goes by what it finds in a file as well as by its name: readers of other formats than these are taken out.
void keepKnownReaders(Assimp::Importer& importer) {
  constexpr std::array kFormats{"stl", "fbx", "dae", "3ds", "off"};
  for (std::size_t i = importer.GetImporterCount(); i-- > 0;) {
    std::set<std::string> endings;
    importer.GetImporter(i)->GetExtensionList(endings);
    if (std::none_of(kFormats.begin(), kFormats.end(), [&](const char* f) { return endings.contains(f); }))
      importer.UnregisterLoader(importer.GetImporter(i));
  }
}

}  // namespace

Result<Surface> readers::others(const std::string& path, std::vector<Problem>&, ReadFiles& files) {
  Assimp::Importer importer;
  keepKnownReaders(importer);
  importer.SetIOHandler(new NotedFiles(files));  // which the importer owns
  importer.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
  const aiScene* scene = importer.ReadFile(
      path, aiProcess_Triangulate | aiProcess_SortByPType | aiProcess_ValidateDataStructure);
  if (!scene || !scene->mRootNode)
    return fail(ProblemCode::FileUnreadable,
                fmt::format("cannot be read: {}", inOwnWords(std::string_view(importer.GetErrorString()))),
                "Use glTF, OBJ, PLY or STL");
  Surface s;
  for (unsigned m = 0; m < scene->mNumMaterials; ++m) {
    Material material;
    aiColor4D color;
    if (scene->mMaterials[m]->Get(AI_MATKEY_COLOR_DIFFUSE, color) == AI_SUCCESS)
      material.baseColor = {linearFromSrgb(color.r), linearFromSrgb(color.g), linearFromSrgb(color.b), 1};
    aiString name;
    if (scene->mMaterials[m]->Get(AI_MATKEY_NAME, name) == AI_SUCCESS) material.name = name.C_Str();
    s.materials.push_back(material);
  }
  if (s.materials.empty()) s.materials.emplace_back();
  if (!addNode(s, *scene, *scene->mRootNode, aiMatrix4x4(), -1, 0))
    return fail(ProblemCode::FileTooLarge, fmt::format("more than {} of its nodes lie inside of each other", kDeepest),
                "Use glTF, OBJ, PLY or STL");
  if (auto ok = checkCounts(s.parts.size(), s.materials.size()); !ok) return Failure(ok.error());
  const auto allAre = [](const auto& values, auto v) {
    return std::all_of(values.begin(), values.end(), [&](const auto& x) { return x == v; });
  };
  if (allAre(s.normals, Vec3(0))) s.normals.clear();
  if (allAre(s.colors, Vec4(1))) s.colors.clear();
  if (allAre(s.uvs, Vec2(0))) s.uvs.clear();
  return s;
}

}  // namespace arvesk
