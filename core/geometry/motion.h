// How the mesh of a file moves: clips that move its nodes, shapes that are mixed into its parts, and skins over joints
// (glTF 2.0, 3.7 Geometry and 3.11 Animations). Immutable once it hangs on a surface.
#pragma once

#include "core/base/task.h"
#include "core/geometry/surface.h"

#include <array>

namespace arvesk {

struct Motion {
  /// What one clip does to one thing of one node. Times never go back; before the first and after the last nothing
  /// changes.
  struct Track {
    enum class Of : std::uint8_t { Place, Turn, Size, Shares };
    enum class Between : std::uint8_t { Held, Even, Curved };
    std::uint32_t node = 0;
    Of of = Of::Place;
    Between between = Between::Even;
    std::vector<float> times;   // s
    std::vector<float> values;  // time × components; Curved: time × (tangent in, value, tangent out) × components
    std::size_t width() const;  // components
  };
  struct Clip {
    std::string name;
    std::vector<Track> tracks;
    float length() const;  // s, the last time of its tracks
  };
  /// As Surface::nodes, in the same order; where it lies in its parent.
  struct Joint {
    Vec3 place{0};
    Quat turn{1, 0, 0, 0};
    Vec3 size{1};
    std::optional<glm::dmat4> matrix;  // in place of these; such a node has no tracks
    std::vector<float> shares;         // of each shape of its parts
  };
  struct Skin {
    std::vector<std::uint32_t> joints;
    std::vector<glm::dmat4> fromBind;  // into each joint's own space
  };
  /// Where vertices move to when all of it is mixed in.
  struct Shape {
    SharedArray<Vec3> by;        // vertex of the part × xyz; empty: it moves none
    SharedArray<Vec3> normalBy;  // or empty
  };
  /// Vertices that follow each other and hang on one node.
  struct Part {
    std::uint32_t first = 0;
    std::uint32_t node = 0;
    std::int32_t skin = -1;
    SharedArray<Vec3> positions;  // in the space of the node, or of the skin as it was bound
    SharedArray<Vec3> normals;    // likewise; empty: the file has none
    std::vector<Shape> shapes;
    std::uint32_t perVertex = 0;  // joints of the skin that a vertex follows
    SharedArray<std::uint16_t> joints;
    SharedArray<float> weights;
  };
  std::vector<Clip> clips;
  std::vector<Joint> nodes;
  std::vector<std::int32_t> parents;  // −1: none; before their children
  std::vector<Skin> skins;
  std::vector<Part> parts;

  void countBytes(ByteCounter& counter) const;
  /// Indices in range, times that do not go back, numbers that are numbers, arrays of their lengths, for a surface of
  /// this many vertices and nodes. Also of what a damaged cache may hold.
  Result<void> check(std::size_t vertexCount, std::size_t nodeCount) const;
};

/// Where all nodes and vertices lie.
struct Pose {
  std::vector<glm::dmat4> nodes;           // world from node
  std::vector<std::vector<float>> shares;  // of each node
};
/// With the clips `which` at `seconds` each (s from their beginning); of two that move the same the later one counts.
Pose poseOf(const Motion& motion, const std::vector<std::uint32_t>& which, double seconds);

/// Places and normals of a part's vertices in that pose, into positions[part.first…] and normals[part.first…]
/// (skipped when null). Normals follow shapes that have none of their own by the turn of the faces around them.
void posePart(const Motion& motion, const Motion::Part& part, const Pose& pose, const Task& task, Vec3* positions,
              Vec3* normals);

/// The surface that carries `motion` as it lies then: places, normals and nodes; `rest` is where its vertices lay.
/// Anything after a cancel.
Surface posed(const Surface& surface, const Motion& motion, const std::vector<std::uint32_t>& which, double seconds,
              const Task& task = {});

}  // namespace arvesk
