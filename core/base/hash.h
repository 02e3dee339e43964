// Stable hashing: the only source of randomness. The same input gives the same number on every machine and in every
// version, because ids and draws end up in saved documents.
#pragma once

#include <cstdint>
#include <string_view>

namespace arvesk {

/// Finalizer of SplitMix64 (Steele, Lea, Flood: "Fast splittable pseudorandom number generators", OOPSLA 2014), variant
/// 13 of Stafford.
constexpr std::uint64_t mix64(std::uint64_t x) {
  x += 0x9e3779b97f4a7c15ULL;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
  return x ^ (x >> 31);
}

constexpr std::uint64_t hashOf(std::uint64_t a) { return mix64(a); }

template <typename... Rest>
constexpr std::uint64_t hashOf(std::uint64_t a, std::uint64_t b, Rest... rest) {
  return hashOf(mix64(a) ^ b, static_cast<std::uint64_t>(rest)...);
}

/// FNV-1a (Fowler, Noll, Vo), finished by mix64 so that short names differ in all bits.
constexpr std::uint64_t hashText(std::string_view text) {
  std::uint64_t h = 0xcbf29ce484222325ULL;
  for (const char c : text) {
    h ^= static_cast<unsigned char>(c);
    h *= 0x100000001b3ULL;
  }
  return mix64(h);
}

/// Uniform in [0, 1) with 24 bits, from the high bits of a hash.
constexpr float unitFloat(std::uint64_t hash) { return static_cast<float>(hash >> 40) * 0x1p-24F; }

/// Uniform in [0, 1) with 53 bits.
constexpr double unitDouble(std::uint64_t hash) { return static_cast<double>(hash >> 11) * 0x1p-53; }

}  // namespace arvesk
