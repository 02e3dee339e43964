// "Where" of filters: a point with where w is exposed to the filter only if its fixed rank is below w; the others pass.
#pragma once

#include "core/plan/context.h"

namespace arvesk::nodes {

inline Array<std::uint8_t> exposedBy(const EvalContext& ctx, const MaskPtr& where, const Points& points) {
  Array<std::uint8_t> out;
  out.assign(points.count, 1);
  if (!where) return out;
  const Array<float> w = maskValues(ctx.task, *where, points);
  const Draw rank = ctx.draw("where");
  for (std::size_t i = 0; i < points.count; ++i) out[i] = rank.unit(points.id[i]) < w[i];
  return out;
}

inline Result<Outputs> keptAndLeft(const EvalContext& ctx, const Points& points, const Array<std::uint8_t>& keeps) {
  if (ctx.task.isCancelled()) return Failure(cancelled());
  auto [kept, left] = split(points, keeps);
  return Outputs{std::move(kept), std::move(left)};
}

}  // namespace arvesk::nodes
