// The pieces of a broken body as props, each with its home in the body, and all of them there as one surface.
#pragma once

#include "core/base/result.h"
#include "core/base/task.h"
#include "core/geometry/prop.h"
#include "core/spatial/cut_faces.h"

namespace arvesk {

enum class PiecePivot { Middle, Base, Home };
/// Of vertex colors.
enum class Channel { None, Red, Green, Blue, Alpha };

/// A body that is broken: a surface, or a prop of a kit.
struct PieceOwner {
  std::string of;   // uid of the body
  std::string uid;  // what the pieces' uids begin with
  std::string name;
  SurfacePtr surface;
  Home home;  // of its own
  std::vector<std::string> tags;
  int variant = 0;  // from 0: of several ways to break it
};

struct PieceRule {
  CellShape shape;
  CellGroups groups;
  PiecePivot pivot = PiecePivot::Middle;  // center of mass, below it at the lowest height, or the owner's own
  double smallest = 0;                    // m³: what is less is left out
  Vec3 cutColor{0.5F};                    // linear light
  // Where vertex colors hold cut and wear too; the higher one where both are in one.
  Channel cutChannel = Channel::None;
  Channel wearChannel = Channel::None;
  CutRule cuts;
  std::size_t mostTriangles = 5'000'000;  // of all pieces
};

struct Pieces {
  // Named owner/number, by cell and part, the number after a letter in further variants; in meters about their pivots.
  std::vector<PropPtr> props;
  SurfacePtr whole;            // all of them at home, each a part of its own
  std::size_t slivers = 0;     // left out
  double sliverVolume = 0;     // m³
  double volume = 0;           // m³, of the body
  double pieceVolume = 0;      // m³, of the pieces: less by slivers, and by what is worn away
  std::size_t openShells = 0;  // of the owner: no part of it
  std::size_t shells = 0;      // of the owner, closed
  double thickness = 0;        // m, of the body, as if it were a plate: twice its volume by its area
};

/// m³ that a closed surface encloses, by the divergence theorem.
double closedVolume(const Surface& closed);

/// The props of a kit as pieces of one whole, which they are where they lie at home: with their volume where they are
/// closed, and what they meet there within `gap` m.
KitPtr asPiecesOf(const Kit& kit, const std::string& owner, const std::string& ownerName, double gap, const Task& task);

/// Breaks a body into the cells of `seeds` (m, where the owner's vertices are). Vertices of the owner keep their place,
/// normal, uv and color bit for bit in `whole`; a piece has them about its pivot. What is new on the skin lies between
/// them; cuts have a material of their own and uvs in meters. Every vertex carries cut: 1 on cuts, 0 on the
/// skin; and wear: 1 on worn edges, 0 where nothing is worn. What is worn does not lie where it did.
Result<Pieces> piecesOf(const PieceOwner& owner, const std::vector<DVec3>& seeds, const PieceRule& rule,
                        const Task& task);

}  // namespace arvesk
