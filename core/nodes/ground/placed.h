// What every ground node can do besides: be hidden in Site, and be moved, turned and sized as a whole.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

struct Placed {
  bool isShown = true;
  Vec3 move{0};
  Vec3 turnDeg{0};
  float size = 1;
};

template <typename P>
void addPlacedParams(std::vector<ParamSpec>& params, bool canBeHidden = true, bool hasHandle = false) {
  if (canBeHidden)
    params.push_back(param<P>("shown", static_cast<bool P::*>(&P::isShown), ARVESK_TEXT("node", "Shown in Site"),
                              ARVESK_TEXT("node", "Hidden ground still takes points.")));
  params.push_back(param<P>("move", static_cast<Vec3 P::*>(&P::move), ARVESK_TEXT("node", "Move"),
                            ARVESK_TEXT("node", "Moves the whole surface, after turning and sizing."))
                       .in(Unit::Meter)
                       .hard(-1e5, 1e5)
                       .usual(-50, 50, 0.5));
  if (hasHandle) params.back().inSite(SiteRole::Center);
  params.push_back(param<P>("turn", static_cast<Vec3 P::*>(&P::turnDeg), ARVESK_TEXT("node", "Turn"),
                            ARVESK_TEXT("node", "Turns about the X, then the Y, then the Z axis."))
                       .in(Unit::Degree)
                       .hard(-360, 360)
                       .usual(-180, 180, 1));
  params.push_back(param<P>("size", static_cast<float P::*>(&P::size), ARVESK_TEXT("node", "Size"),
                            ARVESK_TEXT("node", "Factor on the whole surface."))
                       .hard(1e-4, 1e4)
                       .usual(0.1, 10, 0.1));
  if (hasHandle) params.back().inSite(SiteRole::Size);
  putUnder(params, ARVESK_TEXT("node", "Placement"), {"move", "turn", "size"});
}

enum class UpAxis { Y, Z };
/// How many m one unit of a file is, and which axis points up in it.
template <typename P>
void addUnitParams(std::vector<ParamSpec>& params, float P::*unitScale, UpAxis P::*upAxis, const char* unitHelp) {
  params.push_back(
      param<P>("unit_scale", unitScale, ARVESK_TEXT("node", "Unit"), unitHelp).hard(1e-6, 1e6).usual(0.001, 10, 0.01));
  params.push_back(param<P>("up_axis", upAxis, ARVESK_TEXT("node", "Up axis"),
                            ARVESK_TEXT("node", "The axis that points up in the file."), {{"y", "Y"}, {"z", "Z"}}));
  putUnder(params, ARVESK_TEXT("node", "Units of the file"), {"unit_scale", "up_axis"});
}
inline constexpr const char* kUnitHelp = ARVESK_TEXT("node",
                                                     "How many m one unit of the file is; 0.01 for centimeters.");

/// Points from a file: its unit and axis, and what they claim until they are dressed.
struct PlacedFile : Placed {
  std::string file;
  float unitScale = 1;
  UpAxis upAxis = UpAxis::Y;
  float footprint = 0.25F;
};

template <typename P>
void addPlacedFileParams(std::vector<ParamSpec>& params) {
  addUnitParams<P>(params, static_cast<float P::*>(&P::unitScale), static_cast<UpAxis P::*>(&P::upAxis),
                   ARVESK_TEXT("node",
                               "How many m one unit of the file is; 0.01 for centimeters. Places only: sizes are "
                               "factors."));
  params.push_back(param<P>("footprint", static_cast<float P::*>(&P::footprint), ARVESK_TEXT("node", "Footprint"),
                            ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
                       .in(Unit::Meter)
                       .hard(0, 1e4)
                       .usual(0, 5, 0.05));
  addPlacedParams<P>(params, false);
}

Quat turnOf(const Placed& placed);
/// `isBody`: it may be asked for what is inside of it, wherever it is moved.
SurfacePtr place(Surface surface, const Placed& placed, bool isBody = true);

}  // namespace arvesk::nodes
