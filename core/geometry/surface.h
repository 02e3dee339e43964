// Triangles: ground to place on and shapes of props. Immutable once published as SurfacePtr; arrays are shared.
#pragma once

#include "core/base/hand_points.h"
#include "core/base/shared_array.h"
#include "core/geometry/attributes.h"
#include "core/geometry/body_frame.h"
#include "core/geometry/derived.h"
#include "core/geometry/image.h"

namespace arvesk {

struct Motion;  // motion.h

struct Material {
  std::string name;
  Vec4 baseColor{0.62F, 0.61F, 0.58F, 1};  // linear light
  float roughness = 0.8F;
  float metallic = 0;
  bool isTwoSided = false;
  float cutBelow =
      0;  // where base color, texture and vertex color together have less alpha than this there is a hole; 0: nowhere
  bool isBlended = false;                  // its file asks for blending; Site draws it cut at one half
  std::shared_ptr<const Texture> texture;  // base color, may be null
  std::shared_ptr<const std::vector<std::uint8_t>> textureFile;  // as read (PNG or JPEG), for export
  std::string textureType;                                       // "image/png" or "image/jpeg"
};

/// A named place in a scene file: a mesh's node or an empty one. Mount points and layout placeholders are read from
/// these.
/// What the maker of a file wrote to a node besides its place.
using NodeValue = std::variant<double, std::string>;

struct SceneNode {
  std::string name;
  std::int32_t parent = -1;  // index into the list, which holds parents before children
  Vec3 position{0};          // m, in the space of the vertices
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};            // factors; below 0 where the node is mirrored
  bool isSheared = false;  // in its file; place, turn and size cannot say it
  std::map<std::string, NodeValue> values{};
};

/// Splits a transform into place, turn and size.
SceneNode sceneNodeOf(std::string name, std::int32_t parent, const glm::dmat4& world);

/// Of a surface that was moved and turned as a whole: its vertices before that, and how it lies since. What is made of
/// the shape alone serves all places that it is moved to. A copy, which is made to be changed, knows nothing of it.
class AtRest {
 public:
  AtRest() = default;
  AtRest(SharedArray<Vec3> before, const BodyFrame& since) : positions(std::move(before)), frame(since) {}
  AtRest(const AtRest&) {}
  AtRest& operator=(const AtRest& other) {
    if (this != &other) *this = AtRest();
    return *this;
  }
  AtRest& operator=(AtRest&&) = default;
  ~AtRest() = default;

  bool isKnown() const { return !positions.empty(); }

  SharedArray<Vec3> positions;
  BodyFrame frame;
};

struct Surface {
  std::string name;
  SharedArray<Vec3> positions;               // vertex × xyz, m, world
  SharedArray<Vec3> rest;                    // where vertices lay before it bent; empty: it does not (plan/riding.h)
  SharedArray<UVec3> triangles;              // face × three vertex indices, counter-clockwise from outside
  SharedArray<Vec3> normals;                 // vertex × xyz, unit; empty when the file has none
  SharedArray<Vec2> uvs;                     // vertex × uv, or empty
  SharedArray<Vec4> colors;                  // vertex × rgba, linear light, or empty
  SharedArray<std::uint16_t> faceMaterials;  // face → index into materials; empty when there is one at most
  SharedArray<std::uint16_t> faceParts;      // face → index into parts; empty when there is one at most
  // What faces and vertices are called, whatever is cut off or merged: points and picks go by these. The lower half is
  // the index in the surface that they come from, the upper one tells merged surfaces apart. Empty: the index.
  SharedArray<std::uint64_t> faceKeys;
  SharedArray<std::uint64_t> vertexKeys;
  std::vector<Material> materials;
  std::vector<std::string> parts;   // names of objects in the file
  bool arePartsObjects = false;     // exported as an object each
  std::vector<SceneNode> nodes;     // of the file, parents first
  std::vector<GroundPiece> pieces;  // how each lies that was moved, turned or sized; empty: one, as it was made
  Attributes vertexAttributes;
  std::shared_ptr<const Motion> motion;  // of the file, which still lies at rest here; null: it has none
  bool hasOwnNormals = true;             // false when the reader had to compute them
  bool isMirrored = false;               // a part of the file has a negative scale; its faces were turned round
  bool isShown = true;                   // in Site
  Derived derived;                       // made when asked for; never shared with a copy
  AtRest atRest;

