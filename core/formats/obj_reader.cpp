// OBJ by tinyobjloader, with our own check of every index.
#include "core/base/safe_file.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/own_words.h"
#include "core/formats/polygons.h"

#include <fmt/format.h>
#include <tiny_obj_loader.h>

#include <filesystem>
#include <fstream>
#include <tuple>

namespace arvesk {
namespace {

/// Materials of the files that an OBJ names, from beside it.
class MaterialFiles final : public tinyobj::MaterialReader {
 public:
  MaterialFiles(std::string folder, ReadFiles& files, std::vector<Problem>& warnings)
      : m_folder(std::move(folder)), m_files(files), m_warnings(warnings) {}
  bool operator()(const std::string& name, std::vector<tinyobj::material_t>* materials,
                  std::map<std::string, int>* numbers, std::string* warn, std::string* error) override {
    const auto path = m_files.find((std::filesystem::path(m_folder) / name).string());
    if (!path) {
      m_warnings.push_back({ProblemCode::FileMissing,
                            Severity::Warning,
                            {},
                            fmt::format("the material file {} is not there", name),
                            "Put it beside the OBJ file"});
      return false;
    }
    std::ifstream in(*path);
    return tinyobj::MaterialStreamReader(in)(name, materials, numbers, warn, error);
  }

