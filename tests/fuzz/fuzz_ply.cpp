// PLY: meshes and points.
#include "core/formats/mesh_reader.h"
#include "tests/fuzz/fuzz.h"

using namespace arvesk;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  std::vector<Problem> warnings;
  const auto surface = readMesh(fuzz::fileOf(fuzz::textOf(data, size), ".ply"), warnings);
  if (surface) fuzz::require(checkSurface(*surface).has_value(), "surfaces are sound");
  return 0;
}