  std::size_t faceCount() const { return triangles.size(); }
  std::uint64_t faceKey(std::size_t face) const { return faceKeys.empty() ? face : faceKeys[face]; }
  std::uint64_t vertexKey(std::size_t vertex) const { return vertexKeys.empty() ? vertex : vertexKeys[vertex]; }
  Box3 bounds() const;
  /// Unit normal of the flat face; straight up when it has no area.
  Vec3 faceNormal(std::size_t face) const;
  float faceArea(std::size_t face) const;
  const Material& materialOf(std::size_t face) const;
  void countBytes(ByteCounter& counter) const;
  std::size_t bytes() const;  // with all that hangs on it
  // What lies at barycentric weights (of the second and third corner) of a face. Inline: a million points ask one after
  // the other.
  template <typename T>
  static T between(const SharedArray<T>& values, const UVec3& t, Vec2 w) {
    return values[t.x] * (1 - w.x - w.y) + values[t.y] * w.x + values[t.z] * w.y;
  }
  template <typename T>
  static T between(const Column<T>& values, const UVec3& t, Vec2 w) {
    return values[t.x] * (1 - w.x - w.y) + values[t.y] * w.x + values[t.z] * w.y;
  }
  Vec3 positionAt(std::size_t face, Vec2 weights) const { return between(positions, triangles[face], weights); }
  /// Smooth normal, or the face's own when there are none.
  Vec3 normalAt(std::size_t face, Vec2 weights) const {
    if (normals.empty()) return faceNormal(face);
    const Vec3 smooth = between(normals, triangles[face], weights);
    const float squared = glm::dot(smooth, smooth);
    return squared > 1e-12F ? smooth / std::sqrt(squared) : faceNormal(face);
  }
  /// The weights themselves when there are no uvs.
  Vec2 uvAt(std::size_t face, Vec2 weights) const {
    return uvs.empty() ? weights : between(uvs, triangles[face], weights);
  }
};

using SurfacePtr = std::shared_ptr<const Surface>;

/// Normals by angle-weighted faces (Thürmer and Wüthrich, "Computing vertex normals from polygonal facets", 1998).
void computeSmoothNormals(Surface& surface);

/// Of one that bends: as it lay before, with the same faces and keys. What is to be the same at every moment is made of
/// this one.
SurfacePtr restOf(const Surface& surface);

/// Checks what every part of the program relies on: indices in range, finite numbers, array lengths. Used after each
/// import.
Result<void> checkSurface(const Surface& surface);
/// What is said of a file without triangles where triangles are needed.
Failure noTriangles();

/// Flat and smooth normals by angle: corners whose faces meet at less than `creaseDeg` share a normal. Vertices are
/// split where they must be.
Surface withCreases(const Surface& surface, float creaseDeg);

/// Columns and rows of vertices of a surface that is one grid, as a height image makes it: two triangles per cell,
/// parted from its first corner to the one across. No columns: it is none.
struct GridShape {
  std::uint32_t columns = 0;
  std::uint32_t rows = 0;
};
GridShape gridShapeOf(const Surface& surface);

/// Gives each material vertices of its own, so that a vertex has one color.
void splitByMaterial(Surface& surface);

/// Some faces of a surface, with the vertices they use.
Surface cutTo(const Surface& surface, const Array<std::uint32_t>& faces);

/// Each part that has faces as a surface of its own, in order; its name is the part's. In time that grows with the
/// faces, however many parts there are.
std::vector<Surface> partsOf(const Surface& surface);

/// Scale, turn and move of a whole surface, its nodes with it.
Surface transformed(const Surface& surface, const Vec3& move, const Quat& turn, float size);

}  // namespace arvesk
