// Points that a mask or filter refers to: the Plan shows them as name chips, not as lines.
#pragma once

#include "core/geometry/prop.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

inline InputSpec referredPointsInput(std::string id, std::string label, std::string help) {
  return {std::move(id), ValueType::Points, std::move(label), std::move(help), true, true};
}

/// With footprints of the kind that is meant.
inline std::vector<PointsPtr> referredPoints(const Inputs& in, const std::string& id,
                                             Footprint which = Footprint::Spread) {
  std::vector<PointsPtr> out;
  for (const Inputs::Link& link : in.many(id))
    if (const auto* points = std::get_if<PointsPtr>(&link.value); points && *points)
      out.push_back(withFootprints(*points, which));
  return out;
}

}  // namespace arvesk::nodes
