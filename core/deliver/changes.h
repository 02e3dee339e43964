// Where two states of a plan differ, and a camera that shows it.
#pragma once

#include "core/picture/film.h"
#include "core/picture/scene.h"

namespace arvesk {

/// Places of the points that only one of the states has, or that stand, turn, size or look otherwise.
std::vector<Vec3> changedPlaces(const std::vector<PictureLayer>& before, const std::vector<PictureLayer>& now);

/// `camera`, when it sees two fifths of the places, in a picture `aspect` times as wide as high; else one that looks
/// the same way, a little from above, at where nine tenths of them lie.
Camera cameraOn(const std::vector<Vec3>& places, const Camera& camera, float aspect);

}  // namespace arvesk
