// Touching placements up: what is selected in Site, followed back to the Touch-ups that is to keep what is done to it,
// and what each thing that a hand does makes of the touch-ups there.
#pragma once

#include "core/deliver/shown_points.h"
#include "core/deliver/touch_target.h"

namespace arvesk {

/// Those that one node is to keep.
struct TouchGroup {
  Link from;         // what gives them to it
  std::string node;  // the last Touch-ups that they go through; empty: it is to be made
  Link ground;       // for a new one
  float limit = std::numeric_limits<float>::infinity();  // m, of that node: what is farther from where it was is stray
  std::vector<TouchTarget> targets;
};

/// Of what is shown; `plan` is what `evaluation` is of, which may be a draft.
std::vector<TouchGroup> touchable(const Plan& plan, const Evaluation& evaluation, const ShownPoints& shown,
                                  const Task& task);

/// Puts a Touch-ups into the plan for each group that has none, made by `newNode`, and tells the groups.
void makeTouchUps(Plan& plan, std::vector<TouchGroup>& groups,
                  const std::function<Node(Plan&, const Node& before)>& newNode);

/// What handles, keys and numbers do to all that is selected.
struct TouchDelta {
  Vec3 move{0};          // m
  float lift = 0;        // m, up
  float headingDeg = 0;  // clockwise from above
  float leanDeg = 0;     // forward, each about its own axis
  float size = 1;        // factor
  Vec3 tint{0};          // turns of the color wheel, more or less saturation and brightness as shares
  bool isEach = false;   // turns and sizes each about its own place, else all about their middle
  bool isFree = false;   // moves through the air, not along the ground
};

/// The middle of what is shown of all groups.
Vec3 middleOf(const std::vector<TouchGroup>& groups);

/// The touch-ups of the group's node, with that done to each of its targets. A touch-up that changes nothing is none.
TouchUps withDelta(const TouchUps& before, const TouchGroup& group, const TouchDelta& delta, const Vec3& middle);
/// The same with anything else: `change` is given the touch-up of each target, a new one where it has none.
TouchUps withChange(const TouchUps& before, const TouchGroup& group,
                    const std::function<void(TouchUp&, TouchUps& among, const TouchTarget&)>& change);

/// How many touch-ups of the plan sleep or are stray in this evaluation of it.
std::size_t waitingTouches(const Plan& plan, const Evaluation& evaluation);

/// The touch-ups of each node, by uid, with all kept that hold in this evaluation: what is touched then stays where it
/// is, whatever another seed makes of its rules.
std::map<std::string, TouchUps> keepingTouched(const Plan& plan, const Evaluation& evaluation);

/// Those of `waiting` handed on, each to the nearest of the points that come in that is not touched and has the prop
/// that was touched (any, where it had none). `missing`: how many found none, and stay as they are.
struct HandedOn {
  TouchUps touches;
  std::size_t missing = 0;
};
HandedOn handedOn(const TouchUps& before, const std::vector<TouchUp>& waiting, const Points& in,
                  const GroundUnder& ground, const Task& task);

}  // namespace arvesk
