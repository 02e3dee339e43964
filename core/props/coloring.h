// The colors of placements: what a point's tint and own color make of its prop. Site and every export share it.
#pragma once

#include "core/geometry/points.h"
#include "core/geometry/surface.h"

namespace arvesk {

/// Attributes that say it. Tint: turns of the color wheel (1 is all round), more or less saturation and brightness as
/// shares. Own color: linear light, in place of the prop's by a share of 0…1 (1 where nothing says).
inline constexpr const char* kTint = "tint";
inline constexpr const char* kOwnColor = "own-color";
inline constexpr const char* kOwnColorShare = "own-color-share";

/// Hue turn about the gray axis (Rodrigues), saturation and brightness, in a way that keeps linear light positive.
Vec3 tinted(Vec3 color, const Vec3& tint);
/// "#rrggbb" in linear light; nothing for any other text.
std::optional<Vec3> colorFromHex(std::string_view hex);

class PointColors {
 public:
  explicit PointColors(const Points& points);
  /// Is every prop as it was made?
  bool isPlain() const { return !m_tint && !m_own; }
  /// What becomes of a color of the prop (linear light) on point i: first its own color, which keeps the prop's light
  /// and shade, then the tint.
  Vec3 apply(Vec3 color, std::size_t i, const Vec3& meanOfProp) const;
  /// The one factor that comes nearest where only a factor can be said: the mean color's.
  Vec3 factor(std::size_t i, const Vec3& meanOfProp) const;

 private:
  const Column<Vec3>* m_tint;
  const Column<Vec3>* m_own;
  const Column<float>* m_share;
};

/// Mean color by area of a mesh, linear light: materials, textures (at the middles of faces) and vertex colors.
Vec3 meanColorOf(const Surface& surface);

/// The material's color at each vertex, without vertex colors. Vertices have one material (splitByMaterial).
Array<Vec3> materialColors(const Surface& surface);

}  // namespace arvesk
