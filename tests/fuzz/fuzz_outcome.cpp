// What an import helper hands over (and the cache keeps): anything at all, under a checksum that is right.
#include "core/formats/asset_cache.h"
#include "tests/fuzz/fuzz.h"

#include <xxhash.h>

#include <cstring>
#include <fstream>

using namespace arvesk;

namespace {

/// How every such file begins.
std::string magic() {
  ImportOutcome outcome;
  outcome.failure = problem(ProblemCode::FileUnreadable, "no");
  const std::string& path = fuzz::fileOf({}, ".asset");
  fuzz::require(writeOutcome(outcome, path).has_value(), "an outcome can be written");
  std::ifstream in(path, std::ios::binary);
  std::string first(sizeof(std::uint64_t), '\0');
  in.read(first.data(), static_cast<std::streamsize>(first.size()));
  return first;
}

}  // namespace

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::string first = magic();
  std::string file = first;
  const std::uint64_t sum = XXH3_64bits(data, size);
  file.append(reinterpret_cast<const char*>(&sum), sizeof sum);
  file.append(fuzz::textOf(data, size));
  const auto outcome = readOutcome(fuzz::fileOf(file, ".asset"));
  if (outcome && outcome->surface) fuzz::require(checkSurface(*outcome->surface).has_value(), "surfaces are sound");
  if (outcome && outcome->image)
    for (const std::uint32_t pixel : outcome->image->missing)
      fuzz::require(pixel < outcome->image->values.size(), "missing pixels are pixels");
  return 0;
}
