// An export read back from its file, for comparison with what it was made from. The readers here share nothing with the
// writers but the formats, and read no more than what is compared.
#pragma once

#include "core/base/task.h"
#include "core/base/vec.h"

#include <map>
#include <string>
#include <vector>

namespace arvesk::readback {

/// What stands in a file under one name.
struct Thing {
  std::uint64_t placements = 0;
  std::uint64_t triangles = 0;  // of all placements together
  Box3 box;                     // m, world
  glm::dvec3 colors{0};         // sum, linear light: of placements, or of the corners of real geometry
  std::uint64_t colored = 0;    // how many were summed; 0: no color is said

  void addColor(const Vec3& color, std::uint64_t times = 1) {
    colors += glm::dvec3(color) * static_cast<double>(times);
    colored += times;
  }
};
using Things = std::map<std::string, Thing>;

/// Key of a row of CSV and PLY.
std::string rowName(const std::string& output, const std::string& prop);

/// By the file's ending. Real geometry has 0 placements; of tables, boxes are those of the places. Names: nodes of
/// glTF (of many placements as nodes their common part), paths of USD prims, objects of OBJ. Fails where the file is
/// not what its format says.
Result<Things> read(const std::string& path, const Task& task);

/// What differs, in words, at most ten and how many more there are.
std::vector<std::string> differences(const Things& expected, const Things& found);

Result<Things> gltf(const std::string& path, const Task& task);
Result<Things> usda(const std::string& path, const Task& task);
Result<Things> obj(const std::string& path, const Task& task);
Result<Things> csv(const std::string& path, const Task& task);
Result<Things> ply(const std::string& path, const Task& task);

/// A file in memory as the system maps it: large ones take no room.
class MappedFile {
 public:
  explicit MappedFile(const std::string& path);
  ~MappedFile();
  MappedFile(const MappedFile&) = delete;
  MappedFile& operator=(const MappedFile&) = delete;
  bool isOpen() const { return m_isOpen; }
  std::string_view bytes() const { return {m_data, m_size}; }

 private:
  const char* m_data = nullptr;
  std::size_t m_size = 0;
  bool m_isOpen = false;
};
/// What is said of a file that is not as its format wants it.
Failure wrongFile(const std::string& path, const std::string& what);

}  // namespace arvesk::readback
