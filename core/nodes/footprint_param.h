// The parameter that says which footprint of props a node goes by. Those that judge by footprints share it.
#pragma once

#include "core/geometry/prop.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

template <typename P>
ParamSpec footprintIs(const char* id, Footprint P::*member) {
  return param(id, member, ARVESK_TEXT("node", "Footprint is"),
               ARVESK_TEXT("node",
                           "All of a prop as seen from above, or only what touches the ground: its lowest tenth. "
                           "Points without props have one footprint."),
               {{"spread", ARVESK_TEXT("node", "All of it")}, {"base", ARVESK_TEXT("node", "Its base")}});
}

}  // namespace arvesk::nodes
