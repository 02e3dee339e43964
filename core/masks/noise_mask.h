// A band over noise, in world meters.
#pragma once

#include "core/base/noise.h"
#include "core/masks/mask.h"

namespace arvesk {

MaskPtr makeNoiseMask(NoiseSettings settings, Band band, MaskFinish finish);

}  // namespace arvesk
