// Reads mesh files. Every byte is treated as hostile, but the libraries behind are not: call this in the import helper
// only (and in tests); the rest of the program goes through FileService.
#pragma once

#include "core/formats/read_files.h"
#include "core/geometry/surface.h"

#include <map>

namespace arvesk {

/// By the file's ending: .gltf .glb .obj .ply, and .stl and the rest by Assimp. What was repaired is told in
/// `warnings`, what was opened in `files`.
Result<Surface> readMesh(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files);
inline Result<Surface> readMesh(const std::string& path, std::vector<Problem>& warnings) {
  ReadFiles files;
  return readMesh(path, warnings, files);
}

/// One transform of a mesh in a glTF file: by node, or by EXT_mesh_gpu_instancing.
struct GltfInstance {
  std::string node;
  std::string mesh;
  Vec3 position{0};
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
};
Result<std::vector<GltfInstance>> readGltfInstances(const std::string& path);

/// PNGs and JPEGs as textures, read by the image helper; each is read once, however many materials share it.
class Textures {
 public:
  /// Gives `material` the texture in `file`, which goes by `name`; with a warning where it cannot be read.
  void add(const std::string& name, const std::vector<std::uint8_t>& file, Material& material,
           std::vector<Problem>& warnings);

 private:
  struct Read {
    std::shared_ptr<const Texture> texture;  // null: it cannot be read
    std::shared_ptr<const std::vector<std::uint8_t>> file;
    std::string type;
    std::string why;  // it cannot be read
  };
  std::map<std::string, Read> m_read;
};

namespace readers {
Result<Surface> gltf(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files);
Result<Surface> obj(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files);
Result<Surface> ply(const std::string& path, std::vector<Problem>& warnings);
Result<Surface> others(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files);
}  // namespace readers

}  // namespace arvesk
