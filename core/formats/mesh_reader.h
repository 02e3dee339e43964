// Reads mesh files. Every byte is treated as hostile, but the libraries behind are not: call this in the import helper
// only (and in tests); the rest of the program goes through FileService.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

/// By the file's ending: .gltf .glb .obj .ply, and .stl and the rest by Assimp. What was repaired is told in
/// `warnings`.
Result<Surface> readMesh(const std::string& path, std::vector<Problem>& warnings);

/// One transform of a mesh in a glTF file: by node, or by EXT_mesh_gpu_instancing.
struct GltfInstance {
  std::string node;
  std::string mesh;
  Vec3 position{0};
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
};
Result<std::vector<GltfInstance>> readGltfInstances(const std::string& path);

namespace readers {
Result<Surface> gltf(const std::string& path, std::vector<Problem>& warnings);
Result<Surface> obj(const std::string& path, std::vector<Problem>& warnings);
Result<Surface> ply(const std::string& path, std::vector<Problem>& warnings);
Result<Surface> others(const std::string& path, std::vector<Problem>& warnings);
}  // namespace readers

/// A PNG or JPEG in memory as a texture, read by the image helper.
Result<Texture> decodeTexture(const std::vector<std::uint8_t>& file);

}  // namespace arvesk
