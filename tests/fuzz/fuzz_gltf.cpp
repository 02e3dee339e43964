// glTF, as text or in one file: what the reader checks around its library.
#include "core/formats/mesh_reader.h"
#include "tests/fuzz/fuzz.h"

using namespace arvesk;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view bytes = fuzz::textOf(data, size);
  std::vector<Problem> warnings;
  const auto surface = readMesh(fuzz::fileOf(bytes, bytes.starts_with("glTF") ? ".glb" : ".gltf"), warnings);
  if (surface) fuzz::require(checkSurface(*surface).has_value(), "surfaces are sound");
  return 0;
}
