// Depth under the skin of a volume whose surfaces it lies on.
#pragma once

#include "core/spatial/volume.h"

namespace arvesk {

/// Of a volume that is no offset; it lives as long as that one. Null after a cancel.
std::shared_ptr<const DepthField> skinDepthOf(const Volume& volume, const Task& task);

}  // namespace arvesk
