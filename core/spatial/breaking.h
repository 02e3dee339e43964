// Closed bodies broken into the cells of points: each piece is closed, and pieces fit each other bit for bit.
#pragma once

#include "core/base/result.h"
#include "core/spatial/shells.h"

#include <array>
#include <functional>

namespace arvesk {

/// Cells are longer along `along` by `factor` than across it: splinters. Of factor 1 they are as round as can be. All
/// that as it is once the body is sized by `size`, which makes even cells of a body that will be uneven.
struct CellShape {
  DVec3 along{0, 1, 0};  // unit
  double factor = 1;
  DVec3 size{1};
  /// A way in the body, as long as it counts for what is nearest.
  DVec3 seen(const DVec3& way) const {
    const DVec3 d = size * way;
    return d + (1 / factor - 1) * glm::dot(d, along) * along;
  }
  /// The other way round.
  DVec3 unseen(const DVec3& way) const { return (way + (factor - 1) * glm::dot(way, along) * along) / size; }
};

/// One triangle of a piece, by places of Broken. On the body's skin `from` is the triangle that it was cut out of, and
/// `weights` are those of that one's second and third corner at each of its own, as shells.triangles has them; on a
/// cut, `from` is kCut and `beyond` the piece behind it, by its place in Broken::pieces.
struct BrokenTriangle {
  std::array<std::uint32_t, 3> places;
  std::uint32_t from;
  std::uint32_t beyond = 0;
  std::array<Vec2, 3> weights{};
  static constexpr std::uint32_t kCut = 0xFFFFFFFF;
};

/// What hangs together of one cell.
struct BrokenPiece {
  std::uint32_t seed = 0;   // whose cell it is part of
  std::uint32_t part = 0;   // of that cell, from 0
  std::uint32_t first = 0;  // of its triangles: those of the skin, then those of the cuts
  std::uint32_t count = 0;
  double volume = 0;  // m³
  DVec3 center{0};    // of mass, m
};

/// Two pieces that meet: a < b.
struct BrokenContact {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  double area = 0;  // m²
};

struct Broken {
  std::vector<DVec3> places;  // m: those of the body first, as they were
  std::vector<BrokenTriangle> triangles;
  std::vector<BrokenPiece> pieces;  // by seed and part
  std::vector<BrokenContact> contacts;
  double volume = 0;  // m³, of all pieces
};

/// Works out anew what pieces and contacts measure, from where places are.
void measure(Broken& broken);

/// Which cells make one piece, where they hang together. Of neither, each is a piece.
struct CellGroups {
  std::vector<std::uint32_t> of;                               // by seed: the same of those that do
  std::function<bool(std::uint32_t, std::uint32_t)> isParted;  // do two seeds not? In place of `of`
  bool areAny() const { return !of.empty() || isParted; }
};

/// Makes one piece of all that hang together of a group: what lies between them is no cut any more. A piece's seed is
/// its group then; where cells are only parted, all are of group 0.
void joinCells(Broken& broken, const CellGroups& groups);

/// Breaks the closed shells of a body: every place inside goes to the nearest of `seeds` (m), as seen along the shape.
/// New places lie where an edge of the skin crosses from one cell to another, where a corner of three cells passes
/// through a triangle, and where four cells meet inside; each is worked out once, by what meets there, so that whatever
/// meets there shares it. Fails with words for whoever uses it: WrongInput where no shell is closed or where they cross
/// themselves or each other.
Result<Broken> breakUp(const Shells& body, const std::vector<DVec3>& seeds, const CellShape& shape);

}  // namespace arvesk
