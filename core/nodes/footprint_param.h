// The parameter that says which footprint of props a node goes by. Those that judge by footprints share it.
#pragma once

#include "core/geometry/prop.h"
#include "core/plan/node_kind.h"
#include "core/spatial/rooms.h"

namespace arvesk::nodes {

template <typename P>
ParamSpec footprintIs(const char* id, Footprint P::*member) {
  return param(id, member, ARVESK_TEXT("node", "Footprint is"),
               ARVESK_TEXT("node",
                           "All of a prop as seen from above, or only what touches the ground: its lowest tenth. "
                           "Points without props have one footprint."),
               {{"spread", ARVESK_TEXT("node", "All of it")}, {"base", ARVESK_TEXT("node", "Its base")}});
}

/// The parameter that says what shape the room of props has. Where there is one, Site draws outlines of that shape.
template <typename P>
ParamSpec roomShapeIs(const char* id, RoomShape P::*member) {
  return param(
      id, member, ARVESK_TEXT("node", "Shape"),
      ARVESK_TEXT("node",
                  "What room a footprint takes. A disc turns with nothing; an ellipse or a box lies along the "
                  "prop's own axes, as long, wide and high as the prop; the mesh is the hull of each piece that "
                  "hangs together, so what stands under a table top or beside a leg stays. From above, only "
                  "shadows count. Points without a prop keep their disc."),
      {{"disc", ARVESK_TEXT("node", "Disc")},
       {"ellipse", ARVESK_TEXT("node", "Ellipse")},
       {"box", ARVESK_TEXT("node", "Box")},
       {"mesh", ARVESK_TEXT("node", "Mesh")}});
}
inline constexpr const char* kRoomShape = "room_shape";

}  // namespace arvesk::nodes
