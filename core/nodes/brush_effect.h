// Parameters that say what a brush does to points that are there, and to which. Nodes of the hand share them.
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

/// For the jobs that take away or keep.
template <typename P>
ParamSpec brushMeets(BrushMeets P::*member, std::initializer_list<const char*> jobs) {
  return param("brush_meets", member, ARVESK_TEXT("node", "Which"),
               ARVESK_TEXT("node", "All that is under it, or only what is of the prop that the stroke begins on."),
               {{"all", ARVESK_TEXT("node", "All")}, {"one-kind", ARVESK_TEXT("node", "One kind")}})
      .shown("brush_job", jobs);
}

}  // namespace arvesk::nodes
