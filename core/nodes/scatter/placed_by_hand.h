// Parameters of Placed by hand, which the brush in Site reads too.
#pragma once

#include "core/geometry/prop.h"
#include "core/plan/document.h"
#include "core/spatial/hand_brush.h"

namespace arvesk::nodes {

enum class BrushJob { Add, Remove, Adjust, Single };
enum class BrushTakes { Kit, Chosen, Neighbors };
enum class BrushClearOf { Nothing, Own, Shown, Named };
enum class BrushLiesOn { Ground, Things };

/// What the next stroke does. None of it changes what is placed already.
struct BrushSettings {
  BrushJob job = BrushJob::Add;
  float radius = 3;     // m
  float strength = 50;  // percent
  float spacing = 1;    // m
  float spread = 100;   // percent of the radius
  BrushTakes takes = BrushTakes::Kit;
  PropChoices chosen;
  Range size{0.8F, 1.25F};
  Range turnDeg{0, 360};
  bool isAlong = false;
  Range leanDeg{0, 0};
  float toNormal = 0;  // percent
  BrushClearOf clearOf = BrushClearOf::Shown;
  std::string named;  // outputs, by title
  Footprint room = Footprint::Spread;
  RoomShape shape = RoomShape::Disc;
  float gap = 0;  // m
  BrushLiesOn on = BrushLiesOn::Ground;
  BrushEffect effect = BrushEffect::Apart;
  BrushMeets meets = BrushMeets::All;
  Range sizeLimits{0.2F, 5};
  bool operator==(const BrushSettings&) const = default;
};

enum class Rules { KeepClear, Stay };
struct PlacedByHandParams : BrushSettings {
  HandPoints points;
  Rules rules = Rules::KeepClear;
  float reach = 50;
  float footprint = 0.25F;
};

/// Of a node of that kind; as usual for any other.
PlacedByHandParams placedByHandParams(const Node& node);

}  // namespace arvesk::nodes
