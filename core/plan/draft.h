// What a draft leaves out: which nodes may hand over fewer points, and which points those are.
#pragma once

#include "core/plan/document.h"

#include <set>

namespace arvesk {

/// Uids of the nodes whose points may be thinned in a draft: nothing after them looks at others, so that what stays is
/// part of what final has. All that decides (patches, parents, rivals, goals) is whole in every quality.
std::set<std::string> thinnableNodes(const Plan& plan);

/// The points that a draft of `share` delivers; asked twice it is the same.
PointsPtr draftOf(const PointsPtr& points, float share);

}  // namespace arvesk
