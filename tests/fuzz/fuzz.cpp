#include "tests/fuzz/fuzz.h"

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>

namespace arvesk::fuzz {
namespace {

/// In memory where there is such a folder; removed when the process ends.
struct Place {
  std::string path;
  explicit Place(const char* ending) {
    const std::filesystem::path memory = "/dev/shm";
    const auto folder = std::filesystem::is_directory(memory) ? memory : std::filesystem::temp_directory_path();
    path = (folder / fmt::format("arvesk-fuzz-{}{}", ::getpid(), ending)).string();
  }
  ~Place() { ::unlink(path.c_str()); }
};

}  // namespace

const std::string& fileOf(std::string_view bytes, const char* ending) {
  static const Place place(ending);
  std::FILE* file = std::fopen(place.path.c_str(), "wb");
  require(file != nullptr, "the file can be written");
  require(std::fwrite(bytes.data(), 1, bytes.size(), file) == bytes.size(), "all of it is written");
  std::fclose(file);
  return place.path;
}

}  // namespace arvesk::fuzz
