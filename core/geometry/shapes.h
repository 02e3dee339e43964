// Simple shapes to place on. All stand on or around the origin, Y up, sizes in m.
#pragma once

#include "core/geometry/surface.h"

namespace arvesk {

Surface makePlane(float sizeX, float sizeZ, int divisions);        // level, facing up, centered
Surface makeBox(const Vec3& size);                                 // standing on y = 0, centered in x and z
Surface makeBall(float radius, int divisions);                     // around the origin; divisions from pole to pole
Surface makeCylinder(float radius, float height, int divisions);   // standing on y = 0, closed
Surface makeTorus(float radius, float tubeRadius, int divisions);  // lying around the Y axis

}  // namespace arvesk
