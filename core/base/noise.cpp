#include "core/base/noise.h"

#include "core/base/clones.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace arvesk {
namespace {

ARVESK_INLINE std::uint32_t hashPlace(std::uint32_t x, std::uint32_t y, std::uint32_t z, std::uint32_t seed) {
  // Rounds of the "lowbias32" integer hash (Wellons, "Prospecting for hash functions", 2018) over a sum with odd
  // factors.
  std::uint32_t h = x * 0x8da6b343U + y * 0xd8163841U + z * 0xcb1ab31fU + seed;
  h = (h ^ (h >> 16)) * 0x7feb352dU;
  h = (h ^ (h >> 15)) * 0x846ca68bU;
  return h ^ (h >> 16);
}

/// Dot of the hashed gradient with the offset: the gradient's three components are drawn in −1…1 from the hash's bits,
/// which needs no branch.
ARVESK_INLINE float corner(std::uint32_t x, std::uint32_t y, std::uint32_t z, std::uint32_t seed, float dx, float dy,
                           float dz) {
  const std::uint32_t h = hashPlace(x, y, z, seed);
  const float gx = static_cast<float>(static_cast<std::int32_t>(h & 1023U) - 512) * (1.0F / 512.0F);
  const float gy = static_cast<float>(static_cast<std::int32_t>((h >> 10) & 1023U) - 512) * (1.0F / 512.0F);
  const float gz = static_cast<float>(static_cast<std::int32_t>((h >> 20) & 1023U) - 512) * (1.0F / 512.0F);
  return gx * dx + gy * dy + gz * dz;
}

ARVESK_INLINE float fade(float t) { return t * t * t * (t * (t * 6.0F - 15.0F) + 10.0F); }
ARVESK_INLINE float mix(float a, float b, float t) { return a + (b - a) * t; }

/// Floor by conversion, which vectorizes where std::floor does not; |v| below 2^31.
ARVESK_INLINE std::int32_t floorToInt(float v) {
  const std::int32_t i = static_cast<std::int32_t>(v);
  return i - static_cast<std::int32_t>(v < static_cast<float>(i));
}

ARVESK_INLINE float oneValue(float x, float y, float z, std::uint32_t seed) {
  const std::int32_t xi = floorToInt(x);
  const std::int32_t yi = floorToInt(y);
  const std::int32_t zi = floorToInt(z);
  const float fx = x - static_cast<float>(xi);
  const float fy = y - static_cast<float>(yi);
  const float fz = z - static_cast<float>(zi);
  const auto ux = static_cast<std::uint32_t>(xi);
  const auto uy = static_cast<std::uint32_t>(yi);
  const auto uz = static_cast<std::uint32_t>(zi);
  const float u = fade(fx);
  const float v = fade(fy);
  const float w = fade(fz);
  const float c000 = corner(ux, uy, uz, seed, fx, fy, fz);
  const float c100 = corner(ux + 1, uy, uz, seed, fx - 1, fy, fz);
  const float c010 = corner(ux, uy + 1, uz, seed, fx, fy - 1, fz);
  const float c110 = corner(ux + 1, uy + 1, uz, seed, fx - 1, fy - 1, fz);
  const float c001 = corner(ux, uy, uz + 1, seed, fx, fy, fz - 1);
  const float c101 = corner(ux + 1, uy, uz + 1, seed, fx - 1, fy, fz - 1);
  const float c011 = corner(ux, uy + 1, uz + 1, seed, fx, fy - 1, fz - 1);
  const float c111 = corner(ux + 1, uy + 1, uz + 1, seed, fx - 1, fy - 1, fz - 1);
  const float near = mix(mix(c000, c100, u), mix(c010, c110, u), v);
  const float far = mix(mix(c001, c101, u), mix(c011, c111, u), v);
  return mix(near, far, w);
}

/// Distance to the nearest of one hashed place per unit cell, 0 at the place, 1 about as far as it gets.
float cellular(float x, float y, float z, std::uint32_t seed) {
  const std::int32_t xi = floorToInt(x);
  const std::int32_t yi = floorToInt(y);
  const std::int32_t zi = floorToInt(z);
  float best = 9;
  for (std::int32_t k = -1; k <= 1; ++k)
    for (std::int32_t j = -1; j <= 1; ++j)
      for (std::int32_t i = -1; i <= 1; ++i) {
        const std::uint32_t h = hashPlace(static_cast<std::uint32_t>(xi + i), static_cast<std::uint32_t>(yi + j),
                                          static_cast<std::uint32_t>(zi + k), seed);
        const float px = static_cast<float>(xi + i) + static_cast<float>(h & 1023U) / 1024.0F - x;
        const float py = static_cast<float>(yi + j) + static_cast<float>((h >> 10) & 1023U) / 1024.0F - y;
        const float pz = static_cast<float>(zi + k) + static_cast<float>((h >> 20) & 1023U) / 1024.0F - z;
        best = std::min(best, px * px + py * py + pz * pz);
      }
  return std::min(1.0F, std::sqrt(best));
}

}  // namespace

