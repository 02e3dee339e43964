// Numbers and text of points by name, as people ask for them: built-in ones (x, y, z, height, slope, size, footprint,
// prop) and attributes.
#pragma once

#include "core/geometry/points.h"

namespace arvesk {

/// Of points on props: where they lie and which way is up there, in the prop's own frame at size 1 (m, unit vector).
inline constexpr const char* kPropPlace = "prop-place";
inline constexpr const char* kPropNormal = "prop-normal";

/// Numbers named `name` of points begin…end into out; false (and zeros) when the points have no such number. In names
/// "_" also stands for "-", so that formulas can use every attribute; parts of vectors are "name_x", "name_y",
/// "name_z".
bool readNumbers(const Points& points, const std::string& name, std::size_t begin, std::size_t end, float* out);

/// The text named `name` of one point ("prop" is the prop's name); nothing when there is none.
std::optional<std::string> readText(const Points& points, const std::string& name, std::size_t i);

/// All names of numbers, built-in ones first.
std::vector<std::string> numberNames(const Points& points);
/// All names of texts.
std::vector<std::string> textNames(const Points& points);

/// How long placements are along their own axes, m: the box of their prop's geometry × their size. Of points without a
/// prop (or with one that has no geometry) 1 m × their size.
class Extents {
 public:
  explicit Extents(const Points& points);
  Vec3 atSizeOne(std::size_t i) const;
  Vec3 operator()(std::size_t i) const { return atSizeOne(i) * glm::abs(m_points.size[i]); }

 private:
  const Points& m_points;
  std::vector<Vec3> m_ofProps;  // in the kit's order
};

/// What a draw goes by: the point itself, its parent, or its patch (the point's own id where it has none).
enum class DrawPer { Point, Parent, Patch };
std::uint64_t drawId(const Points& points, DrawPer per, std::size_t i);

}  // namespace arvesk
