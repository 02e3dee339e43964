// The pieces of a broken body as props, each with its home in the body, and all of them there as one surface.
#pragma once

#include "core/base/result.h"
#include "core/base/task.h"
#include "core/geometry/prop.h"
#include "core/spatial/cut_faces.h"

namespace arvesk {

enum class PiecePivot { Middle, Base, Home };

/// A body that is broken: a surface, or a prop of a kit.
struct PieceOwner {
  std::string uid;
  std::string name;
  SurfacePtr surface;
  Home home;  // of its own
  std::vector<std::string> tags;
};

struct PieceRule {
  CellShape shape;
  PiecePivot pivot = PiecePivot::Middle;  // center of mass, below it at the lowest height, or the owner's own
  double smallest = 0;                    // m³: what is less is left out
  Vec3 cutColor{0.5F};                    // linear light
  CutRule cuts;
  std::size_t mostTriangles = 5'000'000;  // of all pieces
};

struct Pieces {
  std::vector<PropPtr> props;  // named owner/number, by cell and part; in meters about their pivots
  SurfacePtr whole;            // all of them at home, each a part of its own
  std::size_t slivers = 0;     // left out
  double sliverVolume = 0;     // m³
  double volume = 0;           // m³, of all
  std::size_t openShells = 0;  // of the owner: no part of it
};

/// Breaks a body into the cells of `seeds` (m, where the owner's vertices are). Vertices of the owner keep their place,
/// normal, uv and color bit for bit in `whole`; a piece has them about its pivot. What is new on the skin lies between
/// them; cuts have a material of their own and uvs in meters. Every vertex carries cut: 1 on cuts, 0 on the
/// skin.
Result<Pieces> piecesOf(const PieceOwner& owner, const std::vector<DVec3>& seeds, const PieceRule& rule,
                        const Task& task);

}  // namespace arvesk
