// What a node made, in a few numbers: how many, how large, how turned, of which props.
#pragma once

#include "app/model/evaluation_service.h"

namespace arvesk {

struct Fact {
  QString what;
  QString value;
};

/// The points at its first input; null when it takes none.
PointsPtr givenTo(const Plan& plan, const Evaluation& evaluation, const Node& node);

/// Of points, a surface or a kit at its first output; empty for anything else, and when it is not worked out.
std::vector<Fact> factsOf(const Evaluation& evaluation, const std::string& uid, const Task& task);

}  // namespace arvesk
