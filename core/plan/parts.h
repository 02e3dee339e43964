// What of a plan has to be worked out to know a part of the world exactly: the part, walked back along the links and
// made wider at each node by how far it looks and carries points.
#pragma once

#include "core/plan/document.h"
#include "core/plan/node_kind.h"

#include <set>

namespace arvesk {

/// Where what comes in at `input` has to be whole for what comes out to be right within `wanted`, with
/// `wider` m more around where the node asked for it. Surfaces, volumes and kits are whole always.
Part neededAt(const NodeKind& kind, const ParamMap& params, const InputSpec& input, const Part& wanted,
              double wider = 0);

/// So many m more than `neededAt` begins with are needed around, for the room of the points that come in.
double roomNeeded(const NodeKind& kind, const ParamMap& params, const Inputs& inputs);

/// Where what each node gives has to be whole for `wanted` nodes (uids; empty: all) to be right within `part`, by uid.
/// `wider`: m that nodes asked for in addition (EvalContext::askWider), by uid.
std::map<std::string, Part> neededParts(const Plan& plan, const std::vector<std::string>& wanted, const Part& part,
                                        const std::map<std::string, double>& wider);

/// Those of the points that lie in the part; the same object where all do.
PointsPtr pointsIn(const Part& part, const PointsPtr& points);

}  // namespace arvesk
