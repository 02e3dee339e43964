// The parameter that says what a brush does to points that are there. Nodes of the hand share it.
#pragma once

#include "core/plan/node_kind.h"
#include "core/spatial/hand_brush.h"

namespace arvesk::nodes {

template <typename P>
ParamSpec brushEffect(BrushEffect P::*member) {
  return param("brush_effect", member, ARVESK_TEXT("node", "Adjusts"),
               ARVESK_TEXT("node", "What it does to the points under it, strongest in its middle."),
               {{"apart", ARVESK_TEXT("node", "Pushes apart")},
                {"together", ARVESK_TEXT("node", "Draws together")},
                {"grow", ARVESK_TEXT("node", "Grows")},
                {"shrink", ARVESK_TEXT("node", "Shrinks")},
                {"turn", ARVESK_TEXT("node", "Turns")},
                {"lean", ARVESK_TEXT("node", "Leans")},
                {"raise", ARVESK_TEXT("node", "Raises")},
                {"lower", ARVESK_TEXT("node", "Lowers")}})
      .shown("brush_job", {"adjust"});
}

}  // namespace arvesk::nodes
