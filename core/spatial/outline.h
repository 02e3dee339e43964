// The outline of a patch or clump: a disk or box about a point, made ragged by noise so that no circle or square shows.
#pragma once

#include "core/base/noise.h"

namespace arvesk {

enum class OutlineShape { Disc, Box };

struct Outline {
  OutlineShape shape = OutlineShape::Disc;
  float raggedness = 0;      // 0…1: how much of the radius the noise may take or add
  float featureSize = 0.5F;  // of the ragged teeth, as a share of the radius

  /// The factor on the radius toward own-frame direction (x, z), for the patch `id`. At most 1 + raggedness.
  float factor(const Vec2& direction, std::uint64_t id) const {
    if (raggedness <= 0) return 1;
    const float length = glm::length(direction);
    const Vec2 d = length > 0 ? direction / length : Vec2(1, 0);
    const float scale = 1 / std::max(featureSize, 0.01F);
    // Around a circle in noise space, so that the outline closes; the patch's id picks its own noise.
    const auto seed = static_cast<std::uint32_t>(hashOf(id, 0x6f75746cULL));
    const float noise = gradientNoiseScalar(d.x * scale, 0.37F, d.y * scale, seed) +
                        0.5F * gradientNoiseScalar(d.x * scale * 2.3F, 1.71F, d.y * scale * 2.3F, seed);
    return 1 + raggedness * std::clamp(noise, -1.0F, 1.0F);
  }
};

}  // namespace arvesk
