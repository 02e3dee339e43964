// Props: the placeable assets of a plan, in meters, Y up, with the footprint that their geometry claims.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

struct Prop {
  std::string uid;   // permanent in its plan; weighted choice goes by it
  std::string name;
  SurfacePtr surface;
  float footprint = 0;  // m: radius about the pivot that holds the geometry as seen from above
  float height = 0;     // m: from lowest to highest vertex
};

using PropPtr = std::shared_ptr<const Prop>;

PropPtr makeProp(std::string uid, std::string name, SurfacePtr surface);

struct KitEntry {
  PropPtr prop;
  float weight = 1;
};

/// Props to choose from, in order.
struct Kit {
  std::vector<KitEntry> entries;
};

using KitPtr = std::shared_ptr<const Kit>;

}  // namespace arvesk
