#include "core/formats/readback.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

namespace arvesk::readback {

MappedFile::MappedFile(const std::string& path) {
  const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (file < 0) return;
  struct stat about {};
  if (::fstat(file, &about) == 0) {
    m_size = static_cast<std::size_t>(about.st_size);
    m_isOpen = true;
    if (m_size > 0) {
      void* data = ::mmap(nullptr, m_size, PROT_READ, MAP_PRIVATE, file, 0);
      m_isOpen = data != MAP_FAILED;
      if (m_isOpen) m_data = static_cast<const char*>(data);
    }
  }
  ::close(file);
}
MappedFile::~MappedFile() {
  if (m_data) ::munmap(const_cast<char*>(m_data), m_size);
}

Failure wrongFile(const std::string& path, const std::string& what) {
  return fail(ProblemCode::FileUnreadable, "read back: " + what, "Export again; if it stays so, tell us", path);
}

std::string rowName(const std::string& output, const std::string& prop) { return output + "\n" + prop; }

Result<Things> read(const std::string& path, const Task& task) {
  const std::string ending = path.substr(std::min(path.size(), path.find_last_of('.')));
  if (ending == ".glb" || ending == ".gltf") return gltf(path, task);
  if (ending == ".usda") return usda(path, task);
  if (ending == ".obj") return obj(path, task);
  if (ending == ".csv") return csv(path, task);
  if (ending == ".ply") return ply(path, task);
  return wrongFile(path, "the format is not known by its ending");
}

std::vector<std::string> differences(const Things& expected, const Things& found) {
  constexpr std::size_t kMost = 10;
  std::vector<std::string> out;
  std::size_t more = 0;
  const auto say = [&](const std::string& name, const std::string& what) {
    std::string plain = name;
    std::replace(plain.begin(), plain.end(), '\n', ' ');
    std::replace(plain.begin(), plain.end(), '\r', ' ');
    if (out.size() < kMost)
      out.push_back(plain + ": " + what);
    else
      ++more;
  };
  for (const auto& [name, want] : expected) {
    const auto it = found.find(name);
    if (it == found.end()) {
      say(name, "is not in the file");
      continue;
    }
    const Thing& have = it->second;
    if (have.placements != want.placements)
      say(name, fmt::format("{} placements instead of {}", have.placements, want.placements));
    else if (have.triangles != want.triangles)
      say(name, fmt::format("{} triangles instead of {}", have.triangles, want.triangles));
    // Rounding of one number in text and back, and of the same sum in another order.
    const float grain = 1e-5F * std::max({1.0F, glm::length(want.box.extent()), glm::length(want.box.center())});
    const auto isNear = [&](const Vec3& a, const Vec3& b) {
      return glm::all(glm::lessThanEqual(glm::abs(a - b), Vec3(grain)));
    };
    if (want.box.isEmpty() != have.box.isEmpty() ||
        (!want.box.isEmpty() && (!isNear(want.box.min, have.box.min) || !isNear(want.box.max, have.box.max))))
      say(name,
          fmt::format("from {:g}, {:g}, {:g} to {:g}, {:g}, {:g} m instead of {:g}, {:g}, {:g} to {:g}, {:g}, {:g} m",
                      have.box.min.x, have.box.min.y, have.box.min.z, have.box.max.x, have.box.max.y, have.box.max.z,
                      want.box.min.x, want.box.min.y, want.box.min.z, want.box.max.x, want.box.max.y, want.box.max.z));
    if (want.colored == 0) continue;
    if (have.colored != want.colored) {
      say(name, fmt::format("{} colors instead of {}", have.colored, want.colored));
      continue;
    }
    const glm::dvec3 a = have.colors / static_cast<double>(have.colored);
    const glm::dvec3 b = want.colors / static_cast<double>(want.colored);
    if (glm::any(glm::greaterThan(glm::abs(a - b), glm::dvec3(0.004))))  // one step of eight bits
      say(name, fmt::format("mean color {:.3f}, {:.3f}, {:.3f} instead of {:.3f}, {:.3f}, {:.3f}", a.x, a.y, a.z, b.x,
                            b.y, b.z));
  }
  for (const auto& [name, have] : found)
    if (!expected.contains(name)) say(name, "is in the file and should not be");
  if (more > 0) out.push_back(fmt::format("and {} more", more));
  return out;
}

}  // namespace arvesk::readback
