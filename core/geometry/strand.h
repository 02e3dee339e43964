// Lines that hang between two ends, and tubes about lines: ropes, wires, roots.
#pragma once

#include "core/base/task.h"
#include "core/geometry/surface.h"

#include <span>

namespace arvesk {

/// Where a chain of a length (m, at least the distance of its ends) hangs between two places: `segments` + 1 places, as
/// far from each other along it (the catenary; Euler 1744, Newton's method on sinh(x)/x for its parameter). A length
/// that is shorter gives the straight line. Ends that lie straight above each other let it hang in a narrow loop.
std::vector<Vec3> hangingLine(const Vec3& from, const Vec3& to, double length, std::size_t segments);

double lengthOfLine(std::span<const Vec3> line);
/// The place at a share (0…1) of the line's length, and which way it runs there (unit).
struct OnLine {
  Vec3 place{0};
  Vec3 along{0, 0, 1};
};
OnLine onLine(std::span<const Vec3> line, double share);

/// A tube of `sides` sides about a line, closed at both ends, its radius going evenly from `radiusFrom` to `radiusTo`.
struct Tube {
  std::vector<Vec3> line;
  float radiusFrom = 0.01F;
  float radiusTo = 0.01F;
  std::uint32_t sides = 6;
  std::uint64_t key = 0;  // faces and vertices are called by it
};
/// All tubes as one surface. u goes once around, v along in the same measure; frames are carried along without twist
/// (Hanson and Ma, "Parallel transport approach to curve framing", 1995).
Surface tubesOf(const std::vector<Tube>& tubes, const Task& task);
std::size_t triangleCount(const Tube& tube);

}  // namespace arvesk