float gradientNoiseScalar(float x, float y, float z, std::uint32_t seed) { return oneValue(x, y, z, seed); }

ARVESK_CLONES
void gradientNoise(const float* __restrict x, const float* __restrict y, const float* __restrict z, std::size_t count,
                   std::uint32_t seed, float* __restrict out) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) out[i] = oneValue(x[i], y[i], z[i], seed);
}

void noiseValues(const NoiseSettings& s, const float* x, const float* y, const float* z, std::size_t count,
                 float* out) {
  constexpr std::size_t kBatch = 512;
  std::array<float, kBatch> px;
  std::array<float, kBatch> py;
  std::array<float, kBatch> pz;
  std::array<float, kBatch> octave;
  const Vec3 perMeter = 1.0F / (glm::max(s.stretch, Vec3(1e-4F)) * std::max(s.size, 1e-4F));
  for (std::size_t from = 0; from < count; from += kBatch) {
    const std::size_t n = std::min(kBatch, count - from);
    std::fill(out + from, out + from + n, 0.0F);
    float strength = 1;
    float total = 0;
    float frequency = 1;
    for (int o = 0; o < s.octaves; ++o) {
      // The limit keeps the lattice place within an int.
      const auto scaled = [&](float v, int axis) {
        return std::clamp((v + s.offset[axis]) * perMeter[axis] * frequency, -1e9F, 1e9F);
      };
      for (std::size_t i = 0; i < n; ++i) {
        px[i] = scaled(x[from + i], 0);
        py[i] = scaled(y[from + i], 1);
        pz[i] = scaled(z[from + i], 2);
      }
      const auto seed = static_cast<std::uint32_t>(mix64(s.seed + static_cast<std::uint64_t>(o) * 0x51ed27U));
      if (s.form == NoiseForm::Cellular)
        for (std::size_t i = 0; i < n; ++i) octave[i] = 2 * cellular(px[i], py[i], pz[i], seed) - 1;
      else
        gradientNoise(px.data(), py.data(), pz.data(), n, seed, octave.data());
      if (s.form == NoiseForm::Ridged)
        for (std::size_t i = 0; i < n; ++i) octave[i] = 1 - 2 * std::min(1.0F, std::abs(octave[i]) * 2);
      for (std::size_t i = 0; i < n; ++i) out[from + i] += strength * octave[i];
      total += strength;
      strength *= s.roughness;
      frequency *= 2;
    }
    // Gradient noise mostly stays within ±0.6; the factor lets contrast 1 use most of 0…1.
    const float spread = (s.form == NoiseForm::Plain ? 0.8F : 0.5F) * s.contrast / total;
    for (std::size_t i = 0; i < n; ++i) out[from + i] = std::clamp(0.5F + out[from + i] * spread, 0.0F, 1.0F);
  }
}

}  // namespace arvesk
