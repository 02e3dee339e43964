// Which frame a mask of places works in: the world's, or that of the placement which a point sits on.
#pragma once

#include "core/masks/point_masks.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class Frame { World, Placement };
struct MaskFrame {
  Frame frame = Frame::World;
};

inline MaskPtr inFrame(MaskPtr mask, const MaskFrame& p) {
  return p.frame == Frame::World ? mask : makeInPropFrame(std::move(mask));
}

template <typename P>
ParamSpec frameParam() {
  return param<P>("frame", static_cast<Frame P::*>(&P::frame), ARVESK_TEXT("node", "In the frame of"),
                  ARVESK_TEXT("node",
                              "The world, or the prop that the point sits on: whichever way a placement was turned, it "
                              "is the same side of it. For points of On props that carry their place on the prop."),
                  {{"world", ARVESK_TEXT("node", "The world")}, {"placement", ARVESK_TEXT("node", "The placement")}});
}

}  // namespace arvesk::nodes
