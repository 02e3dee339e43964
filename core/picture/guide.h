// A clean picture from few samples: the light that surfaces get is smoothed over what belongs together.
#pragma once

#include "core/base/task.h"
#include "core/picture/film.h"

namespace arvesk {

/// Sums over a film's samples of what its pixels are made of: color = rest + share · light.
struct FilmGuide {
  Array<Vec3> light;         // that the first surface gets from sun and sky; linear
  Array<Vec3> share;         // of that light that reaches the eye: base color, dimmed by water, haze and ghosts
  Array<Vec3> normal;        // of the first surface, toward the eye; 0 for sky
  Array<float> squares;      // of the light's luminance
  Array<float> distance;     // m from the eye to the first surface, of the samples that met one
  Array<std::uint16_t> met;  // samples that met a surface

  explicit FilmGuide(const Film& film);
  void add(std::size_t pixel, bool startsAnew, const Vec3& seenLight, const Vec3& seenShare, const Vec3& seenNormal,
           float seenDistance);
};

/// The film with `amount` (0…1) of its grain of light taken out: light comes from neighbors of alike normal, plane and
/// brightness within what the samples leave open; base colors, water, sky and haze stay as they are. 0 and films
/// without samples are given back as they are. Null after a cancel. Edge-avoiding wavelets (Dammertz, Sewtz, Hanika and
/// Lensch, "Edge-avoiding À-Trous wavelet transform for fast global illumination filtering", High Performance Graphics,
/// 2010), rows and columns in turn, led by the variance of the samples (Schied et al., "Spatiotemporal variance-guided
/// filtering", High Performance Graphics, 2017).
std::optional<Film> cleaned(const Film& film, const FilmGuide& guide, const Camera& camera, float amount,
                            const Task& task);

}  // namespace arvesk
