// "Amount" and "where" of Adjust nodes: both multiply the effect, per point.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

/// The effect on each point, 0 to 2.
inline Array<float> effectOf(const EvalContext& ctx, const MaskPtr& where, const Points& points, float amountPercent) {
  Array<float> out;
  if (where)
    out = maskValues(ctx.task, *where, points);
  else
    out.assign(points.count, 1.0F);
  for (float& v : out) v *= amountPercent / 100;
  return out;
}

inline InputSpec adjustWhereInput() { return whereInput(ARVESK_TEXT("node", "Multiplies the effect on each point.")); }

template <typename P>
ParamSpec amountParam(float P::*member) {
  return param("amount", member, ARVESK_TEXT("node", "Amount"),
               ARVESK_TEXT("node", "Scales the whole effect; 100 % is as set. Draws are scaled, never drawn again."))
      .in(Unit::Percent)
      .hard(0, 200)
      .usual(0, 200, 1);
}

/// The size times a factor of at least 0 along each axis; by 0 it is gone (Points::isGone). Mirrored sizes stay so.
inline Vec3 sized(const Vec3& size, const Vec3& factor) {
  Vec3 out = size * glm::max(factor, Vec3(0));
  for (int a = 0; a < 3; ++a)
    if (std::abs(out[a]) < kGoneSize) out[a] = std::copysign(kGoneSize, size[a]);
  return out;
}

/// Sizes are multiplied by up to `largest`, wholly where `amountPercent` is 100 and nothing weakens it.
inline Most sizedBy(const Most& came, float largest, float amountPercent) {
  constexpr float kRounded = 1 + 1e-5F;
  const float most = 1 + std::max(0.0F, largest - 1) * std::max(1.0F, amountPercent / 100);
  return {came.footprint, std::max(kGoneSize, came.size * most * kRounded)};
}

/// The share `effect` of the turn from `from` to `to`; above 1 it goes on beyond.
inline Quat partialTurn(const Quat& from, const Quat& to, float effect) {
  if (effect == 1) return to;
  Quat delta = to * glm::conjugate(from);
  if (delta.w < 0) delta = -delta;
  const Vec3 axis(delta.x, delta.y, delta.z);
  const float sine = glm::length(axis);
  if (sine < 1e-7F) return from;
  return glm::normalize(glm::angleAxis(2 * std::atan2(sine, delta.w) * effect, axis / sine) * from);
}

}  // namespace arvesk::nodes
