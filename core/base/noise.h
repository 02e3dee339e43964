// Gradient noise with hashed gradients, in batches that vectorize; results are bit-equal on every instruction set.
#pragma once

#include "core/base/hash.h"
#include "core/base/vec.h"

namespace arvesk {

enum class NoiseForm { Plain, Ridged, Cellular };

struct NoiseSettings {
  float size = 5;          // m of the largest features
  int octaves = 3;         // 1…12
  float roughness = 0.5F;  // strength of each octave against the one before
  float contrast = 1;      // about the middle
  Vec3 stretch{1};         // per axis, 2 makes features twice as long
  Vec3 offset{0};          // m
  NoiseForm form = NoiseForm::Plain;
  std::uint32_t seed = 0;
};

/// Noise in 0…1 at x, y, z (m; count of each), into `out`. Gradient noise after Perlin, "Improving noise" (SIGGRAPH
/// 2002), with gradients from a hash of the lattice place instead of a permutation table; cellular after Worley, "A
/// cellular texture basis function" (SIGGRAPH 1996).
void noiseValues(const NoiseSettings& settings, const float* x, const float* y, const float* z, std::size_t count,
                 float* out);

/// One octave of signed gradient noise, about −1…1; the plain scalar form of the same function, for tests and as a
/// baseline.
float gradientNoiseScalar(float x, float y, float z, std::uint32_t seed);

/// One octave for a batch; bit-equal to gradientNoiseScalar.
void gradientNoise(const float* x, const float* y, const float* z, std::size_t count, std::uint32_t seed, float* out);

}  // namespace arvesk
