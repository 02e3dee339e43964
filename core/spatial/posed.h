// Volumes of surfaces that were only moved and turned share what was made of them at rest.
#pragma once

#include "core/spatial/volume.h"

#include <functional>

namespace arvesk {

/// `atRest`, which lies on `surface` at rest, as it lies on `surface`.
VolumePtr makePosed(VolumePtr atRest, SurfacePtr surface);

/// As depthOf a volume at rest, whose places are asked for again and again while it is moved: the first quarter of a
/// million of them is remembered, bit for bit.
std::shared_ptr<const DepthField> rememberedDepthOf(const VolumePtr& atRest, const Task& task);

/// A surface without nodes of a file, moved and turned; it knows how it was at rest.
SurfacePtr posedSurface(const Surface& atRest, const BodyFrame& frame);

/// The solid by `rule` of `surface` as it was before it was moved: one that is still used, or what `make` gives.
Result<VolumePtr> solidAtRest(const Surface& surface, const SolidRule& rule,
                              const std::function<Result<VolumePtr>(const SurfacePtr& atRest)>& make);

}  // namespace arvesk