 private:
  std::string m_folder;
  ReadFiles& m_files;
  std::vector<Problem>& m_warnings;
};

Material toMaterial(const tinyobj::material_t& m, const std::string& folder, Textures& textures,
                    std::vector<Problem>& warnings, ReadFiles& files) {
  Material out;
  out.name = m.name;
  out.baseColor = {linearFromSrgb(m.diffuse[0]), linearFromSrgb(m.diffuse[1]), linearFromSrgb(m.diffuse[2]),
                   m.dissolve};
  if (m.diffuse_texname.empty()) return out;
  const auto path = files.find((std::filesystem::path(folder) / m.diffuse_texname).string());
  const auto bytes = path ? readWhole(*path, std::size_t{512} << 20) : Result<std::string>(noTriangles());
  if (!bytes) {
    warnings.push_back({ProblemCode::FileMissing,
                        Severity::Warning,
                        {},
                        fmt::format("the texture {} is not there", m.diffuse_texname),
                        "Put it beside the OBJ file"});
    return out;
  }
  textures.add(m.diffuse_texname, {bytes->begin(), bytes->end()}, out, warnings);
  if (out.texture) {
    out.baseColor = Vec4(1);
    if (m.alpha_texname == m.diffuse_texname)
      out.cutBelow = 0.5F;
    else if (!m.alpha_texname.empty())
      warnings.push_back({ProblemCode::FileUnreadable,
                          Severity::Warning,
                          {},
                          fmt::format("the cut-outs in {} are not read", m.alpha_texname),
                          "Put them into the alpha of the color texture, and name it as map_d too"});
  }
  return out;
}

}  // namespace

Result<Surface> readers::obj(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files) {
  const std::size_t slash = path.find_last_of('/');
  const std::string folder = slash == std::string::npos ? "" : path.substr(0, slash + 1);
  std::ifstream in(path);
  MaterialFiles materialFiles(folder, files, warnings);
  tinyobj::attrib_t a;
  std::vector<tinyobj::shape_t> shapes;
  std::vector<tinyobj::material_t> materials;
  std::string warning;
  std::string error;
  if (!in || !tinyobj::LoadObj(&a, &shapes, &materials, &warning, &error, &in, &materialFiles, false))
    return fail(ProblemCode::FileUnreadable, fmt::format("cannot be read as OBJ: {}", inOwnWords(error)),
                "Export the file again");
  Surface s;
  Textures textures;
  for (const tinyobj::material_t& m : materials)
    s.materials.push_back(toMaterial(m, folder, textures, warnings, files));
  const std::size_t plain = s.materials.size();
  s.materials.emplace_back();
  const bool hasNormals = !a.normals.empty();
  const bool hasUvs = !a.texcoords.empty();
  const bool hasColors = a.colors.size() == a.vertices.size() &&
                         std::any_of(a.colors.begin(), a.colors.end(), [](float c) { return c != 1; });
  std::map<std::tuple<int, int, int>, std::uint32_t> known;
  FaceTaker faces(s);
  const auto within = [](int index, std::size_t count, std::size_t width) {
    return index >= 0 && static_cast<std::size_t>(index) < count / width;
  };
  const auto vertexOf = [&](const tinyobj::index_t& i) -> std::uint32_t {
    const auto [it, isNew] = known.emplace(std::tuple(i.vertex_index, i.normal_index, i.texcoord_index),
                                           static_cast<std::uint32_t>(s.positions.size()));
    if (!isNew) return it->second;
    const auto at = [](const std::vector<float>& v, int index, std::size_t width, std::size_t c) {
      return v[static_cast<std::size_t>(index) * width + c];
    };
    s.positions.edit().push_back({at(a.vertices, i.vertex_index, 3, 0), at(a.vertices, i.vertex_index, 3, 1),
                                  at(a.vertices, i.vertex_index, 3, 2)});
    if (hasColors)
      s.colors.edit().push_back({linearFromSrgb(at(a.colors, i.vertex_index, 3, 0)),
                                 linearFromSrgb(at(a.colors, i.vertex_index, 3, 1)),
                                 linearFromSrgb(at(a.colors, i.vertex_index, 3, 2)), 1});
    if (hasNormals)
      s.normals.edit().push_back(within(i.normal_index, a.normals.size(), 3)
                                     ? Vec3(at(a.normals, i.normal_index, 3, 0), at(a.normals, i.normal_index, 3, 1),
                                            at(a.normals, i.normal_index, 3, 2))
                                     : Vec3(0));
    if (hasUvs)
      s.uvs.edit().push_back(
          within(i.texcoord_index, a.texcoords.size(), 2)
              ? Vec2(at(a.texcoords, i.texcoord_index, 2, 0), 1 - at(a.texcoords, i.texcoord_index, 2, 1))
              : Vec2(0));
    return it->second;
  };
  if (auto ok = checkCounts(shapes.size(), s.materials.size()); !ok) return Failure(ok.error());
  std::vector<std::uint32_t> corners;
  for (const tinyobj::shape_t& shape : shapes) {
    const auto part = static_cast<std::uint16_t>(s.parts.size());
    s.parts.push_back(shape.name);
    const auto& indices = shape.mesh.indices;
    std::size_t begin = 0;
    for (std::size_t f = 0; f < shape.mesh.num_face_vertices.size(); ++f) {
      const std::size_t end = std::min<std::size_t>(begin + shape.mesh.num_face_vertices[f], indices.size());
      const std::span<const tinyobj::index_t> face(indices.data() + begin, end - begin);
      begin = end;
      if (!std::all_of(face.begin(), face.end(),
                       [&](const tinyobj::index_t& i) { return within(i.vertex_index, a.vertices.size(), 3); })) {
        faces.countOutside();
        continue;
      }
      corners.clear();
      for (const tinyobj::index_t& i : face) corners.push_back(vertexOf(i));
      const int named = f < shape.mesh.material_ids.size() ? shape.mesh.material_ids[f] : -1;
      const auto material = static_cast<std::uint16_t>(
          named >= 0 && static_cast<std::size_t>(named) < plain ? static_cast<std::size_t>(named) : plain);
      for (std::size_t made = faces.add(corners); made > 0; --made) {
        s.faceParts.edit().push_back(part);
        s.faceMaterials.edit().push_back(material);
      }
    }
  }
  // The library leaves out what has fewer than three corners, and says so each time.
  for (std::size_t at = warning.find("Degenerated face"); at != std::string::npos;
       at = warning.find("Degenerated face", at + 1))
    faces.countBroken();
  faces.tell(warnings);
  return s;
}

}  // namespace arvesk
