// Where the cells lie that Break up cuts bodies into, and which of them make one piece.
#pragma once

#include "core/plan/node_kind.h"
#include "core/props/pieces.h"

namespace arvesk::nodes {

enum class BreakForm { Chunks, Splinters, Plates, Surfaces };
struct BreakParams {
  int count = 30;
  BreakForm form = BreakForm::Chunks;
  Vec3 along{0, 1, 0};
  float stretch = 5;
  Vec3 sized{1};
  int cells = 0;      // that pieces are made up of; 0: each is one
  float step = 0.2F;  // m between the cells along given surfaces
  int variants = 1;
  float gather = 60;  // %
  float reach = 0.3F;
  float smallest = 0.01F;
  PiecePivot pivot = PiecePivot::Middle;
  float roughness = 0;
  float roughSize = 0.3F;
  float longest = 0.1F;
  int triangles = 0;  // of all pieces of a body; 0: as many as it takes
  float wear = 0;
  float chips = 0;  // %
  std::string cutColor = "#9a9184";
  Channel cutChannel = Channel::None;
  Channel wearChannel = Channel::None;
  bool isShown = false;
};

struct BreakCells {
  std::vector<DVec3> seeds;  // m, where the owner's vertices are
  CellGroups groups;
};

/// As cells are told to be.
CellShape shapeOf(const BreakParams& p);

/// Of one body. Each cell has its own draw, so that more of them leave the others where they are.
Result<BreakCells> breakCells(const EvalContext& ctx, const PieceOwner& owner, const BreakParams& p, const Inputs& in);

}  // namespace arvesk::nodes
