// Parameters of Touch-ups, and how each of its edits stands: Site, Bench and the tools for them read these.
#pragma once

#include "core/plan/document.h"
#include "core/spatial/hand_brush.h"

namespace arvesk::nodes {

/// What the brush does while the node is selected.
enum class TouchBrushJob { Off, Adjust, Remove, Keep };

struct TouchUpsParams {
  TouchUps touches;
  float limit = 2;    // m
  float reach = 50;   // m
  float step = 0.1F;  // m
  TouchBrushJob job = TouchBrushJob::Off;
  BrushEffect effect = BrushEffect::Apart;
  BrushMeets meets = BrushMeets::All;
  float radius = 3;     // m
  float strength = 50;  // percent
  Range sizeLimits{0.2F, 5};
};

/// Of a node of that kind; as usual for any other.
TouchUpsParams touchUpsParams(const Node& node);

enum class TouchState {
  Applied,
  Alone,   // kept: its point is gone or elsewhere, and it stands where it stood
  Asleep,  // its point is gone
  Stray    // its point is farther from where it was than the limit
};
struct TouchStanding {
  TouchUp touch;
  TouchState state = TouchState::Asleep;
  bool hasPoint = false;  // among those that come in
  std::size_t index = 0;  // of that
  float strayed = 0;      // m: how far that stands from where it was
  /// Not applied now.
  bool isWaiting() const { return state == TouchState::Asleep || state == TouchState::Stray; }
};

/// In the order of the list, for the points that come in.
std::vector<TouchStanding> standingOf(const TouchUpsParams& params, const Points& in);

/// What a touch-up does, in few words each: "moved 0.4 m", "turned 20°".
std::vector<std::string> touchInWords(const TouchUp& touch, const TouchUps& among,
                                      const std::vector<PropEntry>* props = nullptr);

/// The turn that takes a thing from ground of one normal to another as far as it leaned with the first: one that stood
/// upright stays so.
Quat turnWithGround(const Quat& orientation, const Vec3& before, const Vec3& after);

}  // namespace arvesk::nodes
