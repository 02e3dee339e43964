// A large selection in Site as tinted things: rings on thousands of placements would be a heap of rings.
#pragma once

#include "app/site/site_selection.h"
#include "core/picture/scene.h"

#include <QImage>

namespace arvesk {

/// Where the selected placements are seen in the picture of `camera`, each `step`-th pixel of `width` × `height`: a
/// tint over them and a rim around them. Null when it was cancelled.
QImage tintOf(const PictureScene& scene, const SiteSelection& selection, const Camera& camera, int width, int height,
              int step, const std::optional<Cut>& cut, const Task& task);

}  // namespace arvesk
