// Images by OpenImageIO; called in the image helper only (and in tests).
#pragma once

#include "core/base/result.h"
#include "core/geometry/image.h"

namespace arvesk {

/// An image of any kind that OpenImageIO reads; integer files become 0…1, values that are not numbers 0.
Result<Image> readImage(const std::string& path);

}  // namespace arvesk
