// Taking generated placements over by hand: as points that a node of the hand keeps, under the ids that they have,
// where and as they stand.
#pragma once

#include "core/deliver/shown_points.h"

namespace arvesk {

/// Those of one link of the plan, to be kept by a node behind it.
struct TakenOver {
  Link from;               // what gives them
  std::string hand;        // the node of the hand that gives them already, and passes rules' points on; or empty
  Link ground;             // what they stand on; empty where that is not known
  HandPoints points;       // all of them taken
  bool isCrowded = false;  // some of the rule stand in their room, and are to go on doing so
};

/// Those points, by the link that their output takes them from. Those that a hand made itself are none. `plan` is what
/// `evaluation` is of; it may be a draft.
std::vector<TakenOver> takenOver(const Plan& plan, const Evaluation& evaluation, const ShownPoints& shown,
                                 const Task& task);

/// Of the same: those that a hand took over, by the node that keeps them, by their keys.
std::map<std::string, std::vector<std::uint64_t>> keptByHand(const Plan& plan, const Evaluation& evaluation,
                                                             const ShownPoints& shown);

/// Puts them into the plan: into the node of the hand that is there, or into a new one made by `newNode` that takes the
/// link and serves all who took from it. Returns the uids of those nodes.
std::vector<std::string> keepTaken(Plan& plan, const std::vector<TakenOver>& taken,
                                   const std::function<Node(Plan&, const Node& before)>& newNode);

/// Gives taken points back to their rules: those of `keys` whose point still comes in are no longer kept; gives back
/// how many have no rule any more and stay.
std::size_t giveBack(Node& hand, const Points& fromRules, const std::vector<std::uint64_t>& keys);

}  // namespace arvesk
