// The picture while it grows: sums of samples, and the depth of what each pixel shows for overlays.
#pragma once

#include "core/base/array.h"
#include "core/base/vec.h"

#include <optional>

namespace arvesk {

struct Camera {
  Vec3 eye{30, 20, 30};
  Vec3 target{0};
  float fieldOfViewDeg = 45;  // vertical
  struct Sun {
    float headingDeg = 40;
    float heightDeg = 38;
    bool operator==(const Sun&) const = default;
  };
  std::optional<Sun> sun{};  // in place of the scene's
  /// What is nearer or farther than `focus` blurs; all is sharp while the radius is 0.
  struct Lens {
    float radius = 0;  // m, of the opening
    float focus = 10;  // m along the view
    bool operator==(const Lens&) const = default;
  };
  Lens lens{};

  bool operator==(const Camera&) const = default;
  /// Unit direction through the place x, y in 0…1 from the left top.
  Vec3 direction(float x, float y, float aspect) const;
  /// Place on the picture in pixels and distance along the view; z ≤ 0 is behind.
  Vec3 projected(const Vec3& world, int width, int height) const;
  void basis(Vec3& right, Vec3& up, Vec3& ahead) const;
  /// Radius in m of a lens of that f-number that sees so much on film 24 mm high.
  float radiusOfLens(float fNumber) const;
};

/// A camera that shows the whole box from a given side.
Camera cameraFitting(const Box3& box, const Camera& looking);

struct Film {
  int width = 0;
  int height = 0;
  int samples = 0;        // full-resolution samples per pixel so far
  Array<Vec3> sum;        // row by row from the top; linear light
  Array<float> distance;  // m from the eye, infinite for sky

  Film() = default;
  Film(int w, int h);
  std::size_t at(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x);
  }
  /// 8-bit sRGB through a filmic curve, 0xffRRGGBB.
  void develop(std::uint32_t* out) const;
};

/// Filmic curve (Narkowicz, "ACES filmic tone mapping curve", 2016), then sRGB.
Vec3 tonemapped(const Vec3& linear);
/// The linear light that a film develops into a color (sRGB, 0 to 1).
Vec3 lightThatShows(const Vec3& srgb);

/// Colors for values 0…1: lightness rises evenly, hues told apart by all common kinds of color sight.
Vec3 scaleColor(float value);

}  // namespace arvesk
