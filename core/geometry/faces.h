// Faces as people see them. One definition for picking, points, samples and parts: flat neighbors as one, two of them
// as a quad, or single triangles. The order of triangles in the file makes no difference.
#pragma once

#include "core/geometry/surface.h"

#include <span>

namespace arvesk {

enum class FacesAre {
  Quads,      // two triangles that make a flat, convex quad; single triangles where none is made
  FlatAreas,  // all neighbors that are joined within an angle
  Triangles,
};

struct FaceRule {
  FacesAre are = FacesAre::Quads;
  float angleDeg = 1;  // most between neighbors that are one face
  bool operator==(const FaceRule&) const = default;
};

/// Which triangles belong together. Parts and materials are never mixed; triangles without area belong to none.
struct Faces {
  Array<std::uint32_t> ofTriangle;  // triangle → face, or kNoTriangleFace
  Array<std::uint32_t> start;       // face → place in `triangles`; one more at the end
  Array<std::uint32_t> triangles;   // rising within a face
  std::size_t count() const { return start.size() - 1; }
  std::span<const std::uint32_t> of(std::size_t face) const {
    return {triangles.data() + start[face], start[face + 1] - start[face]};
  }
  void countBytes(ByteCounter& counter) const {
    counter.add(this, (ofTriangle.capacity() + start.capacity() + triangles.capacity()) * sizeof(std::uint32_t));
  }
};
inline constexpr std::uint32_t kNoTriangleFace = 0xffffffffU;

/// The faces of a surface, in order of their first triangle. Made when first asked for.
std::shared_ptr<const Faces> facesBy(const Surface& surface, const FaceRule& rule);

/// What a face is called: the lowest key of its triangles. It stays while that triangle does.
std::uint64_t keyOfFace(const Surface& surface, const Faces& faces, std::size_t face);

/// Where the middle of a face lies: its area's middle, or the place of the face that is nearest to that.
struct FaceMiddle {
  Vec3 place{0};
  Vec3 normal = kUp;  // by area
  float area = 0;     // m²
  std::uint32_t triangle = 0;
  Vec2 weights{0};  // of the second and third corner of that triangle
};
FaceMiddle middleOf(const Surface& surface, const Faces& faces, std::size_t face);

/// A straight side of a face's outline.
struct FaceSide {
  std::uint32_t fromVertex = 0;
  std::uint32_t toVertex = 0;
  Vec3 from{0};
  Vec3 to{0};
  std::uint32_t triangle = 0;  // that its middle lies on
  Vec2 weights{0};
};
/// Counterclockwise seen against the normal, from the first corner of the face's lowest-keyed triangle that is on the
/// outline; holes after the outer outline. Of flat areas, what runs on straight is one side.
std::vector<FaceSide> sidesOf(const Surface& surface, const Faces& faces, std::size_t face, FacesAre are);

/// Which side of a face a direction is taken from.
enum class WhichSide { Longest, Shortest, First, Second, Third };
/// From its start to its end; zero where there are no sides. Of two that are equal within a thousandth the first.
Vec3 alongSide(const std::vector<FaceSide>& sides, WhichSide which);

/// One sense for a direction along an edge of a face that leans: what runs along the slope looks down it, what runs
/// across has the low side at its left, so that both slopes of a roof are alike. On level faces: between east and
/// south.
Vec3 edgeSense(const Vec3& direction, const Vec3& normal);

/// Closest place of a triangle, as barycentric weights of b and c (Ericson, "Real-Time Collision Detection", 2005,
/// section 5.1.5).
Vec2 closestWeights(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c);

}  // namespace arvesk
