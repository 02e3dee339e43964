// What the fuzz targets share. Each is a program of libFuzzer's that calls one reader with bytes of any kind, built
// with the address and undefined sanitizers; what it finds becomes a file of its corpus.
#pragma once

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <string_view>

namespace arvesk::fuzz {

inline std::string_view textOf(const std::uint8_t* data, std::size_t size) {
  return {reinterpret_cast<const char*>(data), size};
}

/// Ends the program, which libFuzzer takes for a finding.
inline void require(bool isTrue, const char* what) {
  if (isTrue) return;
  std::fprintf(stderr, "not held: %s\n", what);
  std::abort();
}

/// The path of a file of this process that holds `bytes`, anew each time.
const std::string& fileOf(std::string_view bytes, const char* ending);

}  // namespace arvesk::fuzz

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);
