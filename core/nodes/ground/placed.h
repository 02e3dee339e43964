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
void addPlacedParams(std::vector<ParamSpec>& params, bool canBeHidden = true) {
  if (canBeHidden)
    params.push_back(param<P>("shown", static_cast<bool P::*>(&P::isShown), ARVESK_TEXT("node", "Shown in Site"),
                              ARVESK_TEXT("node", "Hidden ground still takes points.")));
  params.push_back(param<P>("move", static_cast<Vec3 P::*>(&P::move), ARVESK_TEXT("node", "Move"),
                            ARVESK_TEXT("node", "Moves the whole surface, after turning and sizing."))
                       .in(Unit::Meter)
                       .hard(-1e5, 1e5)
                       .usual(-50, 50, 0.5));
  params.push_back(param<P>("turn", static_cast<Vec3 P::*>(&P::turnDeg), ARVESK_TEXT("node", "Turn"),
                            ARVESK_TEXT("node", "Turns about the X, then the Y, then the Z axis."))
                       .in(Unit::Degree)
                       .hard(-360, 360)
                       .usual(-180, 180, 1));
  params.push_back(param<P>("size", static_cast<float P::*>(&P::size), ARVESK_TEXT("node", "Size"),
                            ARVESK_TEXT("node", "Factor on the whole surface."))
                       .hard(1e-4, 1e4)
                       .usual(0.1, 10, 0.1));
}

Quat turnOf(const Placed& placed);
SurfacePtr place(Surface surface, const Placed& placed);

}  // namespace arvesk::nodes
