// What is selected in Site, followed back into the plan: through outputs and merges to the links that its points come
// from. Whoever works on single placements goes by it.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

/// What is meant of an output or open end: by its uid, which of the ids that it shows.
using ShownPoints = std::map<std::string, std::function<bool(std::uint64_t id)>>;

/// A link that points are shown by, and which of them are meant, by the ids that they have there.
struct ShownSource {
  Link link;
  const Node* node = nullptr;  // that gives them
  PointsPtr points;
  std::function<bool(std::uint64_t id)> isMeant;
};
/// `plan` is what `evaluation` is of; it may be a draft. No link comes twice.
std::vector<ShownSource> sourcesOf(const Plan& plan, const Evaluation& evaluation, const ShownPoints& shown);

/// What the link gave; null when that is not known or no points.
PointsPtr pointsAt(const Plan& plan, const Evaluation& evaluation, const Link& link);

/// The first link of an input that is there, or null.
const Link* firstLink(const Node& node, const std::string& input);

/// Of the chain that ends with `uid`: the last node that puts its points onto a ground, and the link to that. A surface
/// that only decides who stays (Keep out) is none.
std::pair<const Node*, Link> groundAbove(const Plan& plan, std::string uid);

/// Puts the node behind a link: it takes that by its main input, and serves all who took from it. `ground`, if there is
/// one, goes to its input of that id.
void insertBehind(Plan& plan, const Link& from, Node node, const std::string& groundInput, const Link& ground);

}  // namespace arvesk
